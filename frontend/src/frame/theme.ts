import { useSyncExternalStore } from "react";

export type Theme = "paper" | "lamplight";
const KEY = "inkwell theme";
const listeners = new Set<() => void>();
// Not where there is no screen, as in tests of components.
const system = typeof matchMedia === "function" ? matchMedia("(prefers-color-scheme: dark)") : null;

/** The theme that somebody chose here, or as the system prefers it. */
function current(): Theme {
  const chosen = localStorage.getItem(KEY);
  if (chosen === "paper" || chosen === "lamplight") return chosen;
  return system?.matches ? "lamplight" : "paper";
}

function show(): void {
  document.documentElement.dataset.theme = current();
  listeners.forEach((listener) => listener());
}

/** Show the page in its theme, and in another when the system's preference or a choice in another tab changes. */
export function followTheme(): void {
  show();
  system?.addEventListener("change", show);
  window.addEventListener("storage", show);
}

export function chooseTheme(theme: Theme): void {
  localStorage.setItem(KEY, theme);
  show();
}

export const useTheme = (): Theme =>
  useSyncExternalStore((listener) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  }, current);
