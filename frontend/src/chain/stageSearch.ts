/** Stages found by what somebody types: names first, then trade words, then what they are for. */
import type { KindInfo } from "../api/types";

const plain = (text: string) => text.toLowerCase().replace(/[^a-z0-9]+/g, " ");

/** How well a kind answers to a word or a phrase; 0 where it does not. Its trade words stand with the best first. */
function rank({ title, sought, says }: KindInfo, words: string): number {
  const begins = (text: string) => plain(text).startsWith(words) || plain(text).includes(` ${words}`);
  if (plain(title).startsWith(words)) return 4;
  if (begins(title)) return 3;
  const at = sought.findIndex(begins);
  if (at >= 0) return 2 + 1 / (2 + at);
  return begins(says) ? 1 : 0;
}

/** The kinds that answer to every word that was typed, the best first; all of them where nothing was. */
export function found(kinds: KindInfo[], typed: string): KindInfo[] {
  const phrase = plain(typed).trim();
  const words = phrase.split(" ").filter(Boolean);
  const score = (info: KindInfo) => {
    const ranks = words.map((word) => rank(info, word));
    return ranks.includes(0) ? 0 : rank(info, phrase) * words.length + ranks.reduce((a, b) => a + b, 0);
  };
  const scored = kinds.map((info) => ({ info, score: words.length ? score(info) : 1 }));
  return scored
    .filter(({ score }) => score > 0)
    .sort((a, b) => b.score - a.score)
    .map(({ info }) => info);
}
