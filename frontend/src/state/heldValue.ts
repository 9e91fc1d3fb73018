/** Whether a hand holds a button, a pen or a finger down anywhere: what it has in it may pause without being let go. */
let pressed = false;

export function isPressed(): boolean {
  return pressed;
}

/** Follow the hand; `onUp` is told when it lets go. */
export function watchPointer(onUp: () => void): () => void {
  const down = () => (pressed = true);
  const up = () => {
    if (!pressed) return;
    pressed = false;
    onUp();
  };
  // what was let go outside of the window is told by the next move
  const move = (event: PointerEvent) => event.buttons === 0 && up();
  window.addEventListener("pointerdown", down, true);
  window.addEventListener("pointerup", up, true);
  window.addEventListener("pointercancel", up, true);
  window.addEventListener("pointermove", move, true);
  return () => {
    pressed = false;
    window.removeEventListener("pointerdown", down, true);
    window.removeEventListener("pointerup", up, true);
    window.removeEventListener("pointercancel", up, true);
    window.removeEventListener("pointermove", move, true);
  };
}
