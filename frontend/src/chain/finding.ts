/** Stages found by what somebody types: names first, then trade words, then what they are for. */
import type { KindInfo } from "../api/types";

const plain = (text: string) => text.toLowerCase().replace(/[^a-z0-9]+/g, " ");

/** How well a kind answers to a word; 0 where it does not. */
function rank({ title, sought, says }: KindInfo, word: string): number {
  const begins = (text: string) => plain(text).startsWith(word) || plain(text).includes(` ${word}`);
  if (plain(title).startsWith(word)) return 4;
  if (begins(title)) return 3;
  if (sought.some(begins)) return 2;
  return begins(says) ? 1 : 0;
}

/** The kinds that answer to every word that was typed, the best first; all of them where nothing was. */
export function found(kinds: KindInfo[], typed: string): KindInfo[] {
  const words = plain(typed).trim().split(" ").filter(Boolean);
  const ranked = kinds.map((info) => ({ info, ranks: words.map((word) => rank(info, word)) }));
  const answering = ranked.filter(({ ranks }) => ranks.every((one) => one > 0));
  const sum = (ranks: number[]) => ranks.reduce((a, b) => a + b, 0);
  return answering.sort((a, b) => sum(b.ranks) - sum(a.ranks)).map(({ info }) => info);
}
