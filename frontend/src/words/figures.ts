/** How figures are written: one way each, everywhere. */

/** m:ss.mmm of a count of samples. */
export function clock(samples: number, rateHz: number, decimals = 3): string {
  const ticks = 10 ** decimals;
  const total = Math.round((samples / rateHz) * ticks);
  const minutes = Math.floor(total / (60 * ticks));
  const rest = ((total % (60 * ticks)) / ticks).toFixed(decimals);
  return `${minutes}:${rest.padStart(decimals ? decimals + 3 : 2, "0")}`;
}

/** m:ss of seconds. */
export const shortClock = (seconds: number): string => clock(seconds, 1, 0);

/** Bytes in MB or GB, decimal, as disks are sold. */
export function size(bytes: number): string {
  if (bytes >= 1e9) return `${(bytes / 1e9).toFixed(2)} GB`;
  if (bytes >= 1e5) return `${(bytes / 1e6).toFixed(1)} MB`;
  return `${(bytes / 1e3).toFixed(1)} kB`;
}

/** A level with one decimal and a true minus sign. */
export const level = (dbfs: number | null | undefined): string =>
  dbfs === null || dbfs === undefined ? "silence" : `${dbfs.toFixed(1).replace("-", "−")} dBFS`;

/** "about 3 s", "about 2 min": never more exact than it is. */
export function timeLeft(seconds: number | null | undefined): string {
  if (seconds === null || seconds === undefined) return "";
  if (seconds < 1.5) return "nearly done";
  return seconds < 90 ? `about ${Math.round(seconds)} s left` : `about ${Math.round(seconds / 60)} min left`;
}

export const percent = (share: number): string => `${Math.round(share * 100)} %`;

/** A probability in percent, never a certainty. */
export const chance = (share: number): string => percent(Math.min(0.99, share));

/** How likely something is: with a decimal where decisions are made, and never a certainty. */
export function likely(share: number): string {
  if (share > 0.999) return "over 99.9 %";
  if (share < 0.01) return "under 1 %";
  return share > 0.9 ? `${(100 * share).toFixed(1)} %` : percent(share);
}

/** A date and time in the reader's own zone. */
export const moment = (iso: string): string =>
  new Date(iso).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });

export const lowerFirst = (text: string): string => text.charAt(0).toLowerCase() + text.slice(1);

export const plural = (count: number, one: string, many = `${one}s`): string => `${count} ${count === 1 ? one : many}`;

/** Seconds of a typed m:ss, h:mm:ss or plain seconds, decimals allowed; NaN where it is none. */
export function readClock(text: string): number {
  const typed = text.trim();
  const dotted = typed.replace(",", ".");
  if (!/^\d+(:[0-5]?\d){0,2}(\.\d+)?$/.test(dotted)) return NaN;
  return dotted.split(":").reduce((sum, part) => sum * 60 + Number(part), 0);
}
