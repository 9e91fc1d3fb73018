/** Arrows go from tab to tab, as in any list of tabs. */
import type { KeyboardEvent } from "react";

const STEPS: Record<string, number> = { ArrowRight: 1, ArrowLeft: -1 };

export function goToTab(event: KeyboardEvent<HTMLElement>): void {
  const by = STEPS[event.key];
  if (by === undefined || event.altKey || event.ctrlKey || event.metaKey) return;
  const tabs = [...event.currentTarget.querySelectorAll<HTMLElement>("[role=tab]")];
  const next = tabs[(tabs.indexOf(event.target as HTMLElement) + by + tabs.length) % tabs.length];
  event.preventDefault();
  event.stopPropagation();
  next?.focus();
  next?.click();
}
