/** A stretch of the stream that is yet to be played, addressed by absolute position and written over at will. */

export const RING_FRAMES = 1 << 17;
export const SEAM_FRAMES = 240;

export class Ring {
  readonly planes: Float32Array[];
  /** First position that has not been written. */
  written = 0;
  /** First position that was ever written. */
  begun = -1;

  constructor(planes: number) {
    this.planes = Array.from({ length: planes }, () => new Float32Array(RING_FRAMES));
  }

  clear(): void {
    this.begun = -1;
    this.written = 0;
  }

  /**
   * Write a block; what lies before `playing` is over and stays. Where it replaces samples that were there, it fades
   * in over 5 ms, so that no step is heard even when it comes late. What was written behind it is void.
   */
  write(position: number, frames: number, samples: Float32Array, playing: number): void {
    if (this.begun < 0) this.begun = position;
    const start = Math.max(position, playing);
    const end = position + frames;
    const seam = Math.max(0, Math.min(SEAM_FRAMES, this.written - start, end - start));
    const replacing = position < this.written && start > this.begun;
    for (let plane = 0; plane < this.planes.length; plane++) {
      const ring = this.planes[plane]!;
      const offset = plane * frames - position;
      for (let at = start; at < end; at++) {
        const slot = at & (RING_FRAMES - 1);
        const sample = samples[offset + at]!;
        const done = at - start;
        ring[slot] =
          replacing && done < seam ? ring[slot]! + ((done + 1) / seam) * (sample - ring[slot]!) : sample;
      }
    }
    this.written = Math.max(end, start);
  }

  read(plane: number, position: number): number {
    return this.planes[plane]![position & (RING_FRAMES - 1)]!;
  }
}
