/** What is being heard, in words. */
import type { Fold, Listening, Place, Reference, Version } from "../api/types";
import type { Heard } from "../state/store";
import type { Tap } from "../live/protocol";
import { formatHz } from "../ui/format";

export const FOLDS: { value: Fold; label: string; says: string }[] = [
  { value: "stereo", label: "stereo", says: "As it is." },
  {
    value: "mono",
    label: "mono",
    says: "Left and right together on both speakers: what disappears was only wide.",
  },
  { value: "mono_one", label: "one speaker", says: "Left and right together on the left speaker alone." },
  { value: "side", label: "side", says: "Only what differs between left and right, on both speakers." },
  { value: "left", label: "left", says: "Only the left side, on both speakers." },
  { value: "right", label: "right", says: "Only the right side, on both speakers." },
];

const FOLD_WORDS: Record<Fold, string> = {
  stereo: "",
  mono: "in mono",
  mono_one: "in mono on one speaker",
  mid: "the mid only",
  side: "the side only",
  left: "the left side only",
  right: "the right side only",
};

export interface Named {
  versions: Version[];
  references: Reference[];
}

const CODERS: Record<string, string> = { opus: "Opus", ogg: "Vorbis", mp3: "MP3" };

/** What a thing that is compared is called on the bench. */
export function nameOf(
  heard: Heard,
  { versions, references }: Named,
  titles: Record<string, string>,
): string {
  const [kind, rest] = heard.split(":") as [string, string | undefined];
  if (kind === "version") return versions.find(({ id }) => String(id) === rest)?.name ?? "version";
  if (kind === "reference") return references.find(({ id }) => String(id) === rest)?.name ?? "reference";
  if (kind === "without")
    return rest === "*" ? "bypass all" : `without ${(titles[rest ?? ""] ?? "the stage").toLowerCase()}`;
  if (kind === "coded" || kind === "added") {
    const [, coder, rate] = heard.split(":");
    const named = `${CODERS[coder ?? ""] ?? coder} ${rate}`;
    return kind === "coded" ? named : `what ${named} adds`;
  }
  if (kind === "eased") return `${(titles[rest ?? ""] ?? "the stage").toLowerCase()} preview`;
  if (kind === "edit") return "an earlier state";
  return kind === "received" ? "Received" : "Now";
}

/** The line on the bar: everything that stands between the sound and the ear. */
export function heardInWords(
  name: string,
  tap: Tap,
  stage: string,
  listening: Listening,
  place: Place | undefined,
): string {
  const what = {
    result: name === "Now" ? "the song as it is now" : name === "Received" ? "the song as received" : name,
    removed: `what ${stage} changes`,
    detector: `the detector of ${stage}`,
  }[tap];
  const range = {
    all: "",
    lows: `only below ${formatHz(listening.high_hz)}`,
    band: `only ${formatHz(listening.low_hz)} to ${formatHz(listening.high_hz)}`,
  }[listening.range];
  const where = place && place.name !== "studio" ? `as in: ${place.title.toLowerCase()}` : "";
  const solo = listening.solo.length ? `only ${listening.solo.join(" and ")}` : "";
  const muted = listening.muted.length ? `without ${listening.muted.join(" and ")}` : "";
  return [what, FOLD_WORDS[listening.fold], range, where, solo, muted].filter(Boolean).join(", ");
}
