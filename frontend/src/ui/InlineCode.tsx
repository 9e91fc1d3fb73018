interface Props {
  label: string;
  /** What one looks like. */
  hint: string;
  value: string | null;
  /** The code without blanks, in capitals; null where the field was emptied. */
  onValue: (value: string | null) => void;
}

/** A code that is typed as a whole; Enter or leaving the field takes it, what it may be is checked by the server. */
export function InlineCode({ label, hint, value, onValue }: Props) {
  return (
    <label className="flex items-center gap-2">
      {label}
      <input
        // what was refused goes, and what was undone comes back
        key={value ?? ""}
        className="min-w-0 flex-1 border border-line bg-well px-2 py-[2px]"
        defaultValue={value ?? ""}
        placeholder={hint}
        maxLength={20}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter") event.currentTarget.blur();
        }}
        onBlur={(event) => {
          const code = event.target.value.replace(/\s/g, "").toUpperCase() || null;
          if (code !== value) onValue(code);
        }}
      />
    </label>
  );
}
