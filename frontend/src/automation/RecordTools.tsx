import { Popover } from "radix-ui";
import type { Mode } from "../state/automationRecording";
import { arm, setAgain, setMode, useRiding } from "../state/automationRecording";

const MODES: { value: Mode; label: string; says: string }[] = [
  { value: "latch", label: "latch", says: "keeps the last value until playback stops" },
  { value: "touch", label: "touch", says: "returns to the automation when released" },
  { value: "trim", label: "trim", says: "offsets the existing automation" },
];

/** Whether what moves while the song plays is recorded, and how. */
export function RecordTools() {
  const { armed, mode, again } = useRiding();
  return (
    <span className="flex items-center">
      <button
        type="button"
        aria-pressed={armed}
        aria-label="Record automation"
        title="Record what moves while the song plays (T)"
        className={`plain px-[7px]! max-[1100px]:px-[3px]! whitespace-nowrap ${armed ? "border-copper! bg-copper! text-on-rim" : ""}`}
        onClick={() => arm(!armed)}
      >
        {armed ? "●" : "○"}
        <span className="max-[1100px]:hidden"> Record</span>
      </button>
      <Popover.Root>
        <Popover.Trigger
          className="plain px-[6px]! max-[1100px]:px-[2px]!"
          aria-label={`Record mode: ${mode}`}
          title={`Record mode: ${mode}`}
        >
          ▾
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content className="menu w-[270px] p-3!" side="bottom" align="end" sideOffset={2}>
            <fieldset>
              <legend className="cap pb-1">Record mode</legend>
              {MODES.map(({ value, label, says }) => (
                <label key={value} className="flex items-baseline gap-2 py-[2px]">
                  <input
                    type="radio"
                    name="ride-mode"
                    className="accent-rim"
                    checked={mode === value}
                    onChange={() => setMode(value)}
                  />
                  <span>
                    <b className="font-[640]">{label}</b> <span className="text-mute">{says}</span>
                  </span>
                </label>
              ))}
            </fieldset>
            <label className="flex items-center gap-2 pt-2">
              <input
                type="checkbox"
                className="accent-rim"
                checked={again === "writes over"}
                onChange={({ target }) => setAgain(target.checked ? "writes over" : "is ignored")}
              />
              each turn of a loop writes over the one before
            </label>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </span>
  );
}
