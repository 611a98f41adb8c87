import { useEffect, useRef, useSyncExternalStore } from "react";

/** One thing a screen can do: its name, its key and what it does. Buttons, key list and shortcuts all use it. */
export interface Command {
  label: string;
  /** As in "Ctrl+Shift+Z", "ArrowLeft", "Space", "?". */
  keys: readonly string[];
  perform: () => void;
  disabled?: boolean;
  /** Repeats while its key is held, as moving and magnifying do. What decides, writes or deletes runs once a press. */
  repeats?: boolean;
}

/** The name of a pressed key, modifiers first in a fixed order. Shift is left out where it only makes the character. */
export function keyName(event: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "altKey" | "shiftKey">): string {
  const key =
    event.key === " "
      ? "Space"
      : event.key.length === 1 && /[a-z]/i.test(event.key)
        ? event.key.toUpperCase()
        : event.key;
  const shows = key.length > 1 || /[A-Z]/.test(key);
  return [
    event.ctrlKey || event.metaKey ? "Ctrl" : "",
    event.altKey ? "Alt" : "",
    event.shiftKey && shows ? "Shift" : "",
    key,
  ]
    .filter(Boolean)
    .join("+");
}

/** The commands of all that is on the screen; two on one key are a mistake and refused. */
export class CommandTable {
  private readonly scopes = new Map<symbol, readonly Command[]>();
  private readonly listeners = new Set<() => void>();
  private flat: readonly Command[] = [];

  set(scope: symbol, commands: readonly Command[]): void {
    const others = [...this.scopes].filter(([key]) => key !== scope).flatMap(([, list]) => list);
    const taken = new Set(others.flatMap((command) => command.keys));
    for (const key of commands.flatMap((command) => command.keys)) {
      if (taken.has(key)) throw new Error(`two commands have the key ${key}`);
      taken.add(key);
    }
    this.scopes.set(scope, commands);
    this.tell();
  }

  remove(scope: symbol): void {
    this.scopes.delete(scope);
    this.tell();
  }

  find(key: string): Command | undefined {
    return this.flat.find((command) => command.keys.includes(key));
  }

  all = (): readonly Command[] => this.flat;

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  private tell(): void {
    this.flat = [...this.scopes.values()].flat();
    this.listeners.forEach((listener) => listener());
  }
}

export const commandTable = new CommandTable();

export const useAllCommands = (): readonly Command[] => useSyncExternalStore(commandTable.subscribe, commandTable.all);

/** Offers these commands while the component is on the screen. */
export function useCommands(commands: readonly Command[]): void {
  const scope = useRef(Symbol("commands"));
  const shape = commands
    .map((command) => `${command.label}${command.keys.join()}${command.disabled ? "-" : ""}`)
    .join("|");
  const latest = useRef(commands);
  useEffect(() => {
    latest.current = commands;
  });
  useEffect(() => {
    const key = scope.current;
    // What a command does may change at every rendering; its name and key rarely do.
    const stable = latest.current.map((command, index) => ({
      ...command,
      perform: () => latest.current[index]?.perform(),
    }));
    commandTable.set(key, stable);
    return () => commandTable.remove(key);
  }, [shape]);
}

const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLInputElement
    ? !/^(checkbox|radio|button|submit|file)$/.test(target.type)
    : target instanceof HTMLElement && (target.isContentEditable || /^(TEXTAREA|SELECT)$/.test(target.tagName));

const PRESSED =
  "button, summary, input, [role=button], [role=link], [role=menuitem], [role=tab], [role=option], " +
  "[role=checkbox], [role=radio], [role=switch]";
const MOVED_WITHIN = "input[type=radio], [role=radio], [role=tab], [role=menuitem], [role=option], [role=slider]";

/** Whether the focused element answers to a key itself: a link to Enter, a button to Enter and Space. */
export function isTakenByFocus(target: EventTarget | null, key: string): boolean {
  if (!(target instanceof Element)) return false;
  if (isTyping(target) || target.closest("dialog, [role=dialog], [role=alertdialog], audio, video")) return true;
  if (key === "Enter") return target.closest(`a[href], area[href], ${PRESSED}`) !== null;
  if (key === " ") return target.closest(PRESSED) !== null;
  return key.startsWith("Arrow") && target.closest(MOVED_WITHIN) !== null;
}

/** Performs the command of a pressed key, unless what has the focus answers to it. */
export function onKeyDown(event: KeyboardEvent): void {
  if (event.defaultPrevented || event.isComposing || isTakenByFocus(event.target, event.key)) return;
  const command = commandTable.find(keyName(event));
  if (!command || command.disabled) return;
  event.preventDefault();
  if (!event.repeat || command.repeats) command.perform();
}
