/** Critical-band rate of a frequency (Traunmüller 1990). */
export function barkOf(hz: number): number {
  return (26.81 * hz) / (1960 + hz) - 0.53;
}
