/** What would be lost, or stop, if the page were left now. */
const reasons = new Set<unknown>();

const ask = (event: BeforeUnloadEvent): void => event.preventDefault();

/** Has the browser ask before the page is left for as long as there is such a reason; `reason` tells it from others. */
export function askBeforeLeaving(reason: unknown, is: boolean): void {
  if (is) reasons.add(reason);
  else reasons.delete(reason);
  if (typeof window === "undefined") return; // a test without a page
  if (reasons.size > 0) window.addEventListener("beforeunload", ask);
  else window.removeEventListener("beforeunload", ask);
}
