import { useEffect, useState } from "react";
import { listenAs } from "../state/listening";
import { useBench } from "../state/store";
import { SpectrumTools } from "../plots/SpectrumTools";
import { Segments } from "../ui/Segments";
import { SectionFigures } from "./SectionFigures";
import { SongFigures } from "./SongFigures";
import { SongFindings } from "./SongFindings";
import { SongSpectrum } from "./SongSpectrum";

const FIGURES = [
  { value: "song", label: "whole song" },
  { value: "sections", label: "by section" },
] as const;

/** The song as a whole, where no stage is chosen: what is heard, its figures, what stands out. */
export function SongView() {
  const title = useBench((s) => s.song!.title);
  const [searching, setSearching] = useState(false);
  const [sections, setSections] = useState(false);
  useEffect(() => {
    if (!searching) return;
    return () => listenAs({ range: "all" });
  }, [searching]);
  return (
    <section
      aria-label="Song"
      className="grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)] grid-rows-[30px_minmax(130px,1fr)_minmax(0,max-content)] gap-y-2 bg-enamel px-[14px] pt-[8px] pb-2"
    >
      <div className="flex items-center gap-3">
        <h2 className="truncate text-[16px] font-[680]">{title}</h2>
        <SpectrumTools />
        <button
          type="button"
          aria-pressed={searching}
          title="A narrow band follows the pointer over the spectrum, or the arrow keys"
          className={`plain ${searching ? "border-copper! bg-copper! text-on-rim" : ""}`}
          onClick={() => setSearching(!searching)}
        >
          Sweep
        </button>
        <Segments
          label="Figures"
          value={sections ? "sections" : "song"}
          options={FIGURES}
          onChange={(next) => setSections(next === "sections")}
        />
        <span className="cap truncate">filled: compared with · line: now</span>
      </div>
      <SongSpectrum searching={searching} />
      <div className="grid max-h-[190px] min-h-0 grid-cols-2 gap-6 px-1">
        <div className="min-h-0 overflow-y-auto">{sections ? <SectionFigures /> : <SongFigures />}</div>
        <SongFindings />
      </div>
    </section>
  );
}
