import { useState } from "react";
import { api, got } from "@/api/client";
import { oneFile, type Entry } from "@/api/games";

/** Look for what is alike: to a file from outside, or to one of the catalogues' own. */
export function useAlike(game: string | undefined, shelf: string) {
  const [found, setFound] = useState<{ name: string; entries: Entry[] } | null>(null);
  const [looking, setLooking] = useState<{ id: string; name: string } | null>(null);
  const look = async (asked: File | Entry) => {
    if (asked instanceof File) {
      const params = { path: { game_id: game ?? shelf }, query: { also: game ? shelf : "" } };
      const { id } = await got(api.POST("/api/games/{game_id}/like", { params, ...oneFile(asked) }));
      setLooking({ id, name: asked.name });
      return;
    }
    const also = asked.game_id === shelf ? (game ?? "") : shelf;
    const params = { path: { game_id: asked.game_id, entry_id: asked.id }, query: { also } };
    const { id } = await got(api.POST("/api/games/{game_id}/entries/{entry_id}/like", { params }));
    setLooking({ id, name: asked.name });
  };
  return { found, looking, look, setFound, setLooking };
}
