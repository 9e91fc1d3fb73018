import { useLayoutEffect, useRef, useState } from "react";
import type { Param, Point, Recipe } from "../api/types";
import { edit } from "../state/edits";
import { useRiding } from "../state/automationRecording";
import { useBench } from "../state/store";
import { alike, AT_BORDER, rowsOf, withRow } from "../tree/sectionTable";
import type { SectionRow, Way } from "../tree/sectionTable";
import { rideOf, withRide } from "../tree/valueCurve";
import { declaredAt } from "../tree/declarations";
import { useLiveReadings } from "../state/useLiveReadings";
import { Choice } from "../ui/Choice";
import { parseValue, tellValue } from "../ui/format";
import { stepped } from "../ui/scale";
import { barSeconds, useGrid } from "./useGrid";

type Value = Point["value"];
const RAMPS: { value: Way["ramp"]; label: string }[] = [
  { value: "hold", label: "step" },
  { value: "line", label: "linear" },
  { value: "smooth", label: "smooth" },
];
const SECONDS = [0.5, 1, 2, 4, 8];
const BARS = [0.5, 1, 2, 4];
const TOP_PX = 44;
const LEAST_PX = 170;

/** A value section by section, and how it gets there, in place of what the stage editor shows. */
export function SectionTable() {
  const table = useRiding((s) => s.table);
  return table && <Found table={table} />;
}

function Found({ table }: { table: { target: string; param: string } }) {
  const recipe = useBench((s) => s.recipe)!;
  const stages = useBench((s) => s.stages)!;
  const found = declaredAt(stages, recipe, table.target, table.param);
  if (!found) return null;
  return (
    <Table
      key={`${table.target} ${table.param}`}
      target={table.target}
      path={table.param}
      title={found.title}
      about={found.param}
      resting={found.value}
      recipe={recipe}
    />
  );
}

interface Props {
  target: string;
  path: string;
  title: string;
  about: Param;
  /** what the value is where it is not ridden */
  resting: Value;
  recipe: Recipe;
}

function Table({ target, path, title, about, resting, recipe }: Props) {
  const { sections } = recipe;
  const log = about.scale === "log";
  const points = rideOf(recipe, target, path)?.points ?? [];
  const rows = rowsOf(points, sections, resting, log);
  const grid = useGrid();
  const rateHz = useBench((s) => s.song!.rate_hz);
  const [all, setAll] = useState(false);
  const at = useLiveReadings((heard) => {
    const seconds = (heard?.song ?? -1) / rateHz;
    return sections.findIndex((s) => s.start_s <= seconds && seconds < s.end_s);
  });

  const panel = useRef<HTMLElement>(null);
  const [tallest, setTallest] = useState(LEAST_PX);
  // the rules below stay in sight: one hears what one sets there as well
  useLayoutEffect(() => {
    const editor = panel.current?.parentElement;
    const rules = editor?.querySelector<HTMLElement>("[data-controls]");
    if (!editor || !rules) return;
    const fit = () =>
      setTallest(
        Math.max(
          LEAST_PX,
          rules.getBoundingClientRect().top - editor.getBoundingClientRect().top - TOP_PX - 4,
        ),
      );
    fit();
    const observer = new ResizeObserver(fit);
    observer.observe(editor);
    return () => observer.disconnect();
  }, []);

  const change = ({ section }: SectionRow, row: { value: Value; way: Way } | null) => {
    const { recipe: present } = useBench.getState();
    if (!present) return;
    const named = all ? alike(sections, section) : [section];
    let ride = rideOf(present, target, path) ?? { target, param: path, points: [] };
    for (const { id } of named) ride = withRow(ride, sections, resting, id, row, log);
    const where = named.length > 1 ? `${named.length} sections` : section.name;
    const words = row ? tellValue(about, row.value) : "as previous";
    edit(withRide(present, ride), `${title}: ${about.label.toLowerCase()} ${words} in ${where}`, true);
  };
  const close = () => useRiding.setState({ table: null });

  return (
    <section
      ref={panel}
      aria-label={`${about.label} by section`}
      style={{ top: TOP_PX, maxHeight: tallest }}
      className="absolute right-[14px] z-20 flex w-[452px] flex-col border border-line bg-well max-[1100px]:w-[430px]"
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        event.stopPropagation();
        close();
      }}
    >
      <header className="flex items-baseline gap-3 border-b border-faint px-3 py-[5px]">
        <b className="font-[650]">{about.label} by section</b>
        <span className="cap mr-auto">{title}</span>
        <label className="flex items-center gap-1 text-[11.5px]">
          <input
            type="checkbox"
            className="accent-rim"
            checked={all}
            onChange={(event) => setAll(event.target.checked)}
          />
          sections of one name alike
        </label>
        <button
          type="button"
          aria-label="Close the table"
          className="text-[15px] leading-none text-mute hover:text-copper"
          onClick={close}
        >
          ×
        </button>
      </header>
      {rows.length === 0 ? (
        <p className="px-3 py-2 text-mute">
          The song has no sections yet: the map proposes some from the music. Without them the value is ridden
          by hand, or point by point on its lane.
        </p>
      ) : (
        <ol className="min-h-0 overflow-y-auto">
          {rows.map((row, index) => (
            <Row
              key={row.section.id}
              row={row}
              about={about}
              now={index === at}
              barS={grid ? barSeconds(grid) : null}
              focused={index === Math.max(0, at)}
              onChange={(next) => change(row, next)}
            />
          ))}
        </ol>
      )}
      {points.length > 0 && (
        <footer className="flex items-center gap-2 border-t border-faint px-3 py-[5px]">
          <span className="cap mr-auto">a click on a value types it; arrows move it</span>
          <button
            type="button"
            className="plain"
            onClick={() => {
              const { recipe: present } = useBench.getState();
              const ride = present && rideOf(present, target, path);
              if (ride)
                edit(withRide(present, { ...ride, points: [] }), `${title}: ${about.label} rests`, true);
            }}
          >
            Replace by {tellValue(about, resting)}
          </button>
        </footer>
      )}
    </section>
  );
}

