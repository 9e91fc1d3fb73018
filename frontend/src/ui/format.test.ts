import { describe, expect, it } from "vitest";
import { formatDb, formatHz, formatMoment, formatTime, formatValue, parseValue } from "./format";
import { fromShare, rounded, stepped, toShare, withRoom } from "./scale";

const hz = { name: "hz", unit: "Hz", low: 20, high: 20000 };
const share = { name: "link", unit: "", low: 0, high: 1 };

describe("values with units", () => {
  it.each([
    ["110", hz, 110],
    ["1.2k", hz, 1200],
    ["1,2 kHz", hz, 1200],
    ["−18 dB", { unit: "dB", low: -60, high: 0 }, -18],
    ["1.5 s", { unit: "ms", low: 5, high: 3000 }, 1500],
    ["2:1", { unit: ": 1", low: 1, high: 100 }, 2],
    ["50 %", share, 0.5],
    ["50", share, 0.5],
    ["loud", hz, null],
    ["10 ms", { unit: "dB", low: -60, high: 24 }, null],
    ["3 dB", hz, null],
    ["-", { unit: "dB", low: -60, high: 0 }, null],
    ["", hz, null],
  ])("reads %s", (text, param, value) => expect(parseValue(param, text)).toBe(value));

  it("reads back what it writes", () => {
    for (const value of [20, 47.3, 110, 999, 1500, 20000])
      expect(parseValue(hz, formatValue(hz, value))).toBeCloseTo(value, 5);
  });

  it("writes as an engineer does", () => {
    expect(formatHz(3400)).toBe("3.4 kHz");
    expect(formatDb(-18)).toBe("−18.0 dB");
    expect(formatDb(-0.01, true)).toBe("0.0 dB");
    expect([formatDb(null), formatDb(-200)]).toEqual(["—", "—"]);
    expect(formatTime(72.4, 2)).toBe("1:12.40");
    expect(formatTime(59.999, 1)).toBe("1:00.0");
    expect(formatValue(share, 0.5)).toBe("50 %");
    expect(formatMoment(new Date(2031, 2, 4, 9, 5))).toBe("2031-03-04 09:05");
  });
});

describe("the ticks of a rule", () => {
  it("are named where there is room, both ends always", () => {
    const marks = [0, 5, 20, 50, 75, 95, 100].map((at) => ({ at, text: String(at * 10) }));
    expect(
      withRoom(marks)
        .filter(({ named }) => named)
        .map(({ at }) => at),
    ).toEqual([0, 20, 50, 75, 100]);
    const near = [40, 50, 100].map((at) => ({ at, text: "1000000" }));
    expect(withRoom(near).map(({ named }) => named)).toEqual([true, false, true]);
  });
});

describe("a rule", () => {
  const log = { low: 20, high: 20000, scale: "log" as const };
  const linear = { low: -60, high: 0, scale: "linear" as const };

  it("goes there and back", () => {
    for (const scaled of [log, linear])
      for (const at of [0, 0.2, 0.5, 0.99, 1])
        expect(toShare(scaled, fromShare(scaled, at))).toBeCloseTo(at, 9);
  });

  it("never leaves its range and always moves", () => {
    for (const scaled of [log, linear])
      for (let at = 0; at <= 1; at += 0.037) {
        const value = rounded(scaled, fromShare(scaled, at));
        for (const size of ["fine", "plain", "coarse"] as const) {
          const up = stepped(scaled, value, 1, size);
          expect(up).toBeLessThanOrEqual(scaled.high);
          if (value < scaled.high) expect(up).toBeGreaterThan(value);
        }
      }
  });
});

describe("shares up to twice as much", () => {
  const width = { name: "width", unit: "", low: 0, high: 2 };
  it("are written and typed in per cent", () => {
    expect(formatValue(width, 1.1)).toBe("110 %");
    expect([parseValue(width, "60 %"), parseValue(width, "60"), parseValue(width, "1.5")]).toEqual([
      0.6, 0.6, 1.5,
    ]);
  });
});
