import type { QueryClient } from "@tanstack/react-query";

import type { Session } from "../api/client";
import { sessionQuery } from "../api/queries";

/** Somebody has signed in: what was fetched for somebody else is forgotten, one's own is only asked for again. */
export function welcome(cache: QueryClient, session: Session, before: string): void {
  const others = {
    predicate: (query: { queryKey: readonly unknown[] }) => query.queryKey[0] !== sessionQuery.queryKey[0],
  };
  if (session.name !== before) cache.removeQueries(others);
  cache.setQueryData(sessionQuery.queryKey, session);
  if (session.name === before) void cache.invalidateQueries(others);
}
