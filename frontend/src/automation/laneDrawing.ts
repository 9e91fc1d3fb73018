/** Drawing a lane: bars, the course of the value, its points, and what is being recorded. */
import type { Grid, Param, Point } from "../api/types";
import type { Timed } from "../tree/valueCurve";
import { colour } from "../ui/useCanvas";
import type { LaneGeometry } from "./laneGeometry";
import { beatsIn, lineOf, shareOf, xOfSeconds, yOf } from "./laneGeometry";

const SIDE_PX = 7;

export interface LanePicture {
  lane: LaneGeometry;
  param: Param;
  course: Timed[];
  chosen: ReadonlySet<number>;
  at: number | null;
  grid: Grid | null;
  trace: [frame: number, value: Point["value"]][];
  box: [number, number, number, number] | null;
}

export function drawLane(context: CanvasRenderingContext2D, picture: LanePicture): void {
  const { lane, param, course, chosen, at, grid, trace, box } = picture;
  context.fillStyle = colour("strip");
  context.fillRect(0, 2, lane.width, lane.height - 4);
  if (grid)
    for (const { x, bar } of beatsIn(lane, grid)) {
      context.fillStyle = colour(bar ? "line" : "faint");
      context.fillRect(x, 2, 1, lane.height - 4);
    }
  const line = lineOf(lane, course, param);
  if (line.length) {
    const area = new Path2D();
    line.forEach(([x, y], i) => (i ? area.lineTo(x, y) : area.moveTo(x, y)));
    const course2 = new Path2D(area);
    area.lineTo(line.at(-1)![0], lane.height - 2);
    area.lineTo(line[0]![0], lane.height - 2);
    context.globalAlpha = 0.75;
    context.fillStyle = colour("rim2");
    context.fill(area);
    context.globalAlpha = 1;
    context.strokeStyle = colour("rim");
    context.lineWidth = 1.5;
    context.stroke(course2);
  }
  for (const { seconds, index, point } of course) {
    const x = xOfSeconds(lane, seconds);
    if (x < -SIDE_PX || x > lane.width + SIDE_PX) continue;
    const y = yOf(lane, shareOf(param, point.value));
    context.fillStyle = colour(chosen.has(index) ? "copper" : "well");
    context.strokeStyle = colour(index === at || chosen.has(index) ? "copper" : "rim");
    context.lineWidth = 1.25;
    context.fillRect(x - SIDE_PX / 2, y - SIDE_PX / 2, SIDE_PX, SIDE_PX);
    context.strokeRect(x - SIDE_PX / 2, y - SIDE_PX / 2, SIDE_PX, SIDE_PX);
  }
  if (trace.length) {
    context.strokeStyle = colour("copper");
    context.lineWidth = 2;
    context.beginPath();
    let last = -Infinity;
    for (const [frame, value] of trace) {
      const [x, y] = [xOfSeconds(lane, frame / lane.rateHz), yOf(lane, shareOf(param, value))];
      // a loop that began again begins a line of its own
      if (frame < last) context.moveTo(x, y);
      else context.lineTo(x, y);
      last = frame;
    }
    context.stroke();
  }
  if (box) {
    context.strokeStyle = colour("ink");
    context.lineWidth = 1;
    context.strokeRect(
      Math.min(box[0], box[2]),
      Math.min(box[1], box[3]),
      Math.abs(box[2] - box[0]),
      Math.abs(box[3] - box[1]),
    );
  }
}
