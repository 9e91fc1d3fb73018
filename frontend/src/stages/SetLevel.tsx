import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import { api } from "../api/client";
import type { Stage } from "../api/types";
import type { Aim, Aimed, Tried } from "../api/trialTypes";
import { paramLabel, setParam } from "../state/editing";
import { edit } from "../state/edits";
import { compare } from "../state/listening";
import { kindInfo, paramInfo, useBench } from "../state/store";
import { usePassageChoice } from "../state/usePassageChoice";
import { useSurvey } from "../state/useSurvey";
import { formatDb } from "../ui/format";

const AIMS: { value: Aim; label: string; unit: string; usual: number }[] = [
  { value: "integrated_lufs", label: "loudness of the whole", unit: "LUFS", usual: -14 },
  { value: "max_short_term_lufs", label: "loudest 3 s", unit: "LUFS", usual: -12 },
  { value: "max_momentary_lufs", label: "loudest 0.4 s", unit: "LUFS", usual: -10 },
  { value: "true_peak_dbtp", label: "true peak", unit: "dBTP", usual: -1 },
];
const ASK_MS = 300;
const settled = (tried: Tried<unknown> | undefined) =>
  tried !== undefined && tried.state !== "waiting" && tried.state !== "running";

/** Sets a stage's level so that song, loop or section measures a target: tried first, with what it costs, then done. */
export function SetLevel({ stage }: { stage: Stage }) {
  const [open, setOpen] = useState(false);
  if (!kindInfo(stage.kind)?.level) return null;
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="plain whitespace-nowrap">Set loudness …</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Set the level"
          className="menu w-[330px] p-3!"
          side="bottom"
          align="start"
          sideOffset={4}
        >
          <Asking stage={stage} close={() => setOpen(false)} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Asking({ stage, close }: { stage: Stage; close: () => void }) {
  const song = useBench((s) => s.song)!;
  const passage = usePassageChoice();
  const revision = useBench((s) => s.revision?.id ?? 0);
  const saved = useBench((s) => s.saved === "saved");
  const survey = useSurvey();
  const [aim, setAim] = useState(AIMS[0]!);
  const [target, setTarget] = useState(String(aim.usual));
  const [asked, setAsked] = useState<{ aim: Aim; target: number; from: number; to: number } | null>(null);
  const { data, error } = useQuery({
    queryKey: ["aim", song.id, revision, stage.id, asked],
    queryFn: () => api.aim(song.id, stage.id, asked!.aim, asked!.target, asked!.from, asked!.to),
    enabled: asked !== null && saved,
    refetchInterval: ({ state }) => (state.error || settled(state.data) ? false : ASK_MS),
    retry: false,
    staleTime: Infinity,
  });
  const number = Number(target.replace(",", ".").replace("−", "-"));
  const fits = target.trim() !== "" && Number.isFinite(number) && number >= -60 && number <= 0;
  const problem = error?.message ?? data?.problem;
  const before = survey?.measures?.[aim.value];
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        const [from, to] = passage.span;
        if (fits) setAsked({ aim: aim.value, target: number, from, to });
      }}
    >
      <div className="flex items-center gap-2">
        <select
          aria-label="What is measured"
          className="min-w-0 flex-1 border border-line bg-well px-1 py-[3px]"
          value={aim.value}
          onChange={({ target: chosen }) => {
            const next = AIMS.find(({ value }) => value === chosen.value)!;
            setAim(next);
            setTarget(String(next.usual));
            setAsked(null);
          }}
        >
          {AIMS.map(({ value, label }) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </select>
        <input
          aria-label="Target"
          aria-invalid={!fits}
          className="w-[62px] border border-line bg-well px-2 py-[3px] text-right"
          value={target}
          onChange={(event) => {
            setTarget(event.target.value);
            setAsked(null);
          }}
        />
        <span className="w-[34px]">{aim.unit}</span>
        <button type="submit" className="strong" disabled={!fits}>
          try
        </button>
      </div>
      <label className="mt-2 flex items-center gap-2">
        of
        <select
          aria-label="Passage"
          className="min-w-0 flex-1 border border-line bg-well px-1 py-[3px]"
          value={passage.where}
          onChange={({ target: chosen }) => {
            passage.setWhere(chosen.value);
            setAsked(null);
          }}
        >
          {passage.options.map(({ value, label }) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </select>
      </label>
      <p className="cap mt-1">
        {fits ? "" : "−60 to 0 are allowed. "}
        {passage.where === "song" ? `the song has ${formatDb(before, false, ` ${aim.unit}`)} now; ` : ""}
        nothing changes before you set it
      </p>
      {asked && !settled(data) && !problem && (
        <div className="mt-2" role="status">
          <span className="text-mute">trying it on {passage.name} …</span>
          <div className="mt-1 h-[3px] bg-faint">
            <div className="h-full bg-rim" style={{ width: `${100 * (data?.progress ?? 0)}%` }} />
          </div>
        </div>
      )}
      {asked && problem && (
        <p role="alert" className="mt-2 text-copper">
          {problem}
        </p>
      )}
      {asked && data?.found && <Found stage={stage} found={data.found} unit={aim} close={close} />}
    </form>
  );
}

function Found(props: { stage: Stage; found: Aimed; unit: (typeof AIMS)[number]; close: () => void }) {
  const { stage, found } = props;
  const set = () => {
    const { recipe } = useBench.getState();
    const param = paramInfo(stage.kind, found.param);
    if (!recipe || !param) return;
    const gain = found.after.gain_db;
    const title = kindInfo(stage.kind)?.title ?? "";
    edit(
      setParam(recipe, stage.id, found.param, gain),
      `${paramLabel(title, param, gain)}, for ${formatDb(found.after.measures[props.unit.value], false, ` ${props.unit.unit}`)}`,
      true,
    );
    compare("now");
    props.close();
  };
  return (
    <>
      <table className="mt-2 w-full text-left" aria-label="Before and after">
        <thead className="cap">
          <tr>
            <th className="font-[500]">{kindInfo(stage.kind)?.title}</th>
            <th className="font-[500]">now, {formatDb(found.before.gain_db, true)}</th>
            <th className="font-[500]">then, {formatDb(found.after.gain_db, true)}</th>
          </tr>
        </thead>
        <tbody>
          {AIMS.map(({ value, label, unit }) => (
            <tr key={value} className="border-t border-faint">
              <td className="py-[1px]">{label}</td>
              <td>{formatDb(found.before.measures[value], false, ` ${unit}`)}</td>
              <td className="font-[620]">{formatDb(found.after.measures[value], false, ` ${unit}`)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className={`my-2 select-text ${found.reached ? "" : "text-copper"}`}>{found.words}.</p>
      <button type="button" className="strong w-full" onClick={set}>
        Set {formatDb(found.after.gain_db, true)}
      </button>
    </>
  );
}
