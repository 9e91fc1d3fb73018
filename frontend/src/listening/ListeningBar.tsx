import { CompareKeys } from "./CompareKeys";
import { NowPlaying } from "./NowPlaying";
import { Monitor } from "./Monitor";
import { Transport } from "./Transport";
import { MonitorChoices } from "./MonitorChoices";

/** How the bench is heard; nothing here is ever part of the print. */
export function ListeningBar() {
  return (
    <section
      aria-label="Listening"
      className="grid grid-cols-[minmax(0,1fr)] grid-rows-[52px_20px] overflow-hidden border-t border-line bg-bar px-[14px]"
    >
      <div className="flex items-center gap-3 max-[1100px]:gap-2">
        <Transport />
        <CompareKeys />
        <div className="ml-auto flex shrink-0 items-end gap-3 max-[1100px]:gap-2">
          <MonitorChoices />
          <Monitor />
        </div>
      </div>
      <NowPlaying />
    </section>
  );
}
