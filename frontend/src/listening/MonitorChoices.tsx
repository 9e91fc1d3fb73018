import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { listenAs } from "../state/listening";
import { useBench } from "../state/store";
import { Choice } from "../ui/Choice";
import { Segments } from "../ui/Segments";
import { SpeakerCurve } from "./SpeakerCurve";
import { FOLDS } from "./listeningText";

const RANGES = [
  { value: "all", label: "all" },
  { value: "lows", label: "lows" },
  { value: "band", label: "band" },
] as const;

/** Fold, range and place: everything combines. */
export function MonitorChoices() {
  const listening = useBench((s) => s.listening);
  const { data: places } = useQuery({ queryKey: ["places"], queryFn: api.places, staleTime: Infinity });
  return (
    <>
      <div>
        <div className="cap mb-[2px]">Channels</div>
        <Choice
          label="Channels"
          value={listening.fold}
          options={FOLDS}
          onChange={(fold) => listenAs({ fold: fold as (typeof FOLDS)[number]["value"] })}
        />
      </div>
      <div>
        <div className="cap mb-[2px]">Band</div>
        <Segments
          label="Band"
          value={listening.range}
          options={RANGES}
          onChange={(range) => {
            const wide = listening.low_hz > 25 ? {} : { low_hz: 2000, high_hz: 5000 };
            listenAs(
              range === "lows" ? { range, high_hz: 120 } : range === "band" ? { range, ...wide } : { range },
            );
          }}
        />
      </div>
      <div>
        <div className="cap mb-[2px]">Speakers</div>
        <Choice
          label="Speakers"
          value={listening.place}
          options={(places?.places ?? []).map(({ name, title, says, curve_db }) => ({
            value: name,
            label: title,
            says,
            picture: <SpeakerCurve curve_db={curve_db} />,
          }))}
          onChange={(place) => listenAs({ place: place as typeof listening.place })}
        />
      </div>
    </>
  );
}
