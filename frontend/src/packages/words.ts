import type { CopyOrder, Profile } from "../api/client";

/** What a set of copies is called; as the server calls it. */
export function labelOf(order: CopyOrder): string {
  if (order.kbit_s) return `${order.kind} ${order.kbit_s}`;
  if (order.quality !== null && order.quality !== undefined) return `${order.kind} quality ${order.quality}`;
  return order.bits ? `${order.kind} ${order.bits} bit` : order.kind;
}

/** A profile in a line: "FLAC masters, takes as taken, one file, MP3 192". */
export function profileInWords(profile: Profile): string {
  const { masters } = profile;
  const how = [masters.bits ? `${masters.bits} bit` : "", masters.rate_hz ? `${masters.rate_hz / 1000} kHz` : ""]
    .filter(Boolean)
    .join(", ");
  return [
    `${masters.form} masters${how ? ` (${how})` : ""}`,
    profile.untouched === "none"
      ? ""
      : profile.untouched === "as taken"
        ? "takes as taken"
        : `takes as ${profile.untouched}`,
    profile.one_file ? "one file of it all" : "",
    ...profile.copies.map(labelOf),
  ]
    .filter(Boolean)
    .join(" · ");
}
