/** Bringing files of one's own onto the bench: a pre-master, or several buses that sum to the mix. */
import { create } from "zustand";
import { api, upload } from "../api/client";
import { openSong } from "./openSong";
import { bare, sharedTitle } from "./titles";

interface Importing {
  name: string | null;
  /** Share of the files that was sent; at 1 the server looks through the last one. */
  sent: number;
  problem: string | null;
}

export const useImporting = create<Importing>(() => ({ name: null, sent: 0, problem: null }));

export async function importFiles(files: File[]): Promise<void> {
  if (useImporting.getState().name !== null) return;
  try {
    const sources = [];
    const title = files.length > 1 ? sharedTitle(files.map(({ name }) => name)) : bare(files[0]!.name);
    for (const [index, file] of files.entries()) {
      useImporting.setState({ name: file.name, sent: index / files.length, problem: null });
      const source = await upload(file, (sent) =>
        useImporting.setState({ sent: (index + sent) / files.length }),
      );
      const bus =
        bare(file.name)
          .slice(title.length)
          .replace(/^[\s_-]+/, "") || bare(file.name);
      sources.push({ sha256: source.sha256, name: files.length > 1 ? bus : "Mix" });
    }
    const { id } = await api.addSong(title || "Buses", sources);
    await openSong(id);
    useImporting.setState({ name: null });
  } catch (refused) {
    useImporting.setState({
      name: null,
      problem: refused instanceof Error ? refused.message : String(refused),
    });
  }
}
