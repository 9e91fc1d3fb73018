import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api } from "../api/client";
import type { KeptChain, Recipe } from "../api/types";
import { chainOf } from "../state/editing";
import { complain, useBench } from "../state/store";
import { FileChooser } from "../ui/FileChooser";
import { Sheet } from "../ui/Sheet";
import { copy, insert, pasteCopied, replaceChain } from "./stageActions";
import { chainDocument, chainOfDocument } from "./document";

/** Chains of one's own: kept by name, loaded, shared as recipe files. */
export function Chains() {
  const [open, setOpen] = useState(false);
  return (
    <Sheet
      title="Chains"
      open={open}
      onOpenChange={setOpen}
      trigger={
        <button type="button" className="ml-auto px-3 py-[7px] text-mute hover:text-ink">
          Chains …
        </button>
      }
    >
      <Kept close={() => setOpen(false)} />
    </Sheet>
  );
}

function here(): Recipe | null {
  const { recipe, lane } = useBench.getState();
  return recipe && chainDocument(recipe, chainOf(recipe, lane));
}

function save(name: string, recipe: Recipe): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([JSON.stringify(recipe, null, 2)], { type: "application/json" }));
  link.download = `${name}.kettle.json`;
  link.click();
  URL.revokeObjectURL(link.href);
}

function Kept({ close }: { close: () => void }) {
  const stages = useBench((s) => chainOf(s.recipe!, s.lane).length);
  const title = useBench((s) => s.song!.title);
  const rate = useBench((s) => s.song!.rate_hz);
  const [name, setName] = useState("");
  const chooser = useRef<HTMLInputElement>(null);
  const client = useQueryClient();
  const { data: chains } = useQuery({ queryKey: ["chains"], queryFn: api.chains });
  const took = (listed: KeptChain[]) => client.setQueryData(["chains"], listed);
  const keep = useMutation({
    mutationFn: () => api.keepChain(name || title, here()!),
    onSuccess: (listed) => {
      took(listed);
      setName("");
    },
    onError: complain,
  });
  const remove = useMutation({ mutationFn: api.removeChain, onSuccess: took, onError: complain });
  const done = (act: () => void) => () => {
    act();
    close();
  };
  const load = async (file: File) => {
    try {
      const found = JSON.parse(await file.text()) as Recipe;
      // whether it is a recipe is the server's to say
      await api.describe(found, rate);
      if (!chainOfDocument(found).length)
        throw new Error(`${file.name} has no stage in it; choose another file.`);
      replaceChain(found, `Chain of ${file.name}`);
      close();
    } catch (refused) {
      complain(refused instanceof SyntaxError ? `${file.name} is no recipe file; choose another.` : refused);
    }
  };
  return (
    <div className="mt-3">
      <form
        className="flex items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          keep.mutate();
        }}
      >
        <input
          aria-label="Name of the chain"
          className="w-[220px] border border-line bg-well px-2 py-[3px]"
          placeholder={title}
          value={name}
          maxLength={60}
          onChange={(event) => setName(event.target.value)}
        />
        <button type="submit" className="strong" disabled={stages === 0}>
          Keep this chain
        </button>
        <button
          type="button"
          className="plain"
          disabled={stages === 0}
          onClick={() => {
            const recipe = here();
            if (recipe) save(name || title, recipe);
          }}
        >
          Save as a file
        </button>
        <button
          type="button"
          className="plain"
          disabled={stages === 0}
          onClick={done(() => {
            const { recipe, lane } = useBench.getState();
            if (recipe) copy(chainOf(recipe, lane).map(({ id }) => id));
          })}
        >
          Copy all of it
        </button>
        <button type="button" className="plain" onClick={done(pasteCopied)}>
          Paste
        </button>
      </form>
      <ul aria-label="Kept chains" className="mt-4 border-t border-line">
        {chains?.map((chain) => (
          <li key={chain.name} className="flex items-center gap-2 border-b border-faint py-2">
            <span className="min-w-0 flex-1">
              <b className="font-[640]">{chain.name}</b>
              <span className="block truncate text-[11px] text-mute">{chain.says}</span>
            </span>
            <button
              type="button"
              className="plain"
              onClick={done(() => replaceChain(chain.recipe, `Load ${chain.name}`))}
            >
              Load
            </button>
            <button
              type="button"
              className="plain"
              onClick={done(() => insert(chain.recipe, `Insert ${chain.name}`))}
            >
              Insert
            </button>
            <button type="button" className="plain" onClick={() => save(chain.name, chain.recipe)}>
              File
            </button>
            {chain.own && (
              <button
                type="button"
                className="plain"
                aria-label={`Delete ${chain.name}`}
                onClick={() => remove.mutate(chain.name)}
              >
                ×
              </button>
            )}
          </li>
        ))}
      </ul>
      <button type="button" className="mt-3 font-semibold text-rim" onClick={() => chooser.current?.click()}>
        From a recipe file …
      </button>
      <FileChooser
        chooser={chooser}
        label="A recipe file"
        accept=".json,application/json"
        onFiles={([file]) => void load(file!)}
      />
    </div>
  );
}
