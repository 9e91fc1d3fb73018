import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { replaceChain } from "./stageActions";

/** What an empty chain may begin with: the usual order, or a chain of one's own. */
export function Templates() {
  const { data: chains } = useQuery({ queryKey: ["chains"], queryFn: api.chains });
  return (
    <div className="px-3 pb-2" role="group" aria-label="Begin with">
      <span className="cap">begin with</span>
      {chains?.map((chain) => (
        <button
          key={chain.name}
          type="button"
          className="block w-full border-b border-faint py-[6px] text-left hover:bg-rim2"
          onClick={() => replaceChain(chain.recipe, `Begin with ${chain.name}`)}
        >
          <b className="font-[640] text-rim">{chain.name}</b>
          <span className="block truncate text-[11px] text-mute">{chain.says}</span>
        </button>
      ))}
    </div>
  );
}
