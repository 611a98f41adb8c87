export interface Bounds {
  min?: number;
  max?: number;
  /** No fractions. */
  whole?: boolean;
}

const WRITTEN = /^[+\-−]?(\d+([.,]\d*)?|[.,]\d+)$/;

/**
 * The number that somebody typed, with a point or a comma before its decimals; null if it is none, or out of bounds.
 *
 * One with groups of thousands is none: "1.234" would be two numbers a thousand times apart.
 */
export function numberIn(text: string, { min = -Infinity, max = Infinity, whole = false }: Bounds = {}): number | null {
  const typed = text.trim();
  if (!WRITTEN.test(typed)) return null;
  const number = Number(typed.replace(",", ".").replace("−", "-"));
  return number >= min && number <= max && (!whole || Number.isInteger(number)) ? number : null;
}

/** What may be typed, in words. */
export function boundsInWords({ min = -Infinity, max = Infinity, whole = false }: Bounds, unit = ""): string {
  const what = whole ? "A whole number" : "A number";
  const from = Number.isFinite(min) && Number.isFinite(max) ? ` from ${signed(min)} to ${signed(max)}` : "";
  const above = !from && Number.isFinite(min) ? ` of at least ${signed(min)}` : "";
  return `${what}${from || above}${unit && ` ${unit}`}`;
}

// Without groups of thousands, which may not be typed either.
const signed = (number: number): string => String(number).replace("-", "−");
