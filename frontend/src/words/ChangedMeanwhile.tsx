import type { ChangedValue } from "../api/client";
import { useInSight } from "./useInSight";

const MOST_SHOWN = 12;

/** Values that somebody else has changed meanwhile: both of each, side by side, and a choice between them. */
export function ChangedMeanwhile({
  changed,
  words = String,
  isNamed = changed.length > 1,
  onUseMine,
  onKeepTheirs,
}: {
  changed: readonly ChangedValue[];
  words?: (value: string | number) => string;
  isNamed?: boolean;
  onUseMine: () => void;
  onKeepTheirs: () => void;
}) {
  const alert = useInSight<HTMLDivElement>();
  const shown = (value: ChangedValue["now"]): string => {
    if (value === null || value === "") return "(empty)";
    if (typeof value === "boolean") return value ? "yes" : "no";
    if (typeof value === "string" || typeof value === "number") return words(value);
    const parts = Array.isArray(value)
      ? (value as readonly ChangedValue["now"][]).map(shown)
      : Object.entries(value).map(([name, one]) => `${name.replaceAll("_", " ")} ${shown(one)}`);
    return parts.length > 0 ? parts.join(", ") : "(none)";
  };
  return (
    <div ref={alert} role="alert" className="border border-warning bg-base-200 px-2 py-1 text-[13px]">
      <p>Somebody else has changed this meanwhile.</p>
      <table className="my-1">
        <thead className="quiet text-left">
          <tr>
            {isNamed && <th aria-label="Field" />}
            <th className="pr-4 font-medium">Now</th>
            <th className="font-medium">Yours</th>
          </tr>
        </thead>
        <tbody>
          {changed.slice(0, MOST_SHOWN).map((one) => (
            <tr key={one.name} className="align-baseline">
              {isNamed && <th className="quiet pr-4 text-left font-normal">{one.name.replaceAll("_", " ")}</th>}
              <td className="pr-4 [overflow-wrap:anywhere]">{shown(one.now)}</td>
              <td className="[overflow-wrap:anywhere]">{shown(one.yours)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {changed.length > MOST_SHOWN && <p className="quiet mb-1">and {changed.length - MOST_SHOWN} more</p>}
      <button type="button" className="press mr-2" onClick={onKeepTheirs}>
        Keep theirs
      </button>
      <button type="button" className="press" onClick={onUseMine}>
        Use mine
      </button>
    </div>
  );
}
