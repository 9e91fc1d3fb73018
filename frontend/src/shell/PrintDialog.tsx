import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { api } from "../api/client";
import type { Print, PrintSettings, Tail } from "../api/types";
import { formatDb, formatTime, formatMoment } from "../ui/format";
import { Choice } from "../ui/Choice";
import { InlineNumber } from "../ui/InlineNumber";
import { Segments } from "../ui/Segments";
import { rest } from "../state/saving";
import { useBench } from "../state/store";

const FORMATS = (["wav", "flac", "aiff"] as const).map((value) => ({ value, label: value.toUpperCase() }));
const RATES = ["own", "44100", "48000", "88200", "96000"];
const DITHERS = [
  { value: "tpdf", label: "flat" },
  { value: "shaped", label: "shaped" },
  { value: "none", label: "none" },
] as const;

/** Print the song as it stands, and the prints made so far. */
export function PrintDialog() {
  const [open, setOpen] = useState(false);
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(next) => {
        rest();
        setOpen(next);
      }}
    >
      <Dialog.Trigger className="bg-enamel px-3 py-1 font-semibold text-rim hover:bg-well">
        Print
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[70px] left-1/2 z-30 max-h-[calc(100vh-100px)] w-[640px] max-w-[94vw] -translate-x-1/2 overflow-y-auto border border-rim bg-enamel p-5"
        >
          <div className="flex items-center justify-between">
            <Dialog.Title className="text-[16px] font-[680]">Print the song as it stands</Dialog.Title>
            <Dialog.Close
              className="px-2 text-[18px] leading-none text-mute hover:text-copper"
              aria-label="Close"
            >
              ×
            </Dialog.Close>
          </div>
          <Order />
          <Prints />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Order() {
  const song = useBench((s) => s.song)!;
  const saved = useBench((s) => s.saved);
  const recipe = useBench((s) => s.recipe)!;
  const client = useQueryClient();
  const revision = useBench((s) => s.revision);
  // until it is chosen, the tail is the usual one of the song as it stands
  const [settings, setSettings] = useState<Omit<PrintSettings, "tail"> & { tail: Tail | null }>({
    format: "wav",
    bits: "24",
    dither: "tpdf",
    rate_hz: null,
    band_limit: false,
    tail: null,
    part: "master",
  });
  const { data: rings } = useQuery({
    queryKey: ["tail", song.id, revision?.id],
    queryFn: () => api.tail(song.id),
  });
  const tail = settings.tail ?? rings?.usual ?? "none";
  const set = (fields: Partial<typeof settings>) =>
    setSettings((before) => {
      const next = { ...before, ...fields };
      return next.format === "flac" && next.bits === "32f" ? { ...next, bits: "24" } : next;
    });
  const print = useMutation({
    mutationFn: () =>
      api.print(song.id, { ...settings, tail, dither: settings.bits === "32f" ? null : settings.dither }),
    onSettled: () => client.invalidateQueries({ queryKey: ["prints", song.id] }),
  });
  const everyBus = useMutation({
    mutationFn: async () => {
      for (const { id } of recipe.buses) await api.print(song.id, { ...settings, tail, part: id });
    },
    onSettled: () => client.invalidateQueries({ queryKey: ["prints", song.id] }),
  });
  const bits = [
    { value: "16", label: "16 bits" },
    { value: "24", label: "24 bits" },
    { value: "32f", label: "32 float", disabled: settings.format === "flac" },
  ] as const;
  const rates = RATES.map((value) => ({
    value,
    label: value === "own" ? `${song.rate_hz / 1000} kHz, its own` : String(Number(value) / 1000),
  })).filter(({ value }) => value !== String(song.rate_hz));
  const parts = [
    { value: "master", label: "the song, through the master" },
    ...[...recipe.buses, ...recipe.groups].map(({ id, name }) => ({
      value: id,
      label: `${name || id} alone`,
    })),
  ];
  return (
    <div className="mt-4 grid grid-cols-[86px_1fr] items-center gap-y-[9px]">
      {recipe.buses.length > 1 && (
        <>
          <span>What</span>
          <Choice label="What" value={settings.part} options={parts} onChange={(part) => set({ part })} />
        </>
      )}
      <span>Format</span>
      <Segments
        label="Format"
        value={settings.format}
        options={FORMATS}
        onChange={(format) => set({ format })}
      />
      <span>Depth</span>
      <Segments
        label="Depth"
        value={settings.bits}
        options={bits}
        onChange={(value) => set({ bits: value })}
      />
      {settings.bits !== "32f" && (
        <>
          <span>Dither</span>
          <Segments
            label="Dither"
            value={settings.dither ?? "tpdf"}
            options={DITHERS}
            onChange={(dither) => set({ dither })}
          />
        </>
      )}
      <span>Rate</span>
      <Segments
        label="Rate"
        value={settings.rate_hz === null ? "own" : String(settings.rate_hz)}
        options={rates}
        onChange={(rate) => set({ rate_hz: rate === "own" ? null : Number(rate) })}
      />
      <span>Top</span>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-rim"
          checked={settings.band_limit}
          onChange={(event) => set({ band_limit: event.target.checked })}
        />
        leave out what lies above 20.6 kHz, so that every true-peak meter agrees
      </label>
      <span>Tail</span>
      <div className="flex items-center gap-2">
        <Segments
          label="Tail"
          value={typeof tail === "number" ? "seconds" : tail}
          options={[
            { value: "none", label: "none" },
            { value: "auto", label: `auto${rings ? `, ${rings.seconds} s` : ""}` },
            { value: "seconds", label: "seconds" },
          ]}
          onChange={(chosen) => set({ tail: chosen === "seconds" ? Math.ceil(rings?.seconds || 1) : chosen })}
        />
        {typeof tail === "number" && (
          <InlineNumber
            label="Tail in seconds"
            className="w-[70px]"
            value={tail}
            unit="s"
            low={0}
            high={600}
            step={0.5}
            onValue={(seconds) => set({ tail: seconds })}
          />
        )}
      </div>
      <span />
      <div className="flex items-center gap-3">
        <button
          type="button"
          className="strong"
          disabled={print.isPending || saved !== "saved"}
          onClick={() => print.mutate()}
        >
          Print
        </button>
        {recipe.buses.length > 1 && (
          <button
            type="button"
            className="plain"
            disabled={print.isPending || saved !== "saved"}
            onClick={() => everyBus.mutate()}
          >
            Print every bus
          </button>
        )}
        {print.error && (
          <span role="alert" className="text-copper">
            {print.error.message}
          </span>
        )}
      </div>
    </div>
  );
}

