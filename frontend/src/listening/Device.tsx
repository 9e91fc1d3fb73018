import { useEffect, useState } from "react";
import { session } from "../state/session";
import { complain } from "../state/store";
import { Choice } from "../ui/Choice";

interface Sinks {
  setSinkId?: (id: string) => Promise<void>;
}

/** Where the sound goes, where the browser offers a choice. */
export function Device() {
  const [devices, setDevices] = useState<{ value: string; label: string }[]>([]);
  const [chosen, setChosen] = useState("default");
  useEffect(() => {
    navigator.mediaDevices
      .enumerateDevices()
      .then((found) =>
        setDevices(
          found
            .filter(({ kind }) => kind === "audiooutput")
            .map(({ deviceId, label }, index) => ({
              value: deviceId || "default",
              label: label || `Output ${index + 1}`,
            })),
        ),
      )
      .catch(() => setDevices([]));
  }, []);
  const context = session().player?.context as (AudioContext & Sinks) | undefined;
  if (!context?.setSinkId || devices.length < 2) return null;
  return (
    <div className="mt-2 flex items-center gap-2">
      <span>Output</span>
      <Choice
        label="Output device"
        value={chosen}
        options={devices}
        onChange={(id) => {
          setChosen(id);
          context.setSinkId?.(id === "default" ? "" : id).catch(complain);
        }}
      />
    </div>
  );
}
