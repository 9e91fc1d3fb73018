import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { useBench } from "../state/store";
import { Glossary } from "./Glossary";
import { setLetters } from "./keys";
import { KEYS } from "./keyTable";

const GROUPS = [...new Set(KEYS.map((action) => action.group))];

/** All keys on one sheet. */
export function Shortcuts() {
  const [open, setOpen] = useState(false);
  const letters = useBench((s) => s.letters);
  useEffect(() => {
    const ask = (event: KeyboardEvent) => {
      if (event.key === "?" && !(event.target instanceof HTMLInputElement)) setOpen((before) => !before);
    };
    window.addEventListener("keydown", ask);
    return () => window.removeEventListener("keydown", ask);
  }, []);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger className="px-2 py-1 hover:bg-white/15">Shortcuts ?</Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-30 max-h-[90vh] w-[820px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 overflow-y-auto border border-rim bg-enamel p-5"
        >
          <div className="flex items-center justify-between">
            <Dialog.Title className="text-[16px] font-[680]">Shortcuts</Dialog.Title>
            <Dialog.Close
              className="px-2 text-[18px] leading-none text-mute hover:text-copper"
              aria-label="Close"
            >
              ×
            </Dialog.Close>
          </div>
          <div className="mt-3 columns-2 gap-8">
            {GROUPS.map((group) => (
              <section key={group} className="mb-4 break-inside-avoid">
                <h3 className="cap mb-1">{group}</h3>
                <dl>
                  {KEYS.filter((action) => action.group === group && action.shown !== "").map((action) => (
                    <div key={action.shown + action.says} className="flex border-b border-faint py-[3px]">
                      <dt className="w-[104px] shrink-0 font-[640]">{action.shown}</dt>
                      <dd>{action.says}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
          <label className="mb-3 flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-rim"
              checked={letters}
              onChange={(event) => setLetters(event.target.checked)}
            />
            single-letter shortcuts
          </label>
          <p className="text-mute">
            Drag along the song map to loop a passage. Click a section to loop it. Click a strip to go to the
            loudest work of that stage. Hold Shift while dragging a control for fine steps.
          </p>
          <Glossary />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
