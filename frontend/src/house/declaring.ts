import { useMutation, useQueryClient } from "@tanstack/react-query";

import { houseQuery } from "../api/filesQueries";

/** Load the rules anew. */
export function useLookAgain() {
  const cache = useQueryClient();
  return () => void cache.invalidateQueries({ queryKey: houseQuery.queryKey });
}

/** Save a rule, then load all of them again. */
export function useDeclaring<T>(declare: (what: T) => Promise<unknown>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: declare,
    onSuccess: () => cache.invalidateQueries({ queryKey: houseQuery.queryKey }),
  });
}
