import type { ReactNode } from "react";
import { create } from "zustand";
import type { Stage } from "../api/types";
import { useSurvey } from "../state/useSurvey";
import { Segments } from "../ui/Segments";
import { PreviewedEase } from "./PreviewedEase";
import { SetLevel } from "./SetLevel";
import { useLoudnessGained } from "./useLoudnessGained";
import { LoudnessGainedPicture } from "./LoudnessGainedPicture";

const PICTURES = [
  { value: "curve", label: "curve" },
  { value: "won", label: "loudness gained" },
] as const;
const useShows = create<{ shows: "curve" | "won" }>(() => ({ shows: "curve" }));

/** What a stage that is pushed against its ceiling has above its pictures; `children` stand at the left. */
export function PushTools({ stage, children }: { stage: Stage; children?: ReactNode }) {
  const shows = useShows((s) => s.shows);
  const survey = useSurvey();
  const won = useLoudnessGained(stage.id, shows === "won").found?.words;
  const words = shows === "won" ? won : survey?.work?.[stage.id];
  return (
    <div className="tools">
      <Segments
        label="Picture"
        value={shows}
        options={PICTURES}
        onChange={(next) => useShows.setState({ shows: next })}
      />
      {children}
      <SetLevel stage={stage} />
      <PreviewedEase stage={stage} />
      {words && (
        <span className={`min-w-0 truncate ${survey?.state === "done" ? "" : "stale"}`} title={words}>
          {words}
        </span>
      )}
    </div>
  );
}

/** Its curve, or what pushing wins. */
export function PushPicture({ stage, children }: { stage: Stage; children: ReactNode }) {
  const shows = useShows((s) => s.shows);
  return shows === "won" ? <LoudnessGainedPicture stage={stage} /> : children;
}
