/** Where in the song what a hand did was heard: pure bookkeeping of states that were sent and blocks that came. */
import type { Take, Touch } from "../api/types";
import type { BlockHead } from "../live/protocol";

/** A value in the hand, from where it was taken to where it was let go. */
export interface Held {
  touch: Touch;
  /** what was sent, and as which state */
  moves: { revision: number; value: Touch["value"] }[];
  /** the state that was sent as it was let go; null while it is in the hand */
  released: number | null;
}

interface Spot {
  /** frame of the stream */
  position: number;
  /** frame of the song */
  song: number;
}

/** A loop that began again: where in the stream, and from where to where in the song. */
interface Seam {
  position: number;
  from: number;
  to: number;
}

/** What is known of the stream while a take lasts. */
export class Heard {
  private begun: (Spot & { revision: number })[] = [];
  private seams: Seam[] = [];
  private last: BlockHead | null = null;
  epoch = -1;

  /** A state is heard from there on. */
  begin({ revision, position, song }: Spot & { revision: number }): void {
    this.begun.push({ revision, position, song });
  }

  block(head: BlockHead): void {
    const { last } = this;
    if (last && head.epoch !== this.epoch) return;
    this.epoch = head.epoch;
    // what is rendered anew takes the place of what was to come
    this.seams = this.seams.filter(({ position }) => position < head.position);
    if (last && head.position === last.position + last.frames && head.song < last.song)
      this.seams.push({ position: head.position, from: last.song + last.frames, to: head.song });
    this.last = head;
  }

  /** Where a state was heard first; null where it was not yet. */
  spot(revision: number): Spot | null {
    return this.begun.find((one) => one.revision >= revision) ?? null;
  }

  /** Passages of what was held, cut where the loop began again; `end` is where the take ended. */
  passages(held: Held, end: Spot, rateHz: number): Take["passages"] {
    const placed = held.moves.flatMap(({ revision, value }) => {
      const spot = this.spot(revision);
      return spot ? [{ ...spot, value }] : [];
    });
    const first = placed[0];
    if (!first) return [];
    const stop = (held.released === null ? null : this.spot(held.released)) ?? end;
    const seams = this.seams.filter(
      ({ position }) => position > first.position && position < Math.max(stop.position, first.position),
    );
    const found: Take["passages"] = [];
    let begin = 0;
    let moves: Take["passages"][number]["moves"] = [];
    for (const seam of [...seams, { position: Infinity, from: stop.song, to: 0 }]) {
      for (; begin < placed.length && placed[begin]!.position < seam.position; begin++)
        moves.push([placed[begin]!.song / rateHz, placed[begin]!.value]);
      found.push({ moves, end_s: Math.max(seam.from / rateHz, ...moves.map(([seconds]) => seconds)) });
      moves = [[seam.to / rateHz, moves.at(-1)![1]]];
    }
    return found;
  }
}

/** What was held, value by value. */
export function takesOf(all: Held[], heard: Heard, end: Spot, rateHz: number, again: Take["again"]): Take[] {
  const takes = new Map<string, Take>();
  for (const held of all) {
    const { target, param, trim_from } = held.touch;
    const passages = heard.passages(held, end, rateHz);
    if (passages.length === 0) continue;
    const key = `${target} ${param} ${trim_from === null}`;
    const take = takes.get(key) ?? {
      target,
      param,
      passages: [],
      trim_from: trim_from === null ? null : [],
      again,
    };
    take.passages.push(...passages);
    if (trim_from !== null) take.trim_from?.push(...passages.map(() => trim_from));
    takes.set(key, take);
  }
  return [...takes.values()];
}
