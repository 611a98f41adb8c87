import type { SearchWanted } from "../api/client";

/** A search as the address has it: everything can be reloaded and shared. */

export const FACETS = ["kind", "state", "carrier", "decade", "format"] as const;
export type Facet = (typeof FACETS)[number];

export function wantedOf(params: URLSearchParams): SearchWanted {
  const wanted: SearchWanted = {};
  const text = params.get("text");
  if (text) wanted.text = text;
  const field = params.get("field");
  if (field) wanted.field = field;
  const finding = params.get("finding");
  if (finding) wanted.finding = finding;
  for (const facet of FACETS) {
    const values = params.getAll(facet);
    if (values.length) wanted[facet] = values;
  }
  return wanted;
}

/** The same as an address, from what was saved. */
export function paramsOf(wanted: Record<string, unknown>): URLSearchParams {
  const params = new URLSearchParams();
  for (const [name, value] of Object.entries(wanted)) {
    if (Array.isArray(value)) for (const one of value) params.append(name, String(one));
    else if (typeof value === "string" && value) params.set(name, value);
  }
  return params;
}

/** With a value of a facet chosen, or no longer. */
export function toggled(params: URLSearchParams, facet: Facet, value: string): URLSearchParams {
  const next = new URLSearchParams(params);
  const held = next.getAll(facet);
  next.delete(facet);
  for (const one of held) if (one !== value) next.append(facet, one);
  if (!held.includes(value)) next.append(facet, value);
  return next;
}
