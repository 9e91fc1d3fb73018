import type { ReactNode } from "react";
import { Select } from "radix-ui";

interface Props {
  label: string;
  value: string;
  options: readonly { value: string; label: string; says?: string; picture?: ReactNode }[];
  onChange: (value: string) => void;
  /** as words in a line, without a box */
  quiet?: boolean;
}

/** One of many choices, in a list that opens. */
export function Choice({ label, value, options, onChange, quiet = false }: Props) {
  return (
    <Select.Root value={value} onValueChange={onChange}>
      <Select.Trigger
        aria-label={label}
        className={
          quiet
            ? "flex items-center gap-1 px-1 py-[3px] font-[620] hover:underline"
            : "plain flex min-w-[84px] items-center justify-between gap-2 max-[1100px]:min-w-[70px] max-[1100px]:px-[6px]!"
        }
      >
        <Select.Value />
        <Select.Icon aria-hidden>▾</Select.Icon>
      </Select.Trigger>
      <Select.Portal>
        <Select.Content className="menu" position="popper" sideOffset={2}>
          <Select.Viewport>
            {options.map((option) => (
              <Select.Item key={option.value} value={option.value} className="flex gap-3">
                {option.picture}
                <span>
                  <Select.ItemText>{option.label}</Select.ItemText>
                  {option.says && (
                    <span className="block max-w-[260px] text-[11px] text-mute">{option.says}</span>
                  )}
                </span>
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}
