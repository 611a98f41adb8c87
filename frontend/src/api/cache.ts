import { type InvalidateOptions, type InvalidateQueryFilters, QueryClient, type QueryKey } from "@tanstack/react-query";

/**
 * The query cache. What is invalidated while its first answer is on its way is asked again once that answer is there.
 *
 * The library takes such an answer for fresh, but it may be from before the change: a ledger opened in the moment in
 * which something was saved did not show it.
 */
export class Cache extends QueryClient {
  readonly #outdated = new Set<string>();

  override invalidateQueries<Key extends QueryKey = QueryKey>(
    filters?: InvalidateQueryFilters<Key>,
    options?: InvalidateOptions,
  ): Promise<void> {
    for (const query of this.getQueryCache().findAll(filters)) {
      const isFirst = query.state.fetchStatus === "fetching" && query.state.data === undefined;
      if (!isFirst || this.#outdated.has(query.queryHash)) continue;
      this.#outdated.add(query.queryHash);
      void query.promise
        ?.then(() => super.invalidateQueries({ queryKey: query.queryKey, exact: true }))
        .catch(() => undefined) // who asked sees the error; asking again would not mend it
        .finally(() => this.#outdated.delete(query.queryHash));
    }
    return super.invalidateQueries(filters, options);
  }
}
