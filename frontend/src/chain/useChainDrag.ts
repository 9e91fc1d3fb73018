/** Rows dragged to another place: where the pointer is says before or after which row. */
import { MouseSensor, TouchSensor, useSensor, useSensors } from "@dnd-kit/core";
import type { DragEndEvent, DragMoveEvent } from "@dnd-kit/core";
import { useState } from "react";
import { useBench } from "../state/store";
import { chainIn } from "../tree/tree";
import { chosen, move, moveToLane } from "./stageActions";
import { dropPosition } from "./dropPosition";
import type { Row } from "./signalFlow";

type Target = { lane: string } | { row: Pick<Row, "kind" | "id"> } | { end: string };

export interface Over {
  target: Target;
  lower: boolean;
}

function overOf({ active, over, delta, activatorEvent }: DragMoveEvent): Over | null {
  if (!over || active.id === over.id) return null;
  const touch = "touches" in activatorEvent ? (activatorEvent as TouchEvent).touches[0] : undefined;
  const start = touch?.clientY ?? (activatorEvent as MouseEvent).clientY;
  const lower = start + delta.y > over.rect.top + over.rect.height / 2;
  return { target: over.data.current as Target, lower };
}

export function useChainDrag() {
  const [dragged, setDragged] = useState<string[]>([]);
  const [over, setOver] = useState<Over | null>(null);
  const sensors = useSensors(
    useSensor(MouseSensor, { activationConstraint: { distance: 6 } }),
    useSensor(TouchSensor, { activationConstraint: { delay: 200, tolerance: 6 } }),
  );
  const end = () => {
    setDragged([]);
    setOver(null);
  };
  const drop = (event: DragEndEvent) => {
    const found = overOf(event);
    const { recipe } = useBench.getState();
    end();
    if (!found || !recipe) return;
    const { target, lower } = found;
    if ("lane" in target) moveToLane(dragged, target.lane);
    else {
      const end = "end" in target ? { home: target.end, at: chainIn(recipe, target.end).length } : null;
      const place = "row" in target ? dropPosition(recipe, target.row, lower) : end;
      if (place) move(dragged, place);
    }
  };
  return {
    dragged,
    over,
    context: {
      sensors,
      onDragStart: ({ active }: { active: { id: string | number } }) => {
        const ids = chosen();
        setDragged(ids.includes(String(active.id)) ? ids : [String(active.id)]);
      },
      onDragMove: (event: DragMoveEvent) => setOver(overOf(event)),
      onDragEnd: drop,
      onDragCancel: end,
    },
  };
}
