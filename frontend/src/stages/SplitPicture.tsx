import type { Stage } from "../api/types";
import { useBench } from "../bench/store";
import { BranchSolo } from "../chain/BranchSolo";
import { branchesOf } from "../tree/tree";
import { formatDb } from "../ui/format";

const percent = (share: number) => `${Math.round(share * 100)} %`;

function place(pan: number): string {
  if (pan === 0) return "middle";
  return `${percent(Math.abs(pan))} ${pan > 0 ? "right" : "left"}`;
}

/** What a split divides the sound into: a row a branch. */
export function SplitPicture({ stage }: { stage: Extract<Stage, { kind: "split" }> }) {
  const summary = useBench((s) => s.described[stage.id]?.summary);
  return (
    <div className="overflow-y-auto border border-line bg-well p-3">
      <p className="pb-2 text-[14px] font-[620] text-rim">{summary}</p>
      <table className="w-full text-left">
        <thead>
          <tr className="cap border-b border-line">
            <th className="py-1 font-normal">branch</th>
            <th className="font-normal">heard</th>
            <th className="font-normal">level</th>
            <th className="font-normal">pan</th>
            <th className="font-normal">width</th>
          </tr>
        </thead>
        <tbody>
          {branchesOf(stage).map((branch) => (
            <tr key={branch.id} className="border-b border-faint">
              <td className="py-[7px]">
                <b className="font-[640]">{branch.name || branch.id}</b>
                <span className="block text-[11px] text-mute">
                  {branch.chain.length === 0
                    ? "no stage"
                    : branch.chain.length === 1
                      ? "1 stage"
                      : `${branch.chain.length} stages`}
                </span>
              </td>
              <td>
                <BranchSolo id={branch.id} name={branch.name || branch.id} />
              </td>
              <td className="figure">{branch.muted ? "muted" : formatDb(branch.gain_db)}</td>
              <td>{place(branch.pan)}</td>
              <td>{percent(branch.width)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
