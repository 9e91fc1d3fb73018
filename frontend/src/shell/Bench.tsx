import { useEffect } from "react";
import { Chain } from "../chain/Chain";
import { Gauges } from "../gauges/Gauges";
import { ListeningBar } from "../listening/ListeningBar";
import { SongMap } from "../songmap/SongMap";
import { StageEditor } from "../stages/StageEditor";
import { Header } from "./Header";
import { obeyBeforeLists, obeyKey } from "./keys";
import { Notice } from "./Notice";
import { watchHand } from "../state/automationRecording";
import { saveLeaving } from "../state/saving";

export function Bench() {
  useEffect(() => {
    window.addEventListener("keydown", obeyBeforeLists, true);
    window.addEventListener("keydown", obeyKey);
    window.addEventListener("pagehide", saveLeaving);
    const unwatch = watchHand();
    return () => {
      window.removeEventListener("keydown", obeyBeforeLists, true);
      window.removeEventListener("keydown", obeyKey);
      window.removeEventListener("pagehide", saveLeaving);
      unwatch();
    };
  }, []);
  return (
    <main className="grid h-full grid-rows-[38px_auto_minmax(0,1fr)_76px]">
      <Header />
      <SongMap />
      <div className="grid min-h-0 grid-cols-[252px_minmax(0,1fr)_232px] max-[1100px]:grid-cols-[212px_minmax(0,1fr)_220px]">
        <Chain />
        <StageEditor />
        <Gauges />
      </div>
      <ListeningBar />
      <Notice />
    </main>
  );
}
