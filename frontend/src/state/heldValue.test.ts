import { expect, it, vi } from "vitest";
import { isPressed, watchPointer } from "./heldValue";

it("knows a hand that is down, and one that was let go outside of the window", () => {
  const page = new EventTarget();
  vi.stubGlobal("window", page);
  const up = vi.fn();
  const unwatch = watchPointer(up);
  const tell = (type: string, buttons = 0) => page.dispatchEvent(Object.assign(new Event(type), { buttons }));
  tell("pointermove");
  expect([isPressed(), up.mock.calls.length]).toEqual([false, 0]);
  tell("pointerdown", 1);
  tell("pointermove", 1);
  expect(isPressed()).toBe(true);
  tell("pointerup");
  expect([isPressed(), up.mock.calls.length]).toEqual([false, 1]);
  tell("pointerdown", 1);
  tell("pointermove", 0);
  expect([isPressed(), up.mock.calls.length]).toEqual([false, 2]);
  tell("pointerdown", 1);
  unwatch();
  expect(isPressed()).toBe(false);
  vi.unstubAllGlobals();
});