interface RowProps {
  row: SectionRow;
  about: Param;
  /** whether the song is heard there */
  now: boolean;
  /** length of a bar; null where the song keeps none */
  barS: number | null;
  focused: boolean;
  onChange: (row: { value: Value; way: Way } | null) => void;
}

function Row({ row, about, now, barS, focused, onChange }: RowProps) {
  const { section, value, way, from } = row;
  const name = section.name || section.id;
  const shown = value ?? from;
  const set = (next: Value) => onChange({ value: next, way });
  const travel = (next: Partial<Way>) => onChange({ value: shown, way: { ...way, ...next } });
  const length = way.seconds === "section" ? "section" : String(way.seconds);
  const lengths = lengthsFor(way, barS);
  return (
    <li className={`flex min-h-[25px] items-center gap-2 border-b border-faint px-3 ${now ? "bg-rim2" : ""}`}>
      <span className="w-[78px] shrink-0 truncate" title={name}>
        {name}
      </span>
      <span className="flex w-[112px] shrink-0 items-center gap-1">
        {value !== null && way.ramp !== "hold" && (
          <span className="text-mute">{tellValue(about, from)} →</span>
        )}
        <ValueField
          about={about}
          value={shown}
          quiet={value === null}
          name={name}
          focused={focused}
          onChange={set}
        />
      </span>
      {value === null ? (
        <span className="cap">as previous</span>
      ) : (
        <span className="flex min-w-0 flex-1 items-center gap-1 [&_button]:min-w-0! [&_button]:px-[5px]! [&_button]:py-0!">
          {typeof shown === "number" ? (
            <Choice
              label={`How ${name} is reached`}
              value={way.ramp}
              options={RAMPS}
              onChange={(ramp) =>
                travel(
                  ramp === "hold"
                    ? AT_BORDER
                    : {
                        ramp: ramp as Way["ramp"],
                        ...(way.ramp === "hold" ? { seconds: "section" as const } : {}),
                      },
                )
              }
            />
          ) : (
            <span className="cap">step</span>
          )}
          {way.ramp !== "hold" && (
            <Choice
              label={`How long it takes to reach ${name}`}
              value={length}
              options={lengths}
              onChange={(next) =>
                travel(next === "section" ? { seconds: "section", before: false } : { seconds: Number(next) })
              }
            />
          )}
          {way.ramp !== "hold" && way.seconds !== "section" && (
            <Choice
              label={`Where the way to ${name} begins`}
              value={way.before ? "before" : "from"}
              options={[
                { value: "from", label: "from it on" },
                { value: "before", label: "before it" },
              ]}
              onChange={(next) => travel({ before: next === "before" })}
            />
          )}
          <button
            type="button"
            aria-label={`${name} as previous`}
            title="As the section before"
            className="ml-auto text-[14px] leading-none text-mute hover:text-copper"
            onClick={() => onChange(null)}
          >
            ×
          </button>
        </span>
      )}
      {row.byHand && <span className="cap">by hand</span>}
    </li>
  );
}

