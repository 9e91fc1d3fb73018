import glossary from "../../../docs/guide/glossary.md?raw";

/** The rows of the guide's table: a word and its meaning, as HTML-free text. */
const WORDS = glossary
  .split("\n")
  .map((line) => /^\| ([^|]+) \| ([^|]+) \|$/.exec(line))
  .flatMap((row) => (row && row[1] !== "word" ? [[row[1]!, row[2]!.replaceAll("*", "")] as const] : []));

/** The few words of the bench that are not the trade's. */
export function Glossary() {
  return (
    <details className="mt-3">
      <summary className="cursor-pointer font-semibold text-rim">Glossary</summary>
      <dl className="mt-2 columns-2 gap-8">
        {WORDS.map(([word, meaning]) => (
          <div key={word} className="mb-[6px] break-inside-avoid">
            <dt className="font-[640]">{word}</dt>
            <dd className="text-mute">{meaning}</dd>
          </div>
        ))}
      </dl>
    </details>
  );
}
