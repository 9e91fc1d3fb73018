import { useCanvas, colour } from "../ui/useCanvas";

const LEGEND_PX = 16;

/** Where the samples of a passage lie, mid upwards and left at the left; the darker, the more often. */
export function ImageScope({ density, label, ink }: { density: number[][]; label: string; ink: string }) {
  const ref = useCanvas((context, width, height) => {
    const size = Math.min(width - 8, height - LEGEND_PX - 6);
    const [left, top] = [(width - size) / 2, LEGEND_PX];
    const cell = size / Math.max(1, density.length);
    context.fillStyle = colour("grid");
    context.fillRect(left + size / 2 - 0.5, top, 1, size);
    context.fillRect(left, top + size / 2 - 0.5, size, 1);
    // sides alone lie on the diagonals
    context.strokeStyle = colour("grid");
    context.beginPath();
    context.moveTo(left, top);
    context.lineTo(left + size, top + size);
    context.moveTo(left + size, top);
    context.lineTo(left, top + size);
    context.stroke();
    context.fillStyle = colour(ink);
    density.forEach((row, y) =>
      row.forEach((share, x) => {
        if (share <= 0) return;
        context.globalAlpha = share;
        context.fillRect(left + x * cell, top + y * cell, cell + 0.4, cell + 0.4);
      }),
    );
    context.globalAlpha = 1;
    context.fillStyle = colour("mute");
    context.font = "500 10.5px 'Archivo Variable', sans-serif";
    context.textAlign = "left";
    context.fillText(label, 6, 12);
  });
  return (
    <div className="picture">
      <canvas ref={ref} role="img" aria-label={`Stereo image, ${label}`} />
    </div>
  );
}
