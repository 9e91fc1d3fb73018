import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  title: string;
  /** What opens it; nothing where something else does. */
  trigger?: ReactNode;
  wide?: boolean;
  open?: boolean;
  onOpenChange?: (open: boolean) => void;
  children: ReactNode;
}

/** A dialog with a title and a way out. */
export function Sheet({ title, trigger, wide, open, onOpenChange, children }: Props) {
  return (
    <Dialog.Root {...(open === undefined ? {} : { open })} {...(onOpenChange ? { onOpenChange } : {})}>
      {trigger && <Dialog.Trigger asChild>{trigger}</Dialog.Trigger>}
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className={`fixed top-[54px] left-1/2 z-30 max-h-[calc(100vh-74px)] max-w-[96vw] -translate-x-1/2 overflow-y-auto border border-rim bg-enamel p-5 ${wide ? "w-[1000px]" : "w-[640px]"}`}
        >
          <div className="flex items-center justify-between">
            <Dialog.Title className="text-[16px] font-[680]">{title}</Dialog.Title>
            <Dialog.Close
              className="px-2 text-[18px] leading-none text-mute hover:text-copper"
              aria-label="Close"
            >
              ×
            </Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
