// @vitest-environment jsdom
import { cleanup, render, screen } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import type { Row } from "../api/client";
import { Grid, type Spot } from "./Grid";
import type { Column, Line } from "./rows";

const COLUMNS = [
  { name: "title", label: "Title", width: 200 },
  { name: "artist", label: "Artist", width: 200 },
] as Column[];

const row = (id: number, title: string): Row =>
  ({
    id,
    bundle_id: 1,
    kind: "audio",
    path: `${id}.flac`,
    fields: { title, artist: "A" },
    pending: {},
    facts: {},
    problem: null,
  }) as unknown as Row;
const LINES: Line[] = [row(1, "One"), row(2, "Two"), row(3, "Three")].map((one) => ({ kind: "row", row: one }));

function Sheet({ onChange }: { onChange: (changes: unknown) => void }) {
  const [spot, setSpot] = useState<Spot>({ row: 0, column: 0 });
  const [ticked, setTicked] = useState<ReadonlySet<number>>(new Set());
  return (
    <Grid
      lines={LINES}
      columns={COLUMNS}
      proposed={new Map()}
      ticked={ticked}
      setTicked={setTicked}
      spot={spot}
      setSpot={setSpot}
      sort={{ name: "title", down: false }}
      onSort={() => undefined}
      onChange={onChange}
      namesOnly={false}
    />
  );
}

/** The sheet draws only what is in sight, and nothing has a size here. */
beforeEach(() => {
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe() {}
      unobserve() {}
      disconnect() {}
    },
  );
  vi.spyOn(Element.prototype, "clientHeight", "get").mockReturnValue(400);
  vi.spyOn(Element.prototype, "clientWidth", "get").mockReturnValue(800);
  HTMLElement.prototype.scrollTo = () => undefined;
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const opened = () => {
  const onChange = vi.fn();
  render(<Sheet onChange={onChange} />);
  screen.getByRole("grid").focus();
  return onChange;
};

describe("a cell of the sheet", () => {
  it("is changed once by Enter, and the next line is gone to", async () => {
    const onChange = opened();
    await userEvent.keyboard("{F2}s{Enter}");
    expect(onChange.mock.calls).toEqual([[[{ file_id: 1, field: "title", value: "Ones" }]]]);
    expect(document.activeElement).toBe(screen.getByRole("grid"));
    await userEvent.keyboard("X{Tab}");
    expect(onChange.mock.calls[1]).toEqual([[{ file_id: 2, field: "title", value: "X" }]]);
    expect(onChange).toHaveBeenCalledTimes(2);
  });

  it("is not changed by Escape", async () => {
    const onChange = opened();
    await userEvent.keyboard("{F2}s{Escape}");
    expect(document.activeElement).toBe(screen.getByRole("grid"));
    expect(onChange).not.toHaveBeenCalled();
  });

  it("is changed once when it is left", async () => {
    const onChange = opened();
    await userEvent.keyboard("{F2}s");
    await userEvent.click(screen.getByLabelText("Tick 3.flac"));
    expect(onChange.mock.calls).toEqual([[[{ file_id: 1, field: "title", value: "Ones" }]]]);
  });

  it("is written into all that are ticked by Ctrl+Enter, once", async () => {
    const onChange = opened();
    await userEvent.keyboard("{Control>}a{/Control}{F2}s{Control>}{Enter}{/Control}");
    expect(onChange).toHaveBeenCalledTimes(1);
    expect(onChange.mock.calls[0]?.[0]).toHaveLength(3);
  });
});
