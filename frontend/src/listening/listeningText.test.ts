import { describe, expect, it } from "vitest";
import type { Listening, Place } from "../api/types";
import { heardInWords, nameOf } from "./listeningText";

const plain: Listening = {
  fold: "stereo",
  range: "all",
  low_hz: 20,
  high_hz: 120,
  place: "studio",
  solo: [],
  muted: [],
};

describe("what is heard, in words", () => {
  it("is short when nothing stands between", () => {
    expect(heardInWords("Now", "result", "", plain, undefined)).toBe("the song as it is now");
  });

  it("names all that does", () => {
    const phone = { name: "phone", title: "Phone", says: "", curve_db: [] } satisfies Place;
    const listening: Listening = { ...plain, fold: "mono", range: "lows", place: "phone", solo: ["bass"] };
    expect(heardInWords("Received", "result", "", listening, phone)).toBe(
      "the song as received, in mono, only below 120 Hz, as in: phone, only bass",
    );
    expect(heardInWords("Now", "removed", "the limiter", plain, undefined)).toBe("what the limiter changes");
  });

  it("calls what is compared by its name", () => {
    const named = { versions: [], references: [] };
    expect(nameOf("without:a", named, { a: "Limiter" })).toBe("without limiter");
    expect(nameOf("without:*", named, {})).toBe("bypass all");
    expect(nameOf("received", named, {})).toBe("Received");
  });
});