/** Lengths to choose from, in seconds and, where the song keeps bars, in those. */
function lengthsFor({ seconds }: Way, barS: number | null): { value: string; label: string }[] {
  const bars = barS
    ? BARS.map((count) => ({
        value: String(Number((count * barS).toFixed(4))),
        label: count === 1 ? "1 bar" : `${count} bars`,
      }))
    : [];
  const plain = SECONDS.map((length) => ({ value: String(length), label: `${length} s` }));
  const listed = [{ value: "section", label: "the section" }, ...plain, ...bars];
  const own = seconds === "section" || seconds === 0 || listed.some(({ value }) => value === String(seconds));
  return own ? listed : [...listed, { value: String(seconds), label: `${seconds.toFixed(2)} s` }];
}

interface FieldProps {
  about: Param;
  value: Value;
  quiet: boolean;
  name: string;
  focused: boolean;
  onChange: (value: Value) => void;
}

/** A value of the table: typed, or moved by arrows; a switch goes over at a click, a choice goes on to the next. */
function ValueField({ about, value, quiet, name, focused, onChange }: FieldProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const [wrong, setWrong] = useState(false);
  const scaled = { low: about.low ?? 0, high: about.high ?? 1, scale: about.scale };
  const end = () => {
    setTyped(null);
    setWrong(false);
  };
  if (typed !== null)
    return (
      <input
        autoFocus
        aria-label={`${about.label} in ${name}, typed`}
        aria-invalid={wrong}
        title={wrong ? `${tellValue(about, scaled.low)} to ${tellValue(about, scaled.high)}` : undefined}
        className={`w-[64px] border bg-well px-1 ${wrong ? "border-copper text-copper" : "border-rim"}`}
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value);
          setWrong(false);
        }}
        onBlur={end}
        onFocus={({ target }) => target.setSelectionRange(target.value.length, target.value.length)}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Escape") end();
          if (event.key !== "Enter") return;
          const number = parseValue(about, typed);
          if (number === null || number < scaled.low || number > scaled.high) setWrong(true);
          else {
            onChange(number);
            end();
          }
        }}
      />
    );
  const next = () => {
    if (typeof value === "boolean") onChange(!value);
    else if (typeof value === "string") {
      const { choices } = about;
      onChange(String(choices[(choices.indexOf(value) + 1) % choices.length]));
    } else setTyped("");
  };
  return (
    <button
      type="button"
      autoFocus={focused}
      aria-label={`${about.label} in ${name}: ${tellValue(about, value)}`}
      className={`min-w-[48px] border border-transparent px-1 text-left hover:border-line ${quiet ? "text-mute" : "font-[620]"}`}
      onClick={next}
      onKeyDown={(event) => {
        const step = { ArrowUp: 1, ArrowDown: -1 }[event.key];
        const rows = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
        if (typeof value === "number" && step)
          onChange(stepped(scaled, value, step, event.shiftKey ? "fine" : "plain"));
        else if (
          typeof value === "number" &&
          /^[0-9.,+−-]$/.test(event.key) &&
          !event.ctrlKey &&
          !event.metaKey
        )
          setTyped(event.key);
        else if (step && typeof value !== "number") next();
        else if (!rows) return;
        event.preventDefault();
        event.stopPropagation();
      }}
    >
      {tellValue(about, value)}
    </button>
  );
}
