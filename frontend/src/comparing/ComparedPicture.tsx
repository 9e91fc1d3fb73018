import type { Draw } from "../ui/useCanvas";
import { useCanvas } from "../ui/useCanvas";

const NAME = "before-after";

/** The picture of two things side by side, which can be saved. */
export function ComparedPicture({ draw, label }: { draw: Draw; label: string }) {
  return (
    <div className="picture mt-3 h-[250px]">
      <canvas ref={useCanvas(draw)} id={NAME} role="img" aria-label={label} />
    </div>
  );
}

/** Give out the picture that is shown, as a PNG. */
export function savePicture(): void {
  const found = document.getElementById(NAME);
  if (!(found instanceof HTMLCanvasElement)) return;
  const link = document.createElement("a");
  link.href = found.toDataURL("image/png");
  link.download = `${NAME}.png`;
  link.click();
}
