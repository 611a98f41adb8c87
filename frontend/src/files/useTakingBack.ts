import { useMutation, useQueryClient } from "@tanstack/react-query";

import { answer, api } from "../api/client";
import { fileStepsQuery } from "../api/filesQueries";

/** Takes a step of work on files back. */
export function useTakingBack() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (id: number) =>
      answer(api.POST("/api/v1/file-steps/{step_id}/undo", { params: { path: { step_id: id } } })),
    onSuccess: () => void cache.invalidateQueries({ queryKey: fileStepsQuery.queryKey }),
  });
}
