import type { ChangedValue } from "../api/client";

/** Values that somebody else has changed meanwhile: both of each, side by side, and a choice between them. */
export function ChangedMeanwhile({
  changed,
  words = String,
  onUseMine,
  onKeepTheirs,
}: {
  changed: readonly ChangedValue[];
  words?: (value: string | number) => string;
  onUseMine: () => void;
  onKeepTheirs: () => void;
}) {
  const shown = (value: string | number | null) => (value === null || value === "" ? "(empty)" : words(value));
  return (
    <div role="alert" className="border border-warning bg-base-200 px-2 py-1 text-[13px]">
      <p>Somebody else has changed this meanwhile.</p>
      <table className="my-1">
        <thead className="quiet text-left">
          <tr>
            {changed.length > 1 && <th aria-label="Field" />}
            <th className="pr-4 font-medium">Now</th>
            <th className="font-medium">Yours</th>
          </tr>
        </thead>
        <tbody>
          {changed.map((one) => (
            <tr key={one.name} className="align-baseline">
              {changed.length > 1 && <th className="quiet pr-4 text-left font-normal">{one.name}</th>}
              <td className="pr-4">{shown(one.now)}</td>
              <td>{shown(one.yours)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <button type="button" className="press mr-2" onClick={onKeepTheirs}>
        Keep theirs
      </button>
      <button type="button" className="press" onClick={onUseMine}>
        Use mine
      </button>
    </div>
  );
}
