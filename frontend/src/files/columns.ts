import { useState } from "react";

import type { SheetField } from "../api/client";
import { type Column, FACTS } from "./rows";

const KEY = "inkwell sheet columns";
const FIRST = [
  "path",
  "track_number",
  "title",
  "artist",
  "album",
  "album_artist",
  "date",
  "genre",
  "art",
  "format",
  "length",
];
const WIDTHS: Record<string, number> = {
  track_number: 56,
  track_total: 48,
  disc_number: 52,
  disc_total: 60,
  title: 250,
  date: 92,
  compilation: 92,
};

/** Every column there is: what is known of a file, and all its fields. */
export function allColumns(fields: readonly SheetField[]): Column[] {
  const [path, ...facts] = FACTS;
  return [
    ...(path ? [path] : []),
    ...fields.map((field) => ({
      name: field.name,
      label: field.label,
      width: WIDTHS[field.name] ?? 170,
      long: field.long,
      number: field.group === "numbers",
    })),
    ...facts,
  ];
}

/** The chosen columns in their order, remembered by this browser. */
export function useColumns(fields: readonly SheetField[]) {
  const [names, setNames] = useState<string[]>(() => {
    try {
      const kept: unknown = JSON.parse(localStorage.getItem(KEY) ?? "null");
      return Array.isArray(kept) && kept.length > 0 ? kept.map(String) : FIRST;
    } catch {
      return FIRST;
    }
  });
  const every = allColumns(fields);
  const choose = (next: string[]) => {
    localStorage.setItem(KEY, JSON.stringify(next));
    setNames(next);
  };
  const chosen = names.flatMap((name) => every.find((one) => one.name === name) ?? []);
  return {
    every,
    chosen,
    toggle: (name: string) => choose(names.includes(name) ? names.filter((one) => one !== name) : [...names, name]),
    move: (name: string, by: number) => {
      const at = names.indexOf(name);
      const next = [...names];
      next.splice(at, 1);
      next.splice(Math.max(0, at + by), 0, name);
      choose(next);
    },
    reset: () => choose(FIRST),
  };
}

export type Columns = ReturnType<typeof useColumns>;
