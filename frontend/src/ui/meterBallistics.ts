const FALL_DB_PER_S = 20;
const HOLD_S = 2;

/** A meter's ballistics: up at once, down slowly, the highest held for a while. */
export class Needle {
  level = -200;
  held = -200;
  private heldAt = 0;
  private at = 0;

  rise(db: number, now_s: number): void {
    this.level = Math.max(db, this.level - FALL_DB_PER_S * Math.max(0, now_s - this.at));
    this.at = now_s;
    if (db >= this.held || now_s - this.heldAt > HOLD_S) {
      this.held = db;
      this.heldAt = now_s;
    }
  }
}
