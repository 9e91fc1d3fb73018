/** The server's resources, typed. Every refusal becomes a `Refused` with the server's own words. */
import type {
  BlindTest,
  Described,
  Difference,
  Edit,
  Grid,
  KeptChain,
  MapRows,
  Notes,
  Matched,
  Panel,
  Place,
  Print,
  PrintSettings,
  Recipe,
  Reference,
  Revision,
  SurveySeries,
  Song,
  SongRow,
  Source,
  Stage,
  StageImage,
  Stages,
  Survey,
  Take,
  Touch,
  Value,
  Version,
  View,
} from "./types";
import type { Delivered, KeptSpec, Playable, RecordHeard, RecordNow, RecordRow } from "./recordTypes";
import type { Aim, Aimed, Coded, Coder, LadderStep, Perceived, Tried, Won } from "./trialTypes";

export class Refused extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}

const UNREACHABLE =
  "The server does not answer. Start it again; your last edits are kept here until it does.";

async function ask<T>(path: string, method = "GET", body?: unknown, keepalive = false): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(
      `/api${path}`,
      body === undefined
        ? { method }
        : { method, keepalive, headers: { "content-type": "application/json" }, body: JSON.stringify(body) },
    );
  } catch {
    throw new Refused(UNREACHABLE, 0);
  }
  return read(answer.status, await answer.text()) as T;
}

function read(status: number, text: string): unknown {
  let found: unknown;
  try {
    found = JSON.parse(text);
  } catch {
    throw new Refused(`The server answered with an error (${status}). Reload the bench.`, status);
  }
  if (status >= 400) throw new Refused((found as { problem: string }).problem, status);
  return found;
}

function between(from: number, to: number): string {
  return `from=${Math.round(from)}&to=${Math.round(to)}`;
}

/** Where the before-and-after panel of a passage is; with `&format=csv` as a table. */
export function panelPath(id: number, other: string, from: number, to: number): string {
  return `/songs/${id}/survey/panel?other=${other}&${between(from, to)}`;
}

