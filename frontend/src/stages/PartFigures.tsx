import type { Item, Value } from "../api/types";
import { useItems } from "../state/store";
import { Control } from "./Control";
import type { Parted } from "./selectedPart";
import { changePart } from "./selectedPart";

interface Props {
  stage: Parted;
  part: Item;
  label: string;
  isIdle: (name: string) => boolean;
}

/** All figures of the chosen part; with Alt held a number moves in every part alike. */
export function PartFigures({ stage, part, label, isIdle }: Props) {
  const params = useItems(stage.kind, "bands");
  const values = part as unknown as Record<string, Value>;
  return (
    <section
      aria-label={label}
      className="grid min-h-0 grid-cols-4 content-start gap-x-[14px] overflow-y-auto px-1 pt-1 [&_.seg>button]:px-[5px]"
    >
      {params
        .filter(({ name }) => name !== "id")
        .map((param) => (
          <Control
            key={param.name}
            target={stage.id}
            path={`bands.${part.id}.${param.name}`}
            param={param}
            value={values[param.name] ?? null}
            idle={isIdle(param.name)}
            onChange={(_, value, resting) => changePart(stage, part.id, param, value, resting)}
          />
        ))}
    </section>
  );
}
