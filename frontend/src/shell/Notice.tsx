import { keepMine, leaveUnkept, takeTheirs, takeUp } from "../state/edits";
import { useImporting } from "../state/importing";
import { complain, useBench } from "../state/store";
import { formatMoment } from "../ui/format";

/** What went wrong, and the remedy; it stays until it is read. */
export function Notice() {
  const problem = useBench((s) => s.problem);
  const refused = useImporting((s) => s.problem);
  const said = useBench((s) => s.said);
  const conflict = useBench((s) => s.conflict);
  const unkept = useBench((s) => s.unkept);
  const left = unkept && `Edits of ${formatMoment(new Date(unkept.at))} were not kept.`;
  const text = problem ?? refused ?? left ?? said;
  if (!text) return null;
  const bad = problem !== null || refused !== null;
  return (
    <div
      role={bad ? "alert" : "status"}
      className={`fixed bottom-[88px] left-1/2 z-40 flex max-w-[720px] -translate-x-1/2 items-start gap-4 border-2 bg-well px-4 py-3 ${bad ? "border-copper" : "border-green"}`}
    >
      <span className="select-text">{text}</span>
      {conflict && (
        <span className="flex shrink-0 gap-2">
          <button type="button" className="strong" onClick={() => void keepMine()}>
            Keep mine as a version
          </button>
          <button type="button" className="plain" onClick={() => void takeTheirs().catch(complain)}>
            Take theirs
          </button>
        </span>
      )}
      {unkept && text === left && (
        <span className="flex shrink-0 gap-2">
          <button type="button" className="strong" onClick={takeUp}>
            Take them up
          </button>
          <button type="button" className="plain" onClick={leaveUnkept}>
            Leave them
          </button>
        </span>
      )}
      <button
        type="button"
        aria-label="Dismiss"
        className="text-[16px] leading-none text-mute hover:text-copper"
        onClick={() => {
          useBench.setState({ problem: null, said: null });
          useImporting.setState({ problem: null });
        }}
      >
        ×
      </button>
    </div>
  );
}