function Prints() {
  const song = useBench((s) => s.song)!;
  const { data: prints } = useQuery({
    queryKey: ["prints", song.id],
    queryFn: () => api.prints(song.id),
    refetchInterval: ({ state }) => (state.data?.some((print) => print.state === "running") ? 300 : false),
  });
  if (!prints?.length) return null;
  return (
    <ul aria-label="Prints" className="mt-5 border-t border-line">
      {prints.map((print) => (
        <PrintRow key={print.id} print={print} />
      ))}
    </ul>
  );
}

function PrintRow({ print }: { print: Print }) {
  const client = useQueryClient();
  const stop = useMutation({
    mutationFn: () => api.stopPrint(print.id),
    onSettled: () => client.invalidateQueries({ queryKey: ["prints", print.song_id] }),
  });
  const m = print.measures;
  return (
    <li className="border-b border-faint py-2" data-print={print.id} data-state={print.state}>
      <div className="flex items-center gap-3">
        <b className="font-[640]">{print.file_name}</b>
        <span className="cap">{formatMoment(print.made_at)}</span>
        <span className="ml-auto">
          {print.state === "done" && (
            <a
              className="strong inline-block"
              href={`/api/prints/${print.id}/file`}
              download={print.file_name}
            >
              Download
            </a>
          )}
          {print.state === "running" && (
            <button type="button" className="plain" onClick={() => stop.mutate()}>
              Stop
            </button>
          )}
          {print.state === "stopped" && <span className="text-mute">stopped</span>}
        </span>
      </div>
      {print.state === "running" && (
        <div
          role="progressbar"
          aria-label={`Printing ${print.file_name}`}
          aria-valuenow={Math.round(print.progress * 100)}
          className="mt-2 h-[5px] bg-trough"
        >
          <div className="h-full bg-rim" style={{ width: `${print.progress * 100}%` }} />
        </div>
      )}
      {print.state === "failed" && (
        <p role="alert" className="text-copper">
          {print.problem}
        </p>
      )}
      {m && (
        <dl className="mt-1 flex flex-wrap gap-x-5">
          <Measure name="loudness" value={formatDb(m.integrated_lufs, false, " LUFS")} />
          <Measure name="loudness range" value={formatDb(m.loudness_range_lu, false, " LU")} />
          <Measure name="true peak" value={m.true_peak_dbtp.toFixed(2).replace("-", "−") + " dBTP"} />
          <Measure name="mono loss" value={formatDb(m.mono_loss_lu, false, " LU")} />
          <Measure name="length" value={formatTime(m.duration_s, 2)} />
          <Measure name="rate" value={`${m.rate_hz / 1000} kHz`} />
          {print.clipped ? (
            <Measure name="clipped in print" value={`${print.clipped} samples`} tone="text-copper" />
          ) : null}
        </dl>
      )}
    </li>
  );
}

function Measure({ name, value, tone = "" }: { name: string; value: string; tone?: string }) {
  return (
    <div>
      <dt className="cap">{name}</dt>
      <dd className={`font-[640] ${tone}`}>{value}</dd>
    </div>
  );
}