export const api = {
  songs: () => ask<SongRow[]>("/songs"),
  coming: () => ask<{ coming: string | null }>("/songs/coming"),
  song: (id: number) => ask<Song>(`/songs/${id}`),
  stages: () => ask<Stages>("/stages"),
  places: () => ask<{ hz: number[]; places: Place[] }>("/places"),
  addSong: (title: string, sources: { sha256: string; name: string }[]) =>
    ask<{ id: number }>("/songs", "POST", { title, sources }),
  replaceSource: (id: number, bus: string, sha256: string) =>
    ask<{ says: string }>(`/songs/${id}/buses/${bus}/source`, "PUT", { sha256 }),
  waveform: (id: number, from: number, to: number, columns: number, bus?: string) =>
    ask<[number[], number[]]>(
      `/songs/${id}/waveform?from=${Math.floor(from)}&to=${Math.ceil(to)}&columns=${columns}${bus ? `&bus=${bus}` : ""}`,
    ),
  bringOut: (low_hz: number, high_hz: number) => ask<Recipe>("/bring-out", "POST", { low_hz, high_hz }),
  /** the recipe with what a hand did written into its rides */
  take: (recipe: Recipe, takes: Take[]) => ask<Recipe>("/takes", "POST", { recipe, takes }),
  /** the recipe as it sounds with values in the hand: rides shifted, or written over */
  touched: (recipe: Recipe, touches: Touch[]) => ask<Recipe>("/touches", "POST", { recipe, touches }),
  tapped: (taps_s: number[], bar: number) => ask<Grid>("/grid", "POST", { taps_s, bar }),
  describe: (recipe: Recipe, rate: number) =>
    ask<Record<string, Described>>(`/describe?rate=${rate}`, "POST", recipe),
  /** `leaving` while the page goes away: the request goes on without it */
  edit: (
    id: number,
    edit: { base: number; saves: number; id: string; unanswered: string[]; label: string; recipe: Recipe },
    leaving = false,
  ) => ask<Revision>(`/songs/${id}/recipe`, "PUT", edit, leaving),
  /** a recipe beside the song's present state */
  keepBeside: (id: number, name: string, recipe: Recipe) =>
    ask<Version>(`/songs/${id}/versions`, "POST", { name, recipe }),
  forgetLeft: (id: number) => ask<{ left: null }>(`/songs/${id}/left/forget`, "POST"),
  undo: (id: number) => ask<Revision>(`/songs/${id}/undo`, "POST"),
  redo: (id: number) => ask<Revision>(`/songs/${id}/redo`, "POST"),
  history: (id: number, before?: number) =>
    ask<{ edits: Edit[]; more: boolean }>(
      `/songs/${id}/history${before === undefined ? "" : `?before=${before}`}`,
    ),
  returnTo: (id: number, edit: number) => ask<Revision>(`/songs/${id}/history/${edit}`, "POST"),
  chains: () => ask<KeptChain[]>("/chains"),
  keepChain: (name: string, recipe: Recipe) => ask<KeptChain[]>("/chains", "POST", { name, recipe }),
  removeChain: (name: string) => ask<KeptChain[]>(`/chains/${encodeURIComponent(name)}`, "DELETE"),
  view: (id: number, view: View) => ask<unknown>(`/songs/${id}/view`, "PUT", view),
  survey: (id: number, columns: number) => ask<Survey>(`/songs/${id}/survey?columns=${columns}`),
  surveyAgain: (id: number) => ask<unknown>(`/songs/${id}/survey`, "POST"),
  stopSurvey: (id: number) => ask<unknown>(`/songs/${id}/survey/stop`, "POST"),
  mapRows: (id: number, from: number, to: number, columns: number) =>
    ask<MapRows | null>(`/songs/${id}/survey/columns?${between(from, to)}&columns=${columns}`),
  scope: (id: number, from: number, to: number) =>
    ask<{ before: number[]; after: number[] }>(`/songs/${id}/scope?${between(from, to)}`),
  /** gains are missing until the survey of now is there */
  match: (id: number, others: string[], from: number, to: number) =>
    ask<Partial<Matched> & { state: string }>(
      `/songs/${id}/survey/match?${others.map((other) => `other=${other}&`).join("")}${between(from, to)}`,
    ),
  panel: (id: number, other: string, from: number, to: number) =>
    ask<Panel | { state: string; progress: number }>(panelPath(id, other, from, to)),
  /** how loud a passage is between the stages of a chain */
  ladder: (id: number, lane: string, from: number, to: number) =>
    ask<Tried<{ steps: LadderStep[] }>>(
      `/songs/${id}/ladder/${encodeURIComponent(lane)}?${between(from, to)}`,
    ),
  perceived: (id: number, other: string, from: number, to: number) =>
    ask<Perceived>(`/songs/${id}/perceived?other=${encodeURIComponent(other)}&${between(from, to)}`),
  series: (id: number, stage: string, from: number, to: number, columns: number) =>
    ask<SurveySeries | null>(`/songs/${id}/survey/stages/${stage}?${between(from, to)}&columns=${columns}`),
  makeup: (id: number, stage: string) =>
    ask<{ gain_db: number }>(`/songs/${id}/stages/${stage}/makeup`, "POST"),
  /** a compressor that does not hear the lows, and one that does not touch them */
  twoWays: (id: number, stage: string, [from, to]: [number, number]) =>
    ask<{ versions: Version[]; gains_db: number[][]; low_db: number[]; says: string[] }>(
      `/songs/${id}/stages/${stage}/ways?${between(from, to)}`,
      "POST",
    ),
  sameWork: (id: number, stage: string, before: Recipe, after: Recipe, [from, to]: [number, number]) =>
    ask<{ threshold_db: number }>(`/songs/${id}/stages/${stage}/threshold?${between(from, to)}`, "POST", {
      before,
      after,
    }),
  startingPoints: () =>
    ask<{ kind: string; name: string; title: string; says: string; params: Record<string, Value> }[]>(
      "/starts",
    ),
  keepStartingPoint: (name: string, stage: Stage) => ask<unknown>("/starts", "POST", { name, stage }),
  effect: (id: number, stage: string) =>
    ask<{
      state: string;
      sample_peak_dbfs?: number;
      true_peak_dbtp?: number;
      integrated_lufs?: number | null;
    }>(`/songs/${id}/survey/effect/${stage}`),
  proposeSections: (id: number) => ask<Recipe["sections"] | null>(`/songs/${id}/survey/sections`),
  tryFix: (id: number, finding: string) => ask<Version>(`/songs/${id}/findings/${finding}/try`, "POST"),
  dismiss: (id: number, finding: string) => ask<unknown>(`/songs/${id}/findings/${finding}/dismiss`, "POST"),
  recall: (id: number) => ask<unknown>(`/songs/${id}/findings/recall`, "POST"),
  versions: (id: number) => ask<Version[]>(`/songs/${id}/versions`),
  /** of the present state, or of an earlier edit */
  addVersion: (id: number, name: string, edit?: number) =>
    ask<Version>(`/songs/${id}/versions`, "POST", edit === undefined ? { name } : { name, edit }),
  removeVersion: (id: number) => ask<unknown>(`/versions/${id}`, "DELETE"),
  differences: (id: number, before: string, after: string) =>
    ask<Difference[]>(`/songs/${id}/differences?before=${before}&after=${after}`),
  references: () => ask<Reference[]>("/references"),
  setPassage: (id: number, start_frame: number, end_frame: number) =>
    ask<Reference>(`/references/${id}`, "PUT", { start_frame, end_frame }),
  suggestTone: (id: number, reference: number) =>
    ask<Version>(`/songs/${id}/references/${reference}/suggest`, "POST"),
  removeReference: (id: number) => ask<unknown>(`/references/${id}`, "DELETE"),
  image: (id: number, stage: string, from: number, to: number) =>
    ask<StageImage>(`/songs/${id}/stages/${stage}/image?${between(from, to)}`),
  records: () => ask<RecordRow[]>("/records"),
  addRecord: (title: string, artist: string) => ask<{ id: number }>("/records", "POST", { title, artist }),
  record: (id: number) => ask<RecordNow>(`/records/${id}`),
  changeRecord: (id: number, base: number, label: string, state: unknown) =>
    ask<RecordNow>(`/records/${id}`, "PUT", { base, label, state }),
  stepRecord: (id: number, direction: "undo" | "redo") =>
    ask<RecordNow>(`/records/${id}/${direction}`, "POST", {}),
  markRecord: (id: number, mark: "archived" | "deleted", on: boolean) =>
    ask<RecordRow[]>(`/records/${id}/${mark}`, "POST", { on }),
  moveToRecord: (song: number, record: number) =>
    ask<RecordRow[]>(`/songs/${song}/record`, "POST", { record }),
  recordHeard: (id: number, columns: number) => ask<RecordHeard>(`/records/${id}/heard?columns=${columns}`),
  playable: (id: number, part: "all" | "joins") => ask<Playable>(`/records/${id}/playable?part=${part}`),
  specs: () => ask<KeptSpec[]>("/specs"),
  keepSpec: (spec: unknown) => ask<KeptSpec[]>("/specs", "POST", { spec }),
  removeSpec: (name: string) => ask<KeptSpec[]>("/specs/remove", "POST", { name }),
  deliveries: (id: number) => ask<Delivered[]>(`/records/${id}/deliveries`),
  deliver: (id: number, cells: { song: number | null; spec: string }[]) =>
    ask<Delivered[]>(`/records/${id}/deliveries`, "POST", { cells }),
  stopDeliveries: (id: number) => ask<Delivered[]>(`/records/${id}/deliveries/stop`, "POST", {}),
  aim: (id: number, stage: string, aim: Aim, target: number, from: number, to: number) =>
    ask<Tried<Aimed>>(`/songs/${id}/stages/${stage}/aim?${between(from, to)}`, "POST", { aim, target }),
  won: (id: number, stage: string) => ask<Tried<Won>>(`/songs/${id}/stages/${stage}/won`),
  notes: (id: number) => ask<Notes>(`/songs/${id}/notes`),
  addNote: (id: number, at_s: number | null, text: string) =>
    ask<Notes>(`/songs/${id}/notes`, "POST", { at_s, text }),
  changeNote: (song: number, id: number, text: string, done: boolean) =>
    ask<Notes>(`/songs/${song}/notes`, "PUT", { id, text, done }),
  removeNote: (song: number, id: number) => ask<Notes>(`/songs/${song}/notes/remove`, "POST", { id }),
  tickFinding: (song: number, finding: string, done: boolean) =>
    ask<Notes>(`/songs/${song}/notes/tick`, "POST", { finding, done }),
  coded: (id: number, coder: Coder, kbit_s: number) =>
    ask<Coded>(`/songs/${id}/coded`, "POST", { coder, kbit_s }),
  blindOrder: (id: number, rounds: number) =>
    ask<{ order: number[] }>(`/songs/${id}/blind/order`, "POST", { rounds }),
  judge: (id: number, test: Omit<BlindTest, "says">) => ask<BlindTest>(`/songs/${id}/blind`, "POST", test),
  blindTests: (id: number) => ask<BlindTest[]>(`/songs/${id}/blind`),
  tail: (id: number) => ask<{ seconds: number; usual: "none" | "auto" }>(`/songs/${id}/tail`),
  prints: (id: number) => ask<Print[]>(`/songs/${id}/prints`),
  print: (id: number, settings: PrintSettings) => ask<Print>(`/songs/${id}/prints`, "POST", settings),
  stopPrint: (id: number) => ask<Print>(`/prints/${id}/stop`, "POST"),
};

/** Send a file, reporting the share sent; resolves when the server has looked through it. */
export function upload<T = Source>(
  file: File,
  progress: (share: number) => void,
  where: "sources" | "references" | "covers" = "sources",
): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", `/api/${where}?name=${encodeURIComponent(file.name)}`);
    request.upload.onprogress = (event) => progress(event.loaded / Math.max(event.total, 1));
    request.onerror = () => reject(new Refused(UNREACHABLE, 0));
    request.onload = () => {
      try {
        resolve(read(request.status, request.responseText) as T);
      } catch (refused) {
        reject(refused instanceof Error ? refused : new Refused(String(refused), 0));
      }
    };
    request.send(file);
  });
}
