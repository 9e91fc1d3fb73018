/** Light or dark, remembered. */
import { forgetColours } from "../ui/useCanvas";
import { useBench } from "../state/store";

export function applyTheme(dark: boolean): void {
  document.documentElement.dataset.theme = dark ? "dark" : "light";
  forgetColours();
}

export function toggleTheme(): void {
  const dark = !useBench.getState().dark;
  localStorage.setItem("theme", dark ? "dark" : "light");
  applyTheme(dark);
  useBench.setState({ dark });
}
