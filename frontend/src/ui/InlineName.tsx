import { useState } from "react";

interface Props {
  label: string;
  name: string;
  className?: string;
  onName: (name: string) => void;
}

/** A name that is typed over where it stands; Enter takes it, Escape leaves it. */
export function InlineName({ label, name, className = "", onName }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <input
      aria-label={label}
      title="Click to type another name"
      className={`min-w-0 truncate border border-transparent bg-transparent px-1 font-[650] hover:border-line focus:border-rim focus:bg-well ${className}`}
      value={typed ?? name}
      maxLength={60}
      onChange={(event) => setTyped(event.target.value)}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setTyped(null);
      }}
      onBlur={() => {
        if (typed?.trim() && typed.trim() !== name) onName(typed.trim());
        setTyped(null);
      }}
    />
  );
}
