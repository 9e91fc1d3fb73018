/** Bringing a file of one's own onto the bench. */
import { create } from "zustand";
import { api, upload } from "../api/client";
import { openSong } from "./store";

interface Importing {
  name: string | null;
  /** Share of the file that was sent; at 1 the server looks through it. */
  sent: number;
  problem: string | null;
}

export const useImporting = create<Importing>(() => ({ name: null, sent: 0, problem: null }));

export async function importFile(file: File): Promise<void> {
  if (useImporting.getState().name !== null) return;
  useImporting.setState({ name: file.name, sent: 0, problem: null });
  try {
    const source = await upload(file, (sent) => useImporting.setState({ sent }));
    const { id } = await api.addSong(file.name.replace(/\.[^.]+$/, ""), source.sha256);
    await openSong(id);
    useImporting.setState({ name: null });
  } catch (refused) {
    useImporting.setState({
      name: null,
      problem: refused instanceof Error ? refused.message : String(refused),
    });
  }
}
