/**
 * What goes on with the song that is open, or with the sound of a record: its player, edits on their way to ear and
 * server, what is known of equal loudness, what a hand holds. All of it ends when something else is opened.
 */
import type { Matched, Recipe, Revision, Song } from "../api/types";
import type { LivePlayer } from "../live/player";
import { UNKNOWN } from "./loudnessMatch";
import type { Held } from "./recordings";
import { Heard } from "./recordings";

type Timer = ReturnType<typeof setTimeout>;

/** One movement of the hand, from the first edit to the rest: one revision, however often it is kept meanwhile. */
export interface Movement {
  song: Song;
  id: string;
  label: string;
  recipe: Recipe;
}

/** What moves ridden values takes edits up before they become any; `end` writes down what it holds. */
export interface Hand {
  takes: (edited: Recipe, label: string) => boolean;
  end: () => Promise<void>;
}

/** What a session is given when it begins. */
interface Given {
  /** null where nothing plays yet */
  player: LivePlayer | null;
  hand: Hand;
  /** how an edit reaches the ear */
  sendEdit: (recipe: Recipe, revision: number, label: string | null) => void;
  /** how the song is opened anew: a step back or forth brings other files, or another window has gone on */
  openAgain: () => Promise<void>;
  /** what becomes of an edit that the server refuses */
  refused: (kept: Revision) => void;
}

export interface Session extends Given {
  keeping: {
    movement: Movement | null;
    /** movements that have come to rest and are not kept yet, the oldest first */
    waiting: Movement[];
    restTimer: Timer | null;
    meanwhileTimer: Timer | null;
    noteTimer: Timer | null;
    againTimer: Timer | null;
    saving: Promise<void>;
    /** steps back and forth that are under way: one after the other */
    going: Promise<void>;
    pauseMs: number;
    unanswered: string[];
  };
  sending: {
    /** of the state that was sent last */
    revision: number;
    at: number;
    timer: Timer | null;
    disguise: ((recipe: Recipe) => Recipe) | null;
    describing: Promise<void> | null;
    described: Recipe | null;
  };
  matching: {
    /** what surveys know of equal loudness */
    known: Matched;
    estimatedAt: number;
    /** when a stage that makes louder was moved last */
    movedAt: number;
  };
  view: { timer: Timer | null; at: number | undefined };
  /** how a compressor's work is held constant: the recipe whose work it is, and whether that is being asked for */
  work: { reference: { stage: string; recipe: Recipe } | null; asking: boolean };
  riding: {
    /** the recipe before the hand took anything */
    base: Recipe | null;
    recording: boolean;
    ending: Promise<void> | null;
    all: Held[];
    holding: Map<string, Held>;
    heard: Heard;
    changed: Set<Held>;
    /** what is to be let go with the next state that is sent */
    leaving: Set<Held>;
    idle: Timer | null;
    timer: Timer | null;
    sentAt: number;
    /** where the song was heard as the take ended */
    songHeard: number;
  };
}

/** So long an edit that the server could not take waits first. */
export const RETRY_MS = 1500;

const NOTHING: Given = {
  player: null,
  hand: { takes: () => false, end: () => Promise.resolve() },
  sendEdit: () => undefined,
  openAgain: () => Promise.resolve(),
  refused: () => undefined,
};

/** What a hand on ridden values begins with, and goes back to when it has let go. */
export const emptyHanded = (): Session["riding"] => ({
  base: null,
  recording: false,
  ending: null,
  all: [],
  holding: new Map(),
  heard: new Heard(),
  changed: new Set(),
  leaving: new Set(),
  idle: null,
  timer: null,
  sentAt: -Infinity,
  songHeard: 0,
});

export function createSession(given: Partial<Given> = {}): Session {
  return {
    ...NOTHING,
    ...given,
    keeping: {
      movement: null,
      waiting: [],
      restTimer: null,
      meanwhileTimer: null,
      noteTimer: null,
      againTimer: null,
      saving: Promise.resolve(),
      going: Promise.resolve(),
      pauseMs: RETRY_MS,
      unanswered: [],
    },
    sending: { revision: 0, at: 0, timer: null, disguise: null, describing: null, described: null },
    matching: { known: UNKNOWN, estimatedAt: 0, movedAt: -Infinity },
    view: { timer: null, at: undefined },
    work: { reference: null, asking: false },
    riding: emptyHanded(),
  };
}

function dispose({ player, keeping, sending, view, riding }: Session): void {
  const { restTimer, meanwhileTimer, noteTimer, againTimer } = keeping;
  const timers = [restTimer, meanwhileTimer, noteTimer, againTimer, sending.timer, view.timer];
  for (const timer of [...timers, riding.idle, riding.timer]) if (timer !== null) clearTimeout(timer);
  player?.close();
}

let current = createSession();

/** The one that is open. What waits for an answer holds on to its own, and looks whether it is still this one. */
export function session(): Session {
  return current;
}

/** Let another session begin; of the one before nothing goes on. */
export function begin(next: Session): void {
  const before = current;
  current = next;
  dispose(before);
}
