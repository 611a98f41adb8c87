import { useSyncExternalStore } from "react";

export type Theme = "paper" | "lamplight";
const KEY = "inkwell theme";
const listeners = new Set<() => void>();

const stored = (): Theme => (localStorage.getItem(KEY) === "lamplight" ? "lamplight" : "paper");

export function applyTheme(theme: Theme = stored()): void {
  localStorage.setItem(KEY, theme);
  document.documentElement.dataset.theme = theme;
  listeners.forEach((listener) => listener());
}

export const useTheme = (): Theme =>
  useSyncExternalStore((listener) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  }, stored);
