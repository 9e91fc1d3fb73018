/** A passage that is chosen by name: the whole song, the loop, a section. */
import { useState } from "react";
import { useBench } from "./store";

interface PassageChoice {
  where: string;
  setWhere: (where: string) => void;
  options: { value: string; label: string }[];
  /** its first frame, and the one after its last */
  span: [number, number];
  /** what it is called in a sentence */
  name: string;
}

export function usePassageChoice(): PassageChoice {
  const song = useBench((s) => s.song)!;
  const sections = useBench((s) => s.recipe!.sections);
  const loop = useBench((s) => s.loop);
  const [chosen, setWhere] = useState(loop ? "loop" : "song");
  const section = sections.find(({ id }) => id === chosen);
  // what was chosen may be gone
  const where = section || (chosen === "loop" && loop) ? chosen : "song";
  const options = [
    { value: "song", label: "whole song" },
    ...(loop ? [{ value: "loop", label: "the loop" }] : []),
    ...sections.map(({ id, name }) => ({ value: id, label: name })),
  ];
  const rate = song.rate_hz;
  const span: [number, number] = section
    ? [Math.round(section.start_s * rate), Math.round(section.end_s * rate)]
    : where === "loop" && loop
      ? loop
      : [0, song.frames];
  return {
    where,
    setWhere,
    options,
    span,
    name: section ? section.name : where === "loop" ? "the loop" : "the song",
  };
}
