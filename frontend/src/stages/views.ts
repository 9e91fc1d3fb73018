/** What the bench shows of a stage: a view of its kind's own, loaded when it is first opened, or the one for all others. */
import type { ComponentType } from "react";
import { lazy } from "react";
import type { Kind, Stage } from "../api/types";
import type { Tap } from "../live/protocol";

export interface StageView {
  Body: ComponentType<{ stage: Stage }>;
  taps: { value: Tap; label: string }[];
}

const RESULT: StageView["taps"] = [
  { value: "result", label: "output" },
  { value: "removed", label: "difference" },
];
const DETECTOR: StageView["taps"] = [...RESULT, { value: "detector", label: "detector" }];

type Load<K extends Kind> = () => Promise<{ default: ComponentType<{ stage: Extract<Stage, { kind: K }> }> }>;

/** A view is of one kind, and the registry below gives it no other. */
const body = <K extends Kind>(load: Load<K>) =>
  lazy(load as unknown as () => Promise<{ default: StageView["Body"] }>);

const VIEWS: Partial<Record<Kind, StageView>> = {
  filter: { Body: body<"filter">(() => import("./FilterView")), taps: RESULT },
  equalizer: { Body: body<"equalizer">(() => import("./EqualizerEditor")), taps: RESULT },
  dynamic_equalizer: {
    Body: body<"dynamic_equalizer">(() => import("./DynamicEqualizerView")),
    taps: RESULT,
  },
  band_dynamics: { Body: body<"band_dynamics">(() => import("./BandDynamicsView")), taps: RESULT },
  tamer: { Body: body<"tamer">(() => import("./TamerView")), taps: RESULT },
  leveller: { Body: body<"leveller">(() => import("./LevellerView")), taps: RESULT },
  saturator: { Body: body<"saturator">(() => import("./SaturatorView")), taps: RESULT },
  clipper: { Body: body<"clipper">(() => import("./ClipperView")), taps: RESULT },
  transients: { Body: body<"transients">(() => import("./TransientsView")), taps: RESULT },
  room: { Body: body<"room">(() => import("./RoomView")), taps: RESULT },
  stereo: { Body: body<"stereo">(() => import("./StereoView")), taps: RESULT },
  compressor: { Body: body<"compressor">(() => import("./CompressorView")), taps: DETECTOR },
  limiter: { Body: body<"limiter">(() => import("./LimiterView")), taps: RESULT },
  split: { Body: body<"split">(() => import("./SplitView")), taps: RESULT },
};
const DEFAULT: StageView = { Body: lazy(() => import("./DefaultView")), taps: RESULT };

export const viewOf = (kind: Kind): StageView => VIEWS[kind] ?? DEFAULT;
