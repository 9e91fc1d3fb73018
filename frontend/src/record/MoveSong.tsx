import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api } from "../api/client";
import type { RecordSong } from "../api/recordTypes";
import { complain, useBench } from "../state/store";

/** Puts a song at the end of another record. */
export function MoveSong({ song }: { song: RecordSong }) {
  const client = useQueryClient();
  const here = useBench((s) => s.record);
  const { data: records } = useQuery({ queryKey: ["records"], queryFn: api.records });
  const others = (records ?? []).filter(({ id, deleted }) => id !== here && !deleted);
  if (!others.length) return null;
  const move = async (record: number) => {
    try {
      client.setQueryData(["records"], await api.moveToRecord(song.id, record));
      await client.invalidateQueries({ queryKey: ["record"] });
    } catch (refused) {
      complain(refused);
    }
  };
  return (
    <label className="mt-2 flex items-center gap-2">
      Move to
      <select
        className="min-w-0 flex-1 border border-line bg-well px-1 py-[2px]"
        value=""
        onChange={({ target }) => void move(Number(target.value))}
      >
        <option value="" disabled>
          another record
        </option>
        {others.map(({ id, title }) => (
          <option key={id} value={id}>
            {title}
          </option>
        ))}
      </select>
    </label>
  );
}
