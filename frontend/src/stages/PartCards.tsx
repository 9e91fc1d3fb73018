interface Card {
  id: string;
  title: string;
  words: string;
  on: boolean;
}

interface Props {
  label: string;
  parts: readonly Card[];
  chosen: string | null;
  choose: (id: string) => void;
  /** Makes one more; nothing where there are enough. */
  add?: { label: string; act: () => void } | undefined;
}

/** The parts of a stage side by side, to be chosen. */
export function PartCards({ label, parts, chosen, choose, add }: Props) {
  return (
    <div className="flex overflow-x-auto border border-line" role="group" aria-label={label}>
      {parts.map(({ id, title, words, on }) => (
        <button
          key={id}
          type="button"
          aria-pressed={id === chosen}
          onClick={() => choose(id)}
          className={`min-w-[112px] flex-1 border-r border-line border-t-[3px] px-2 pt-[3px] pb-[5px] text-left ${id === chosen ? "border-t-copper bg-well" : "border-t-line"} ${on ? "" : "stale"}`}
        >
          <b className="block truncate font-[650]">{title}</b>
          <span className="block truncate text-[11.5px]" title={words}>
            {words}
          </span>
        </button>
      ))}
      {add && (
        <button
          type="button"
          className="min-w-[76px] px-3 text-left font-semibold text-rim hover:bg-rim2"
          onClick={add.act}
        >
          {add.label}
        </button>
      )}
    </div>
  );
}
