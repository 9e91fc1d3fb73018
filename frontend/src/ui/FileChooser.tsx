import type { RefObject } from "react";

interface Props {
  label: string;
  chooser: RefObject<HTMLInputElement | null>;
  accept?: string;
  multiple?: boolean;
  onFiles: (files: File[]) => void;
}

/** The system's way to choose files, opened by `chooser.current.click()`; the same file may be chosen again. */
export function FileChooser({ label, chooser, accept, multiple = false, onFiles }: Props) {
  return (
    <input
      ref={chooser}
      type="file"
      multiple={multiple}
      accept={accept}
      aria-label={label}
      tabIndex={-1}
      className="sr-only"
      onChange={(event) => {
        const files = [...(event.target.files ?? [])];
        event.target.value = "";
        if (files.length) onFiles(files);
      }}
    />
  );
}
