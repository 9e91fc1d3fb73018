/** Whether the search for a stage is open: a key opens it as well as a click. */
import { create } from "zustand";

export const useSearch = create<{ open: boolean }>(() => ({ open: false }));

export function openSearch(): void {
  useSearch.setState({ open: true });
}
