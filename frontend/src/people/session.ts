import type { QueryClient } from "@tanstack/react-query";

import type { Session } from "../api/client";
import { sessionQuery } from "../api/queries";

/** Somebody else is at work now: what was fetched for the one before is forgotten. */
export function forgetAllBut(cache: QueryClient, session: Session): void {
  cache.removeQueries({ predicate: (query) => query.queryKey[0] !== sessionQuery.queryKey[0] });
  cache.setQueryData(sessionQuery.queryKey, session);
}
