/** The range that is being dragged over. */
export function DraggedValue({ shown: [from, to] }: { shown: [number, number] }) {
  return (
    <span
      className="pointer-events-none absolute inset-y-0 z-10 border-x border-copper bg-copper/15"
      style={{ left: Math.min(from, to), width: Math.abs(to - from) }}
    />
  );
}
