/** The server's resources, typed. Every refusal becomes a `Refused` with the server's own words. */
import type {
  Described,
  Match,
  Print,
  PrintSettings,
  Recipe,
  Revision,
  Series,
  Song,
  SongRow,
  Source,
  Stages,
  Survey,
  View,
} from "./types";

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

async function ask<T>(path: string, method = "GET", body?: unknown): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(
      `/api${path}`,
      body === undefined
        ? { method }
        : { method, headers: { "content-type": "application/json" }, body: JSON.stringify(body) },
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

export const api = {
  songs: () => ask<SongRow[]>("/songs"),
  song: (id: number) => ask<Song>(`/songs/${id}`),
  stages: () => ask<Stages>("/stages"),
  addSong: (title: string, sha256: string) => ask<{ id: number }>("/songs", "POST", { title, sha256 }),
  waveform: (id: number, columns: number) =>
    ask<[number[], number[]]>(`/songs/${id}/waveform?columns=${columns}`),
  describe: (recipe: Recipe, rate: number) =>
    ask<Record<string, Described>>(`/describe?rate=${rate}`, "POST", recipe),
  edit: (id: number, base: number, label: string, recipe: Recipe) =>
    ask<Revision>(`/songs/${id}/recipe`, "PUT", { base, label, recipe }),
  undo: (id: number) => ask<Revision>(`/songs/${id}/undo`, "POST"),
  redo: (id: number) => ask<Revision>(`/songs/${id}/redo`, "POST"),
  view: (id: number, view: View) => ask<unknown>(`/songs/${id}/view`, "PUT", view),
  survey: (id: number, columns: number) => ask<Survey>(`/songs/${id}/survey?columns=${columns}`),
  match: (id: number, from: number, to: number) =>
    ask<Match | null>(`/songs/${id}/survey/match?from=${Math.round(from)}&to=${Math.round(to)}`),
  series: (id: number, stage: string, from: number, to: number, columns: number) =>
    ask<Series | null>(
      `/songs/${id}/survey/stages/${stage}?from=${Math.round(from)}&to=${Math.round(to)}&columns=${columns}`,
    ),
  prints: (id: number) => ask<Print[]>(`/songs/${id}/prints`),
  print: (id: number, settings: PrintSettings) => ask<Print>(`/songs/${id}/prints`, "POST", settings),
  stopPrint: (id: number) => ask<Print>(`/prints/${id}/stop`, "POST"),
};

/** Send a file, reporting the share sent; resolves when the server has looked through it. */
export function upload(file: File, progress: (share: number) => void): Promise<Source> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", `/api/sources?name=${encodeURIComponent(file.name)}`);
    request.upload.onprogress = (event) => progress(event.loaded / Math.max(event.total, 1));
    request.onerror = () => reject(new Refused(UNREACHABLE, 0));
    request.onload = () => {
      try {
        resolve(read(request.status, request.responseText) as Source);
      } catch (refused) {
        reject(refused instanceof Error ? refused : new Refused(String(refused), 0));
      }
    };
    request.send(file);
  });
}
