/** Sections: proposed from the music, and named. */
import { useState } from "react";
import { api } from "../api/client";
import { edit } from "../state/edits";
import type { Span } from "../state/store";
import { complain, useBench } from "../state/store";
import { xOf } from "./geometry";

export function ProposeSections() {
  const song = useBench((s) => s.song)!;
  return (
    <button
      type="button"
      className="absolute top-0 left-2 font-[620] text-rim hover:underline"
      onPointerDown={(event) => event.stopPropagation()}
      onClick={() => {
        api
          .proposeSections(song.id)
          .then((sections) => {
            const { recipe } = useBench.getState();
            if (recipe && sections) edit({ ...recipe, sections }, "Sections from the music", true);
            else complain("The song is still being surveyed; ask again in a moment.");
          })
          .catch(complain);
      }}
    >
      propose sections from the music
    </button>
  );
}

export function RenameSection({ id, view, onDone }: { id: string; view: Span; onDone: () => void }) {
  const recipe = useBench((s) => s.recipe)!;
  const rateHz = useBench((s) => s.song!.rate_hz);
  const section = recipe.sections.find((s) => s.id === id);
  const [name, setName] = useState(section?.name ?? "");
  if (!section) return null;
  const keep = () => {
    const sections = recipe.sections.map((s) => (s.id === id ? { ...s, name: name.trim() || s.name } : s));
    if (name.trim() !== section.name) edit({ ...recipe, sections }, `Section ${name.trim()}`, true);
    onDone();
  };
  return (
    <input
      autoFocus
      aria-label="Name of the section"
      className="absolute top-0 h-[19px] w-[130px] border border-rim bg-well px-1"
      style={{ left: `${Math.max(0, xOf(section.start_s * rateHz, 100, view))}%` }}
      value={name}
      maxLength={60}
      onPointerDown={(event) => event.stopPropagation()}
      onChange={(event) => setName(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") keep();
        if (event.key === "Escape") onDone();
      }}
    />
  );
}
