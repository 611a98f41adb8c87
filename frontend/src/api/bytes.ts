import { Problem } from "./client";

/** Parameters of an address; a list is one parameter several times. */
export type Query = Record<string, string | number | boolean | readonly (string | number)[]>;

/** An address of the API with its parameters. */
export function address(path: string, query: Query = {}): string {
  const pairs = Object.entries(query).flatMap(([name, value]) =>
    (Array.isArray(value) ? (value as readonly (string | number)[]) : [value]).map((one) => [name, String(one)]),
  );
  return pairs.length > 0 ? `${path}?${new URLSearchParams(pairs).toString()}` : path;
}

/**
 * A request whose body or whose answer is bytes, which the generated client does not send. A refusal or a dead
 * connection is thrown as a Problem; a request that was given up, as the browser does.
 */
export async function bytes(url: string, init: RequestInit = {}): Promise<Response> {
  const response = await fetch(url, init).catch((error: unknown) => {
    throw init.signal?.aborted ? error : Problem.away;
  });
  if (!response.ok) throw Problem.of(await response.json().catch(() => null), response.status);
  return response;
}
