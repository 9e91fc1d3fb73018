import type { Stage } from "../api/types";
import { compare } from "../state/listening";
import { kindInfo, useBench } from "../state/store";

/** Hear what the stage would be with less to do, at equal loudness. */
export function PreviewedEase({ stage }: { stage: Stage }) {
  const heard = useBench((s) => s.heard);
  const words = kindInfo(stage.kind)?.eased;
  const eased = `eased:${stage.id}`;
  if (!words) return null;
  return (
    <button
      type="button"
      aria-pressed={heard === eased}
      title={`Listen with ${words} at equal loudness; the setting stays (key Q)`}
      className={`plain whitespace-nowrap ${heard === eased ? "bg-ink! text-page" : ""}`}
      onClick={() => compare(heard === eased ? "now" : eased)}
    >
      Preview {words}
    </button>
  );
}
