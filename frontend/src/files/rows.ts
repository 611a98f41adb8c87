import type { Row } from "../api/client";

/** Values of the sheet's rows as shown, filtered, sorted and grouped: pure functions, for ten thousand rows. */

export const PATH = "path";
export const SILENCE = "silence";
export type GroupBy = "none" | "album" | "folder" | "artist";

export interface Column {
  name: string;
  label: string;
  width: number;
  /** Facts are shown and not edited. */
  fact?: boolean;
  number?: boolean;
  long?: boolean;
}

/** Columns that are no tags. */
export const FACTS: Column[] = [
  { name: PATH, label: "File", width: 250 },
  { name: "format", label: "Kind", width: 76, fact: true },
  { name: "length", label: "Length", width: 76, fact: true, number: true },
  { name: "art", label: "Picture", width: 120, fact: true },
  { name: "tagged", label: "Tagged as", width: 130, fact: true },
];

export const stored = (row: Row, name: string): string => {
  switch (name) {
    case PATH:
      return row.path;
    case "format":
      return row.kind === "unreadable" ? "unreadable" : row.format;
    case "length":
      return row.duration_s
        ? `${Math.floor(row.duration_s / 60)}:${String(Math.floor(row.duration_s % 60)).padStart(2, "0")}`
        : "";
    case "art": {
      const first = row.pictures[0];
      if (!first) return "";
      return (
        `${first.width_px} x ${first.height_px}` + (row.pictures.length > 1 ? ` and ${row.pictures.length - 1}` : "")
      );
    }
    case "tagged":
      return row.tagged_as;
    case SILENCE:
      return "";
    default:
      return row.fields[name] ?? "";
  }
};

/** A cell as it is shown: changed and unwritten, or stored. */
export const shown = (row: Row, name: string): string => row.pending[name] ?? stored(row, name);

export const folderOf = (path: string): string => path.slice(0, Math.max(0, path.lastIndexOf("/")));

export const groupOf = (row: Row, by: GroupBy): string => {
  if (by === "folder") return folderOf(shown(row, PATH)) || "(no folder)";
  if (by === "album") return shown(row, "album") || "(no album)";
  if (by === "artist") return shown(row, "album_artist") || shown(row, "artist") || "(no artist)";
  return "";
};

type Test = (row: Row) => boolean;

const NUMBER = /^-?\d+(\.\d+)?/;
const asNumber = (text: string): number => {
  const found = NUMBER.exec(text);
  return found ? Number(found[0]) : NaN;
};

/**
 * A filter as typed: words look for rows that hold all of them anywhere; `field is missing`, `year < 1970`,
 * `artist has sisters and title is changed` are conditions, joined by `and` and `or` (and binds tighter).
 * Returns the test, or in words why it is none.
 */
export function filterOf(text: string, columns: readonly Column[]): Test | string {
  const typed = text.trim();
  if (!typed) return () => true;
  const names = new Map<string, string>();
  for (const column of columns) {
    names.set(column.label.toLowerCase(), column.name);
    names.set(column.name.toLowerCase(), column.name);
    names.set(column.name.replaceAll("_", " ").toLowerCase(), column.name);
  }
  names.set("year", "date");
  const sorted = [...names.keys()].sort((a, b) => b.length - a.length);
  const parts = typed.split(/\s+or\s+/i).map((either) => either.split(/\s+and\s+/i));
  const tests: (Test | string | null)[][] = parts.map((all) => all.map((one) => condition(one.trim(), sorted, names)));
  if (tests.flat().every((one) => one === null)) {
    // No condition at all: plain words.
    const words = typed.toLowerCase().split(/\s+/);
    return (row) => {
      const all = `${shown(row, PATH)}\n${Object.values({ ...row.fields, ...row.pending }).join("\n")}`.toLowerCase();
      return words.every((word) => all.includes(word));
    };
  }
  const wrong = tests.flat().find((one) => one === null || typeof one === "string");
  if (wrong !== undefined)
    return typeof wrong === "string"
      ? wrong
      : "A part of this is no condition: write title has reel, year < 1970, album is missing.";
  return (row) => tests.some((all) => all.every((test) => (test as Test)(row)));
}

