import { useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { api } from "../api/client";
import type { Finding } from "../api/types";
import { settle } from "../state/saving";
import { compare, seek, setLoop } from "../state/listening";
import { complain, useBench } from "../state/store";
import { formatTime } from "../ui/format";

const LOOP_S = { before: 1, whole: 4 };

/** Something that was found in the song: a click goes there, and tells why and what may be tried. */
export function FindingRow({ finding, settled }: { finding: Finding; settled: boolean }) {
  const song = useBench((s) => s.song)!;
  const client = useQueryClient();
  const go = () => finding.at_s !== null && seek((finding.at_s - 1) * song.rate_hz);
  /** The moment again and again, so that before and after can be told apart. */
  const loopAround = () => {
    if (finding.at_s === null) return;
    const from = Math.max(0, (finding.at_s - LOOP_S.before) * song.rate_hz);
    setLoop([Math.round(from), Math.min(song.frames, Math.round(from + LOOP_S.whole * song.rate_hz))]);
  };
  const attempt = async () => {
    try {
      await settle();
      const version = await api.tryFix(song.id, finding.id);
      await client.invalidateQueries({ queryKey: ["versions", song.id] });
      go();
      loopAround();
      compare(`version:${version.id}`);
      useBench.setState({
        said: `“${version.name}” is a version now, heard at equal loudness. Key 2 is now.`,
      });
    } catch (refused) {
      complain(refused);
    }
  };
  const dismiss = () =>
    api
      .dismiss(song.id, finding.id)
      .then(() => client.invalidateQueries({ queryKey: ["survey", song.id] }))
      .catch(complain);
  return (
    <Popover.Root>
      <div className="flex items-baseline gap-2 py-[1px] hover:bg-rim2">
        <Popover.Trigger
          className="min-w-0 flex-1 truncate text-left leading-[1.5] [font-stretch:88%]"
          data-finding={finding.id}
          onClick={go}
        >
          <b className="font-[650] text-copper">
            {finding.at_s === null ? "song" : formatTime(finding.at_s)}
          </b>{" "}
          {finding.title}
        </Popover.Trigger>
        {finding.fix && (
          <button
            type="button"
            aria-label={`Try: ${finding.fix}`}
            title={settled ? `Try: ${finding.fix}` : "The song is being surveyed anew"}
            className="shrink-0 px-1 font-[620] text-rim hover:underline disabled:opacity-50"
            disabled={!settled}
            onClick={() => void attempt()}
          >
            Try
          </button>
        )}
      </div>
      <Popover.Portal>
        <Popover.Content className="menu w-[300px] p-3!" side="left" align="start" sideOffset={6}>
          <b className="font-[650]">{finding.title}</b>
          <p className="mt-1 select-text">{finding.says}</p>
          <div className="mt-3 flex flex-wrap gap-2">
            {finding.fix && <p className="w-full text-mute">Try: {finding.fix}.</p>}
            <Popover.Close asChild>
              <button type="button" className="plain" onClick={() => void dismiss()}>
                Dismiss
              </button>
            </Popover.Close>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
