import { clsx } from "clsx";

import type { Proposed, Row } from "../api/client";
import { type Column, PATH, shown, stored } from "./rows";

interface CellProps {
  id: string;
  row: Row;
  column: Column;
  proposed: Proposed | undefined;
  short: boolean;
  here: boolean;
  inside: boolean;
  onPress: (stretch: boolean) => void;
  onEdit: () => void;
}

/** One cell: its value, marked where it is changed and not written, or what it would become. */
export function CellText({ id, row, column, proposed, short, here, inside, onPress, onEdit }: CellProps) {
  const whole = shown(row, column.name);
  const value = short ? whole.slice(whole.lastIndexOf("/") + 1) : whole;
  const changed = column.name in row.pending;
  const old = stored(row, column.name);
  return (
    // The focus stays on the grid, which names this cell by aria-activedescendant.
    // eslint-disable-next-line jsx-a11y/interactive-supports-focus
    <span
      id={id}
      role="gridcell"
      aria-selected={here}
      data-field={column.name}
      data-changed={changed || undefined}
      title={
        proposed
          ? [`${proposed.before || "nothing"} becomes ${proposed.after || "nothing"}`, proposed.told]
              .filter((part) => part)
              .join(": ")
          : changed
            ? `stored: ${old || "nothing"}`
            : whole
      }
      className={clsx(
        "shrink-0 truncate px-2 leading-[26px]",
        column.number || column.name === "date" ? "figure" : "",
        column.fact ? "quiet" : "",
        inside ? "bg-base-300" : "",
        here ? "shadow-[inset_0_0_0_2px_var(--color-primary)]" : "",
      )}
      style={{ width: column.width }}
      onMouseDown={(event) => onPress(event.shiftKey)}
      onDoubleClick={onEdit}
    >
      {proposed ? (
        <>
          <ins className="font-medium text-warning no-underline">{proposed.after || "(nothing)"}</ins>
          {proposed.before && !short && <s className="quiet ml-1.5 text-[12px]">{proposed.before}</s>}
        </>
      ) : changed ? (
        <>
          <span aria-hidden className="text-error">
            ✎{" "}
          </span>
          <span className="font-medium">{value || "(nothing)"}</span>
          {old && column.name !== PATH && <s className="quiet ml-1.5 text-[12px]">{old}</s>}
        </>
      ) : (
        value
      )}
    </span>
  );
}
