import {
  type InvalidateOptions,
  type InvalidateQueryFilters,
  QueryClient,
  type QueryClientConfig,
  type QueryKey,
} from "@tanstack/react-query";

/**
 * The query cache. What is invalidated while its first answer is on its way is asked again once that answer is there.
 *
 * The library takes such an answer for fresh, but it may be from before the change: a ledger opened in the moment in
 * which something was saved did not show it.
 *
 * Requests are sent whatever the browser thinks of the network: a server on this machine answers without one, and a
 * request that fails says so, where one that is held back says nothing.
 */
export class Cache extends QueryClient {
  readonly #outdated = new Set<string>();

  constructor({ defaultOptions: given, ...config }: QueryClientConfig = {}) {
    const defaultOptions = {
      ...given,
      queries: { networkMode: "always", ...given?.queries },
      mutations: { networkMode: "always", ...given?.mutations },
    } as const;
    super({ ...config, defaultOptions });
  }

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
