import { ToggleGroup } from "radix-ui";
import { memo } from "react";
import { useLatest } from "./useLatest";

interface Props<T extends string> {
  label: string;
  value: T;
  options: readonly { value: T; label: string; disabled?: boolean }[];
  onChange: (value: T) => void;
}

/** A few choices side by side, one of them taken; left alone while what is around it moves under a hand. */
export function Segments<T extends string>({ onChange, ...shown }: Props<T>) {
  const change = useLatest((next: string) => onChange(next as T));
  return <Shown {...shown} onChange={change} />;
}

const Shown = memo(
  function Shown({ label, value, options, onChange }: Props<string>) {
    return (
      <ToggleGroup.Root
        type="single"
        className="seg"
        aria-label={label}
        value={value}
        onValueChange={(next) => next && onChange(next)}
      >
        {options.map((option) => (
          <ToggleGroup.Item key={option.value} value={option.value} disabled={option.disabled ?? false}>
            {option.label}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    );
  },
  (before, after) =>
    before.label === after.label &&
    before.value === after.value &&
    before.options.length === after.options.length &&
    before.options.every((option, i) => {
      const now = after.options[i]!;
      return option.value === now.value && option.label === now.label && option.disabled === now.disabled;
    }),
);