function condition(text: string, sorted: string[], names: Map<string, string>): Test | string | null {
  const lower = text.toLowerCase();
  const label = sorted.find(
    (one) => lower.startsWith(`${one} `) || lower.startsWith(`${one}<`) || lower.startsWith(`${one}>`),
  );
  if (!label) return null;
  const name = names.get(label) ?? "";
  const rest = text.slice(label.length).trim();
  if (/^is missing$/i.test(rest)) return (row) => !shown(row, name);
  if (/^is there$/i.test(rest)) return (row) => !!shown(row, name);
  if (/^is changed$/i.test(rest)) return (row) => name in row.pending;
  const found = /^(is not|is|has not|has|begins with|ends with|<=|>=|<|>)\s*(.*)$/i.exec(rest);
  if (!found) return null;
  const how = (found[1] ?? "").toLowerCase();
  const wanted = (found[2] ?? "").replace(/^"(.*)"$/, "$1").toLowerCase();
  if (!wanted) return `After '${label} ${how}' something is missing.`;
  const value = (row: Row) => shown(row, name).toLowerCase();
  switch (how) {
    case "is":
      return (row) => value(row) === wanted;
    case "is not":
      return (row) => value(row) !== wanted;
    case "has":
      return (row) => value(row).includes(wanted);
    case "has not":
      return (row) => !value(row).includes(wanted);
    case "begins with":
      return (row) => value(row).startsWith(wanted);
    case "ends with":
      return (row) => value(row).endsWith(wanted);
  }
  const figure = asNumber(wanted);
  if (Number.isNaN(figure)) return `'${wanted}' is no number.`;
  const holds: Record<string, (left: number) => boolean> = {
    "<": (left) => left < figure,
    ">": (left) => left > figure,
    "<=": (left) => left <= figure,
    ">=": (left) => left >= figure,
  };
  return (row) => holds[how]?.(asNumber(value(row))) ?? false;
}

/** What one often looks for, by its name in the list. */
export const LOOKS: Record<string, Test> = {
  everything: () => true,
  "changed, not written": (row) => Object.keys(row.pending).length > 0,
  "no title or artist": (row) => !shown(row, "title") || !shown(row, "artist"),
  "no album": (row) => !shown(row, "album"),
  "no album artist": (row) => !shown(row, "album_artist"),
  "no track number": (row) => !shown(row, "track_number"),
  "no date": (row) => !shown(row, "date"),
  "no picture": (row) => row.kind === "audio" && row.pictures.length === 0,
  "long silence at the end": (row) => row.silent_tail_s >= 5,
  "cannot be read": (row) => row.kind === "unreadable",
};

const collator = new Intl.Collator("en", { numeric: true, sensitivity: "base" });

/** Rows sorted by a column, numbers as numbers, then by path. Each key is made once, not at each comparison. */
export function sortRows(rows: readonly Row[], name: string, down: boolean, by: GroupBy): Row[] {
  const figures = name === "length";
  const keyed = rows.map((row) => ({
    row,
    group: groupOf(row, by),
    figure: figures ? row.duration_s : asNumber(shown(row, name)),
    text: shown(row, name).toLowerCase(),
    path: row.path,
  }));
  const way = down ? -1 : 1;
  keyed.sort((a, b) => {
    if (a.group !== b.group) return compare(a.group, b.group);
    if (name !== PATH && a.text !== b.text) {
      if (!a.text || !b.text) return a.text ? -1 : 1; // what is missing comes last, whichever way
      const difference = Number.isNaN(a.figure) || Number.isNaN(b.figure) ? 0 : a.figure - b.figure;
      return way * (difference || compare(a.text, b.text));
    }
    return (name === PATH ? way : 1) * compare(a.path, b.path);
  });
  return keyed.map((one) => one.row);
}

const PLAIN = /^[\x20-\x7e]*$/;
const WITH_DIGITS = /\d/;

/** As people sort. The collator is slow, so it is asked only where plain comparison would not do. */
function compare(a: string, b: string): number {
  if (a === b) return 0;
  if (PLAIN.test(a) && PLAIN.test(b) && !(WITH_DIGITS.test(a) && WITH_DIGITS.test(b))) return a < b ? -1 : 1;
  return collator.compare(a, b);
}

export type Line = { kind: "group"; name: string; rows: Row[] } | { kind: "row"; row: Row };

/** The lines of the sheet: rows, with a heading before each group. */
export function linesOf(rows: readonly Row[], by: GroupBy): Line[] {
  if (by === "none") return rows.map((row) => ({ kind: "row", row }));
  const lines: Line[] = [];
  let open: { kind: "group"; name: string; rows: Row[] } | undefined;
  for (const row of rows) {
    const name = groupOf(row, by);
    if (open?.name !== name) {
      open = { kind: "group", name, rows: [] };
      lines.push(open);
    }
    open.rows.push(row);
    lines.push({ kind: "row", row });
  }
  return lines;
}

/** A range of cells as tab-separated text, as spreadsheets take it: cells with tabs, lines or quotes are quoted. */
export function toTsv(table: readonly (readonly string[])[]): string {
  return table
    .map((cells) => cells.map((cell) => (/[\t\n\r"]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell)).join("\t"))
    .join("\n");
}

/** Tab-separated text as spreadsheets give it. */
export function fromTsv(text: string): string[][] {
  const table: string[][] = [[]];
  const body = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  let cell = "";
  let quoted = false;
  for (let at = 0; at < body.length; at++) {
    const char = body.charAt(at);
    if (quoted) {
      if (char === '"' && body.charAt(at + 1) === '"') {
        cell += '"';
        at++;
      } else if (char === '"') quoted = false;
      else cell += char;
    } else if (char === '"' && cell === "") quoted = true;
    else if (char === "\t" || char === "\n") {
      table.at(-1)?.push(cell);
      cell = "";
      if (char === "\n") table.push([]);
    } else cell += char;
  }
  table.at(-1)?.push(cell);
  return table;
}
