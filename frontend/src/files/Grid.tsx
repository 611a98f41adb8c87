import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useEffect, useRef, useState } from "react";

import type { Proposed, Row } from "../api/client";
import { useInPlace } from "../words/useInPlace";
import { CellText } from "./CellText";
import { type CellChange } from "./useSheet";
import { type Column, fromTsv, type Line, PATH, shown, stored, toTsv } from "./rows";

const LINE_PX = 27;
const TICK_PX = 34;

export interface Spot {
  row: number;
  column: number;
}

interface Props {
  lines: readonly Line[];
  columns: readonly Column[];
  proposed: ReadonlyMap<number, ReadonlyMap<string, Proposed>>;
  ticked: ReadonlySet<number>;
  setTicked: (ids: ReadonlySet<number>) => void;
  spot: Spot;
  setSpot: (spot: Spot) => void;
  sort: { name: string; down: boolean };
  onSort: (name: string) => void;
  onChange: (changes: CellChange[]) => void;
  /** The folders stand above the rows already. */
  namesOnly: boolean;
}

/** The sheet itself: only what is in sight is drawn, every cell is reached by keys. */
export function Grid({
  lines,
  columns,
  proposed,
  ticked,
  setTicked,
  spot,
  setSpot,
  sort,
  onSort,
  onChange,
  namesOnly,
}: Props) {
  const frame = useRef<HTMLDivElement>(null);
  const [anchor, setAnchor] = useState<Spot>(spot);
  const everywhere = useRef(false);
  const field = useInPlace({
    onKeep: (text) => {
      field.clear();
      keep(text);
    },
  });
  const draft = field.typed;
  // eslint-disable-next-line react-hooks/incompatible-library -- what it returns is used in this component alone
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => frame.current,
    estimateSize: () => LINE_PX,
    overscan: 12,
  });
  const width = TICK_PX + columns.reduce((sum, one) => sum + one.width, 0);
  const area = {
    top: Math.min(spot.row, anchor.row),
    bottom: Math.max(spot.row, anchor.row),
    left: Math.min(spot.column, anchor.column),
    right: Math.max(spot.column, anchor.column),
  };

  useEffect(() => {
    // The focus stays with the sheet when a cell stops being edited.
    if (draft === null && document.activeElement === document.body) frame.current?.focus({ preventScroll: true });
  }, [draft]);

  const go = (to: Spot, stretch: boolean) => {
    const next = {
      row: Math.max(0, Math.min(lines.length - 1, to.row)),
      column: Math.max(0, Math.min(columns.length - 1, to.column)),
    };
    setSpot(next);
    if (!stretch) setAnchor(next);
    virtual.scrollToIndex(next.row);
  };
  const rowAt = (at: number): Row | undefined => {
    const line = lines[at];
    return line?.kind === "row" ? line.row : undefined;
  };
  const cells = (
    visit: (row: Row, column: Column, down: number, right: number) => CellChange | undefined,
  ): CellChange[] => {
    const found: CellChange[] = [];
    let down = 0;
    for (let at = area.top; at <= area.bottom; at++) {
      const row = rowAt(at);
      if (!row) continue;
      for (let column = area.left; column <= area.right; column++) {
        const one = columns[column];
        const change = one && !one.fact ? visit(row, one, down, column - area.left) : undefined;
        if (change) found.push(change);
      }
      down++;
    }
    return found;
  };
  const fillDown = () => {
    const first = rowAt(area.top);
    if (first)
      onChange(
        cells((row, column) =>
          column.name === PATH ? undefined : { file_id: row.id, field: column.name, value: shown(first, column.name) },
        ),
      );
  };
  const keep = (text: string) => {
    const row = rowAt(spot.row);
    const column = columns[spot.column];
    if (!row || !column) return;
    if (everywhere.current && column.name !== PATH) {
      const ids =
        ticked.size > 0
          ? [...ticked]
          : [
              ...new Set(
                cells((one, its) =>
                  its.name === column.name ? { file_id: one.id, field: "", value: "" } : undefined,
                ).map((one) => one.file_id),
              ),
            ];
      onChange(ids.map((id) => ({ file_id: id, field: column.name, value: text.trim() })));
    } else onChange([{ file_id: row.id, field: column.name, value: text.trim() }]);
  };
  const edit = (text?: string) => {
    const row = rowAt(spot.row);
    const column = columns[spot.column];
    if (row?.kind === "audio" && column && !column.fact) field.type(text ?? shown(row, column.name));
  };

  const onKey = (event: KeyboardEvent) => {
    if (draft !== null || event.target !== frame.current) return;
    const { key } = event;
    const command = event.ctrlKey || event.metaKey;
    const page = Math.floor((frame.current.clientHeight - LINE_PX) / LINE_PX);
    const ways: Record<string, Spot> = {
      ArrowDown: { row: spot.row + 1, column: spot.column },
      ArrowUp: { row: spot.row - 1, column: spot.column },
      ArrowRight: { row: spot.row, column: spot.column + 1 },
      ArrowLeft: { row: spot.row, column: spot.column - 1 },
      PageDown: { row: spot.row + page, column: spot.column },
      PageUp: { row: spot.row - page, column: spot.column },
      Home: { row: command ? 0 : spot.row, column: 0 },
      End: { row: command ? lines.length - 1 : spot.row, column: columns.length - 1 },
    };
    const to = ways[key];
    if (to) go(to, event.shiftKey);
    else if (key === "Enter" || key === "F2") edit();
    else if (key === "Delete")
      onChange(
        cells((row, column) => (column.name === PATH ? undefined : { file_id: row.id, field: column.name, value: "" })),
      );
    else if (command && key.toLowerCase() === "d") fillDown();
    else if (command && key.toLowerCase() === "a")
      setTicked(
        new Set(lines.flatMap((line) => (line.kind === "row" && line.row.kind === "audio" ? [line.row.id] : []))),
      );
    else if (command && key === "Backspace")
      onChange(cells((row, column) => ({ file_id: row.id, field: column.name, value: stored(row, column.name) })));
    else if (key === " ") tick(spot.row, event.shiftKey);
    else if (key.length === 1 && !command && !event.altKey) edit(key);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const tick = (at: number, stretch: boolean) => {
    const next = new Set(ticked);
    const rows = (
      stretch ? lines.slice(Math.min(at, anchor.row), Math.max(at, anchor.row) + 1) : lines.slice(at, at + 1)
    ).flatMap((line) => (line.kind === "group" ? line.rows : [line.row]));
    const add = !rows.every((row) => ticked.has(row.id));
    for (const row of rows) {
      if (add && row.kind === "audio") next.add(row.id);
      if (!add) next.delete(row.id);
    }
    setTicked(next);
  };

  return (
    <div
      ref={frame}
      role="grid"
      aria-label="Sheet of files"
      aria-rowcount={lines.length}
      aria-activedescendant={`cell-${spot.row}-${spot.column}`}
      tabIndex={0}
      className="h-full overflow-auto outline-none"
      onKeyDown={onKey}
      onCopy={(event) => {
        if (draft !== null) return;
        const table: string[][] = [];
        for (let at = area.top; at <= area.bottom; at++) {
          const row = rowAt(at);
          if (row) table.push(columns.slice(area.left, area.right + 1).map((column) => shown(row, column.name)));
        }
        event.clipboardData.setData("text/plain", toTsv(table));
        event.preventDefault();
      }}
      onPaste={(event) => {
        if (draft !== null) return;
        const table = fromTsv(event.clipboardData.getData("text/plain"));
        const one = table.length === 1 && table[0]?.length === 1 ? table[0][0] : undefined;
        if (one !== undefined) onChange(cells((row, column) => ({ file_id: row.id, field: column.name, value: one })));
        else {
          const rows = lines.slice(area.top).flatMap((line) => (line.kind === "row" ? [line.row] : []));
          onChange(
            table.flatMap((texts, down) => {
              const row = rows[down];
              return row
                ? texts.flatMap((value, right) => {
                    const column = columns[area.left + right];
                    return column && !column.fact ? [{ file_id: row.id, field: column.name, value }] : [];
                  })
                : [];
            }),
          );
        }
        event.preventDefault();
      }}
    >
      <div style={{ width, height: virtual.getTotalSize() + LINE_PX }} className="relative text-[13px]">
        <div role="row" className="sticky top-0 z-20 flex bg-base-200" style={{ height: LINE_PX, width }}>
          <span
            className="sticky left-0 z-10 flex shrink-0 items-center justify-center bg-base-200"
            style={{ width: TICK_PX }}
          >
            <input
              type="checkbox"
              aria-label="Tick all"
              checked={ticked.size > 0}
              ref={(box) => {
                if (box)
                  box.indeterminate =
                    ticked.size > 0 &&
                    ticked.size < lines.filter((line) => line.kind === "row" && line.row.kind === "audio").length;
              }}
              onChange={() =>
                setTicked(
                  ticked.size > 0
                    ? new Set()
                    : new Set(
                        lines.flatMap((line) =>
                          line.kind === "row" && line.row.kind === "audio" ? [line.row.id] : [],
                        ),
                      ),
                )
              }
            />
          </span>
          {columns.map((column) => (
            <button
              key={column.name}
              type="button"
              role="columnheader"
              aria-sort={sort.name === column.name ? (sort.down ? "descending" : "ascending") : "none"}
              className="shrink-0 truncate border-b border-base-300 px-2 text-left font-semibold"
              style={{ width: column.width }}
              onClick={() => onSort(column.name)}
            >
              {column.label}
              {sort.name === column.name && <span aria-hidden> {sort.down ? "↓" : "↑"}</span>}
            </button>
          ))}
        </div>
        {virtual.getVirtualItems().map((item) => {
          const line = lines[item.index];
          if (!line) return null;
          const style = { position: "absolute" as const, top: LINE_PX + item.start, height: LINE_PX, width };
          if (line.kind === "group")
            return (
              <div key={item.key} role="row" className="rule-b flex items-center bg-base-200" style={style}>
                <span className="sticky left-0 flex items-center gap-2 pl-2.5">
                  <input
                    type="checkbox"
                    aria-label={`Tick ${line.name}`}
                    checked={line.rows.some((row) => ticked.has(row.id))}
                    onChange={() => tick(item.index, false)}
                  />
                  <span className="font-serif text-[14px]">{line.name}</span>
                  <span className="quiet">{line.rows.length}</span>
                </span>
              </div>
            );
          const { row } = line;
          return (
            <div
              key={item.key}
              role="row"
              aria-rowindex={item.index + 1}
              data-file={row.id}
              className={`rule-b flex ${ticked.has(row.id) ? "bg-base-200" : ""}`}
              style={style}
            >
              <span
                className="sticky left-0 z-10 flex shrink-0 items-center justify-center bg-base-100"
                style={{ width: TICK_PX }}
              >
                {row.kind === "audio" ? (
                  <input
                    type="checkbox"
                    aria-label={`Tick ${row.path}`}
                    checked={ticked.has(row.id)}
                    onChange={() => undefined}
                    onClick={(event) => {
                      tick(item.index, event.shiftKey);
                      setAnchor({ row: item.index, column: spot.column });
                    }}
                  />
                ) : (
                  <span className="text-error" title={row.problem?.what}>
                    !
                  </span>
                )}
              </span>
              {columns.map((column, at) => {
                const here = item.index === spot.row && at === spot.column;
                const inside =
                  item.index >= area.top && item.index <= area.bottom && at >= area.left && at <= area.right;
                if (here && draft !== null)
                  return (
                    <input
                      key={column.name}
                      className="z-10 shrink-0 border border-primary bg-base-100 px-2 outline-none"
                      style={{ width: Math.max(column.width, 160) }}
                      aria-label={`${column.label} of ${row.path}`}
                      value={draft}
                      autoFocus
                      onChange={(event) => field.type(event.target.value)}
                      onBlur={field.keep}
                      onKeyDown={(event) => {
                        if (event.key === "Escape") {
                          field.cancel();
                          frame.current?.focus({ preventScroll: true });
                        }
                        if (event.key === "Enter" || event.key === "Tab") {
                          event.preventDefault();
                          everywhere.current = event.ctrlKey || event.metaKey;
                          field.keep();
                          everywhere.current = false;
                          frame.current?.focus({ preventScroll: true });
                          if (!event.ctrlKey && !event.metaKey)
                            go(
                              event.key === "Tab"
                                ? { row: spot.row, column: spot.column + (event.shiftKey ? -1 : 1) }
                                : { row: spot.row + 1, column: spot.column },
                              false,
                            );
                        }
                        event.stopPropagation();
                      }}
                    />
                  );
                return (
                  <CellText
                    key={column.name}
                    id={`cell-${item.index}-${at}`}
                    row={row}
                    column={column}
                    proposed={proposed.get(row.id)?.get(column.name)}
                    short={namesOnly && column.name === PATH}
                    here={here}
                    inside={inside && (area.top !== area.bottom || area.left !== area.right)}
                    onPress={(stretch) => go({ row: item.index, column: at }, stretch)}
                    onEdit={() => edit()}
                  />
                );
              })}
            </div>
          );
        })}
      </div>
    </div>
  );
}
