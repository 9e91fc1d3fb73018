/** A stretch of the stream that is yet to be played, addressed by absolute position and written over at will. */

/** So much a ring holds at least. */
const LEAST_S = 5.4;

export class Ring {
  readonly planes: Float32Array[];
  /** How many frames it holds, a power of two. */
  readonly frames: number;
  /** First position that has not been written. */
  written = 0;
  /** Where the block that was written last ends. */
  private end = -1;
  /** First position that was ever written. */
  begun = -1;

  /** What the second pair of planes holds, from which position on. */
  private names: { from: number; name: string }[] = [];

  constructor(
    planes: number,
    /** How long a seam takes. */
    private readonly seamFrames: number,
    rateHz: number,
  ) {
    this.frames = 2 ** Math.ceil(Math.log2(LEAST_S * rateHz));
    this.planes = Array.from({ length: planes }, () => new Float32Array(this.frames));
  }

  clear(): void {
    this.begun = -1;
    this.written = 0;
    this.end = -1;
    this.names = [];
  }

  /** Say what is compared with, from a position on; what was said of later ones is void. */
  name(position: number, name: string, playing: number): void {
    this.names = this.names.filter(
      ({ from }, i) => from < position && (this.names[i + 1]?.from ?? Infinity) > playing,
    );
    if (this.names.at(-1)?.name !== name) this.names.push({ from: position, name });
  }

  nameAt(position: number): string | undefined {
    return this.names.findLast(({ from }) => from <= position)?.name;
  }

  /**
   * Write a block; what lies before `playing` is over and stays. Where it does not go on from the block before, or
   * comes late, it fades in over a seam from what is there. What lies behind it may still be played until it is replaced:
   * a moment more of the old sound is better than a gap.
   */
  write(position: number, frames: number, samples: Float32Array, playing: number): void {
    if (this.begun < 0) this.begun = position;
    const start = Math.max(position, playing);
    const end = position + frames;
    const goesOn = position === this.end && start === position;
    const seam = goesOn ? 0 : Math.max(0, Math.min(this.seamFrames, this.written - start, end - start));
    for (let plane = 0; plane < this.planes.length; plane++) {
      const ring = this.planes[plane]!;
      const offset = plane * frames - position;
      for (let done = 0; done < seam; done++) {
        const slot = this.slot(start + done);
        ring[slot]! += ((done + 1) / seam) * (samples[offset + start + done]! - ring[slot]!);
      }
      for (let at = start + seam; at < end;) {
        const slot = this.slot(at);
        const run = Math.min(end - at, this.frames - slot);
        ring.set(samples.subarray(offset + at, offset + at + run), slot);
        at += run;
      }
    }
    this.end = end;
    this.written = Math.max(this.written, end, start);
  }

  /** Where in the planes a position is. */
  slot(position: number): number {
    return position & (this.frames - 1);
  }
}
