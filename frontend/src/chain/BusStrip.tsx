import { useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useRef } from "react";
import { api, upload } from "../api/client";
import type { Bus, Recipe } from "../api/types";
import { dissolve, setBus } from "../state/editing";
import { freshIds } from "../tree/newIds";
import { listenAs } from "../state/listening";
import { openSong } from "../state/openSong";
import { edit } from "../state/edits";
import { AutomatedRule } from "../automation/AutomatedRule";
import { rest, settle } from "../state/saving";
import { complain, NO_PARAMS, useBench } from "../state/store";
import { FileChooser } from "../ui/FileChooser";
import { formatValue } from "../ui/format";
import { InlineName } from "../ui/InlineName";

/** A bus's fader, its mute in the print, and solo and mute for the ear alone. */
export function BusStrip({ bus }: { bus: Bus }) {
  const recipe = useBench((s) => s.recipe)!;
  const listening = useBench((s) => s.listening);
  const params = useBench((s) => s.stages?.shared.bus ?? NO_PARAMS);
  const title = bus.name || bus.id;
  const change = (fields: Partial<Bus>, label: string, resting = false) => {
    const { recipe: present } = useBench.getState();
    if (present) edit(setBus(present, bus.id, fields), `${title}: ${label}`, resting);
  };
  const toggled = (list: string[]) =>
    list.includes(bus.id) ? list.filter((id) => id !== bus.id) : [...list, bus.id];
  const [soloed, muted] = [listening.solo.includes(bus.id), listening.muted.includes(bus.id)];
  return (
    <div className="border-b border-faint px-3 pt-2" role="group" aria-label={`Bus ${title}`}>
      <div className="flex items-center gap-1 pb-1">
        <InlineName
          label="Name of the bus"
          name={title}
          className="mr-auto w-[84px]"
          onName={(name) => change({ name }, `called ${name}`, true)}
        />
        <button
          type="button"
          aria-pressed={soloed}
          title="Hear this alone (S)"
          className={`plain px-2! py-[1px]! ${soloed ? "border-mustard! bg-mustard! text-on-rim" : ""}`}
          onClick={() => listenAs({ solo: toggled(listening.solo) })}
        >
          solo
        </button>
        <button
          type="button"
          aria-pressed={muted}
          title="Leave this out for the ear; again brings it back in (P)"
          className={`plain px-2! py-[1px]! ${muted ? "border-copper! bg-copper! text-on-rim" : ""}`}
          onClick={() => listenAs({ muted: toggled(listening.muted) })}
        >
          {muted ? "back in" : "out"}
        </button>
        <BusMenu bus={bus} recipe={recipe} change={change} />
      </div>
      <div className="grid grid-cols-2 gap-3">
        {params.map((param) =>
          param.name === "gain_db" || param.name === "pan" ? (
            <AutomatedRule
              key={param.name}
              target={bus.id}
              path={param.name}
              param={param}
              value={bus[param.name]}
              onMove={(value) =>
                change({ [param.name]: value }, `${param.label.toLowerCase()} ${formatValue(param, value)}`)
              }
              onRest={rest}
            />
          ) : null,
        )}
      </div>
      {bus.muted && <p className="pb-1 text-copper">muted in the print</p>}
    </div>
  );
}

interface MenuProps {
  bus: Bus;
  recipe: Recipe;
  change: (fields: Partial<Bus>, label: string, resting?: boolean) => void;
}

/** What is done to a bus as a whole: mute in the print, order, group, another bounce. */
function BusMenu({ bus, recipe, change }: MenuProps) {
  const song = useBench((s) => s.song)!;
  const client = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const at = recipe.buses.findIndex(({ id }) => id === bus.id);
  const move = (by: -1 | 1) => {
    const buses = recipe.buses.filter(({ id }) => id !== bus.id);
    buses.splice(at + by, 0, recipe.buses[at]!);
    edit({ ...recipe, buses }, `Move ${bus.name}`, true);
  };
  const group = () => {
    const id = freshIds(recipe)("group");
    const made: Bus = { id, name: "Group", group: null, chain: [], gain_db: 0, pan: 0, muted: false };
    edit(setBus({ ...recipe, groups: [...recipe.groups, made] }, bus.id, { group: id }), "New group", true);
  };
  const replace = async (file: File) => {
    try {
      await settle();
      const source = await upload(file, () => undefined);
      const { says } = await api.replaceSource(song.id, bus.id, source.sha256);
      await openSong(song.id);
      await client.invalidateQueries();
      useBench.setState({ said: says });
    } catch (refused) {
      complain(refused);
    }
  };
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          className="plain px-[6px]! py-[1px]!"
          aria-label={`More of ${bus.name || bus.id}`}
        >
          ⋯
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="menu" align="start" sideOffset={4}>
            <DropdownMenu.Item
              onSelect={() => change({ muted: !bus.muted }, bus.muted ? "unmuted" : "muted", true)}
            >
              {bus.muted ? "Unmute in the print" : "Mute in the print"}
            </DropdownMenu.Item>
            {at > 0 && <DropdownMenu.Item onSelect={() => move(-1)}>Move left</DropdownMenu.Item>}
            {at >= 0 && at < recipe.buses.length - 1 && (
              <DropdownMenu.Item onSelect={() => move(1)}>Move right</DropdownMenu.Item>
            )}
            {at >= 0 && <DropdownMenu.Item onSelect={group}>Into a new group</DropdownMenu.Item>}
            {recipe.groups
              .filter(({ id }) => id !== bus.group && id !== bus.id && at >= 0)
              .map(({ id, name }) => (
                <DropdownMenu.Item
                  key={id}
                  onSelect={() => change({ group: id }, `into ${name || id}`, true)}
                >
                  Into {name || id}
                </DropdownMenu.Item>
              ))}
            {bus.group && (
              <DropdownMenu.Item onSelect={() => change({ group: null }, "out of its group", true)}>
                Out of its group
              </DropdownMenu.Item>
            )}
            {at < 0 && (
              <DropdownMenu.Item
                onSelect={() => edit(dissolve(recipe, bus.id), `Dissolve ${bus.name}`, true)}
              >
                Dissolve the group
              </DropdownMenu.Item>
            )}
            {at >= 0 && (
              <DropdownMenu.Item onSelect={() => chooser.current?.click()}>
                Put another bounce in its place …
              </DropdownMenu.Item>
            )}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <FileChooser
        chooser={chooser}
        label={`Another bounce of ${bus.name || bus.id}`}
        onFiles={([file]) => void replace(file!)}
      />
    </>
  );
}
