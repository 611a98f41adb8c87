import { describe, expect, it } from "vitest";

import { CommandTable, keyName } from "./commands";

const press = (key: string, modifiers: Partial<KeyboardEvent> = {}) =>
  keyName({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...modifiers });

describe("keys", () => {
  it("names keys with their modifiers, and leaves Shift out where it only makes the character", () => {
    expect(press(" ")).toBe("Space");
    expect(press("z", { ctrlKey: true })).toBe("Ctrl+Z");
    expect(press("Z", { ctrlKey: true, shiftKey: true })).toBe("Ctrl+Shift+Z");
    expect(press("?", { shiftKey: true })).toBe("?");
    expect(press("ArrowLeft", { altKey: true })).toBe("Alt+ArrowLeft");
  });
});

describe("the command table", () => {
  const nothing = () => undefined;
  it("finds the command of a key while its screen is there", () => {
    const table = new CommandTable();
    const scope = Symbol("screen");
    table.set(scope, [{ label: "Play", keys: ["Space"], perform: nothing }]);
    expect(table.find("Space")?.label).toBe("Play");
    table.remove(scope);
    expect(table.find("Space")).toBeUndefined();
  });
  it("refuses two commands on one key, within a screen and between two", () => {
    const table = new CommandTable();
    table.set(Symbol("a"), [{ label: "Play", keys: ["Space"], perform: nothing }]);
    expect(() => table.set(Symbol("b"), [{ label: "Stop", keys: ["Space"], perform: nothing }])).toThrow("key Space");
    const twice = [
      { label: "One", keys: ["X"], perform: nothing },
      { label: "Two", keys: ["X"], perform: nothing },
    ];
    expect(() => table.set(Symbol("c"), twice)).toThrow("key X");
  });
});
