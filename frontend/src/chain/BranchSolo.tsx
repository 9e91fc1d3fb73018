import { listenAs } from "../state/listening";
import { useBench } from "../state/store";

/** Hear one branch without its neighbours, or leave it out: for the ear alone. */
export function BranchSolo({ id, name }: { id: string; name: string }) {
  const { solo, muted } = useBench((s) => s.listening);
  const toggled = (list: string[]) => (list.includes(id) ? list.filter((one) => one !== id) : [...list, id]);
  const small = "h-[18px] w-[18px] border text-[10.5px] leading-none";
  return (
    <span className="flex gap-[2px]">
      <button
        type="button"
        aria-pressed={solo.includes(id)}
        aria-label={`Solo ${name}`}
        title="Only this branch, for the ear alone"
        onClick={() => listenAs({ solo: toggled(solo) })}
        className={`${small} ${solo.includes(id) ? "border-mustard bg-mustard text-page" : "border-line bg-well text-mute"}`}
      >
        S
      </button>
      <button
        type="button"
        aria-pressed={muted.includes(id)}
        aria-label={`Mute ${name}`}
        title="Without this branch, for the ear alone"
        onClick={() => listenAs({ muted: toggled(muted) })}
        className={`${small} ${muted.includes(id) ? "border-copper bg-copper text-page" : "border-line bg-well text-mute"}`}
      >
        M
      </button>
    </span>
  );
}
