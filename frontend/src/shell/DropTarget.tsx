import { useEffect, useState } from "react";
import { importFiles, useImporting } from "../state/importing";

/** A file may be dropped anywhere, also where there is no song yet. */
export function DropTarget() {
  const { name, sent } = useImporting();
  const [over, setOver] = useState(false);
  useEffect(() => {
    const hover = (event: DragEvent) => {
      if (!event.dataTransfer?.types.includes("Files")) return;
      event.preventDefault();
      setOver(true);
    };
    const leave = (event: DragEvent) => {
      if (event.relatedTarget === null) setOver(false);
    };
    const drop = (event: DragEvent) => {
      const files = [...(event.dataTransfer?.files ?? [])];
      setOver(false);
      if (!files.length) return;
      event.preventDefault();
      void importFiles(files);
    };
    window.addEventListener("dragover", hover);
    window.addEventListener("dragleave", leave);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", hover);
      window.removeEventListener("dragleave", leave);
      window.removeEventListener("drop", drop);
    };
  }, []);
  if (!over && name === null) return null;
  return (
    <div className="fixed inset-0 z-40 grid place-items-center bg-rim/25">
      <div role="status" className="w-[380px] border-2 border-rim bg-well p-5 text-center text-[14px]">
        {name === null ? (
          "Drop a pre-master, or all buses of a song: WAV, FLAC, AIFF or OGG"
        ) : (
          <>
            {sent < 1 ? `Bringing ${name} · ${Math.round(sent * 100)} %` : `Looking through ${name} …`}
            <div className="mt-3 h-[5px] bg-trough">
              <div className="h-full bg-rim" style={{ width: `${sent * 100}%` }} />
            </div>
          </>
        )}
      </div>
    </div>
  );
}
