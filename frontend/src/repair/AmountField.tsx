import { useState } from "react";

import type { Docket, Repairs, Side } from "../api/client";
import { percent, plural } from "../words/figures";
import { sentence } from "../words/Trouble";
import { type Repairing, useDamage } from "./useRepairing";

const KINDS = ["click", "crackle", "scratch"] as const;

/** How much is mended: the least that will do as the side itself proposes it, and what that rests on. */
export function AmountField({
  side,
  found,
  repairing,
}: {
  docket: Docket;
  side: Side;
  found: Repairs;
  repairing: Repairing;
}) {
  const { restoration, restore } = repairing;
  const clicks = restoration.clicks ?? null;
  const [tried, setTried] = useState<number | null>(null);
  const shown = tried ?? clicks?.amount ?? found.proposal.amount;
  const preview = useDamage(side, clicks || tried !== null ? tried : found.proposal.amount).found;
  const { proposal } = found;
  const kinds = clicks?.kinds ?? KINDS;
  const set = (amount: number) => {
    restore({ clicks: { kinds: [...KINDS], verdicts: [], ...clicks, amount } }, `damage mended, amount ${amount}`);
    setTried(null);
  };
  const keep = () => tried !== null && tried !== clicks?.amount && set(tried);
  return (
    <>
      <h2 className="margin-heading">How much</h2>
      <p>
        The least that will do: <b className="figure">{proposal.amount}</b> of 100. It finds{" "}
        {percent(Math.min(0.99, proposal.found_share))} of about{" "}
        <span className="figure">{Math.round(proposal.clicks_expected).toLocaleString("en-GB")}</span>
        {" likely repairs; "}
        {falsely(proposal.false_expected)}. <span className="quiet">{sentence(proposal.because)}</span>
      </p>
      {clicks?.amount !== proposal.amount && (
        <button
          type="button"
          className={`press mt-2 ${clicks ? "" : "press-main"}`}
          onClick={() => set(proposal.amount)}
        >
          {clicks ? `Back to ${proposal.amount}` : `Repair at ${proposal.amount}`}
        </button>
      )}
      <label className="mt-2 grid grid-cols-[1fr_3rem] items-center gap-2">
        <input
          type="range"
          min={0}
          max={100}
          step={2.5}
          aria-label="Amount"
          className="w-full accent-primary"
          value={shown}
          onChange={(event) => setTried(Number(event.target.value))}
          onPointerUp={keep}
          onKeyUp={keep}
          onBlur={keep}
        />
        <span className="figure text-right">{shown}</span>
      </label>
      <p className="quiet" data-testid="would-mend">
        {clicks || tried !== null ? "" : "would be "}
        {preview ? plural(preview.mended, "repair") : ""}
        {preview && preview.refused > 0 ? `, ${preview.refused} refused` : ""}
        {tried !== null ? ", once you let go" : ""}
      </p>
      {clicks && (
        <div className="mt-1 flex flex-wrap gap-x-3">
          {KINDS.map((kind) => (
            <label key={kind} className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={kinds.includes(kind)}
                onChange={(event) => {
                  const next = KINDS.filter((one) => (one === kind ? event.target.checked : kinds.includes(one)));
                  restore(
                    { clicks: { ...clicks, kinds: next } },
                    `${kind}: ${event.target.checked ? "mended" : "left"}`,
                  );
                }}
              />
              {kind} <span className="figure quiet">{(preview ?? found).by_kind[kind] ?? 0}</span>
            </label>
          ))}
        </div>
      )}
      {found.turn_s && (
        <p className="quiet mt-1">
          Scratches come back every <span className="figure">{found.turn_s.toFixed(3)} s</span>.
        </p>
      )}
      {clicks && (
        <button type="button" className="press mt-2" onClick={() => restore({ clicks: null }, "no damage mended")}>
          Remove all repairs
        </button>
      )}
    </>
  );
}

const falsely = (expected: number): string =>
  expected < 0.5
    ? "none of them is likely to be music"
    : `about ${Math.max(1, Math.round(expected))} of them may be music`;
