/** The figures of a passage that are put side by side: label, measure, unit. */
export const FIGURES = [
  ["loudness", "integrated_lufs", " LUFS"],
  ["loudest momentary", "max_momentary_lufs", " LUFS"],
  ["loudest short-term", "max_short_term_lufs", " LUFS"],
  ["loudness range", "loudness_range_lu", " LU"],
  ["true peak", "true_peak_dbtp", " dBTP"],
  ["PLR", "peak_to_loudness_lu", " LU"],
  ["mono loss", "mono_loss_lu", " LU"],
] as const;
