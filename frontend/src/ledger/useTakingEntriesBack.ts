import { useMutation, useQueryClient } from "@tanstack/react-query";

import { answer, api, type TakenBack } from "../api/client";
import { plural } from "../words/figures";

/** Takes entries of the ledger back, whatever they tell of, the newest first. */
export function useTakingEntriesBack() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (ids: number[]) => answer(api.POST("/api/v1/ledger/undo", { body: { ids } })),
    onSuccess: () => void cache.invalidateQueries(),
  });
}

/** What came of it, in words. */
export function told({ done, following, left }: TakenBack): string {
  const follows =
    following > 0 ? `, ${following} ${following === 1 ? "follows" : "follow"} as jobs: see the status bar` : "";
  const stays =
    left > 0
      ? `; ${left === 1 ? "1 stays as it is" : `${left} stay as they are`}, changed since or undone already`
      : "";
  return `${plural(done, "entry", "entries")} taken back${follows}${stays}.`;
}
