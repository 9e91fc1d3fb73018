/** What songs and buses are called after their files. */

/** A file's name without its ending. */
export function bare(name: string): string {
  return name.replace(/\.[^.]+$/, "");
}

/** The words that all names begin with, such as the song's; empty where there are none. */
export function sharedTitle(names: string[]): string {
  const words = names.map((name) => bare(name).split(/[\s_-]+/));
  const first = words[0] ?? [];
  let count = 0;
  while (count < first.length - 1 && words.every((one) => one[count] === first[count])) count++;
  return first.slice(0, count).join(" ");
}
