import { useState } from "react";

import { NumberInput } from "../ui/NumberInput";
import type { Span } from "../waveform/Page";
import { clock } from "../words/figures";
import type { HandRepair, Repairing } from "./useRepairing";

interface Props {
  selection: Span | null;
  rateHz: number;
  channels: number;
  repairing: Repairing;
  /** What is being drawn: none while nobody draws. */
  drawn: number[] | null;
  channel: number | null;
  onChannel: (channel: number | null) => void;
  onSelect: (span: Span | null) => void;
  onDraw: (begin: boolean) => void;
  onDone: () => void;
}

const LONGEST_DRAWN = 2_000;

/** What can be done by hand to what is selected in the loupe. */
export function ByHand(props: Props) {
  const { selection, rateHz, channels, repairing, drawn, channel } = props;
  const [softer, setSofter] = useState(-12);
  const length = selection ? Math.round(selection.to - selection.from) : 0;
  const mend = (how: HandRepair["how"], more: Partial<HandRepair> = {}) => {
    if (!selection || length < 1) return;
    const [start, end] = [Math.round(selection.from), Math.round(selection.to)];
    repairing.mendByHand({
      key: crypto.randomUUID().replaceAll("-", "").slice(0, 12),
      start,
      end,
      channel,
      how,
      gain_db: softer,
      drawn: [],
      ...more,
    });
    props.onDone();
  };
  const field = (label: string, value: number, onSave: (value: number) => void) => (
    <label className="flex items-center gap-1">
      {label}
      <NumberInput
        label={`Selection ${label}`}
        className="cell figure !w-24 !px-1 !py-0"
        min={0}
        whole
        value={value}
        onSave={onSave}
      />
    </label>
  );
  return (
    <>
      <h2 className="margin-heading">By hand</h2>
      {!selection && <p className="quiet">Drag over the loupe, or choose a repair, to mend that stretch by hand.</p>}
      {selection && (
        <>
          <p>
            <span className="figure">{clock(selection.from, rateHz)}</span>,{" "}
            <span className="figure">{((1000 * length) / rateHz).toFixed(2)} ms</span>
          </p>
          <div className="mt-1 flex gap-2 text-[12px]">
            {field(
              "from",
              Math.round(selection.from),
              (from) => from < selection.to && props.onSelect({ from, to: selection.to }),
            )}
            {field(
              "to",
              Math.round(selection.to),
              (to) => to > selection.from && props.onSelect({ from: selection.from, to }),
            )}
          </div>
          {channels === 2 && (
            <label className="mt-1 flex items-center gap-2">
              In
              <select
                aria-label="Channel to mend"
                className="border border-base-300 bg-base-100 px-1.5 py-0.5"
                value={channel ?? "both"}
                onChange={(event) => props.onChannel(event.target.value === "both" ? null : Number(event.target.value))}
              >
                <option value="both">both channels</option>
                <option value={0}>the left</option>
                <option value={1}>the right</option>
              </select>
            </label>
          )}
          {drawn ? (
            <div className="mt-2">
              <p>Draw over the upper lane, where the line is red.</p>
              <div className="mt-1 flex gap-1.5">
                <button type="button" className="press press-main" onClick={() => mend("draw", { drawn })}>
                  Keep what is drawn
                </button>
                <button type="button" className="press" onClick={() => props.onDraw(false)}>
                  Leave off
                </button>
              </div>
            </div>
          ) : (
            <div className="mt-2 flex flex-wrap gap-1.5">
              <button
                type="button"
                className="press"
                disabled={length > 0.1 * rateHz}
                title={
                  length > 0.1 * rateHz ? "At most 0.1 s can be filled from beside" : "From what is before and after"
                }
                onClick={() => mend("interpolate")}
              >
                Interpolate
              </button>
              <button type="button" className="press" onClick={() => mend("attenuate")}>
                Attenuate by
              </button>
              <NumberInput
                label="Attenuate by, decibels"
                unit="dB"
                className="cell figure !w-14 !px-1"
                min={-90}
                max={0}
                value={softer}
                onChange={setSofter}
              />
              <span className="quiet self-center">dB</span>
              <button
                type="button"
                className="press"
                disabled={length > LONGEST_DRAWN || (channels === 2 && channel === null)}
                title={
                  channels === 2 && channel === null ? "Choose one channel first" : `At most ${LONGEST_DRAWN} samples`
                }
                onClick={() => props.onDraw(true)}
              >
                Draw
              </button>
              <button type="button" className="press" onClick={() => mend("silence")}>
                Silence
              </button>
              {channels === 2 && (
                <button
                  type="button"
                  className="press"
                  disabled={channel === null}
                  title={channel === null ? "Choose the broken channel first" : "What the other channel has there"}
                  onClick={() => mend("other channel")}
                >
                  Copy other channel
                </button>
              )}
            </div>
          )}
        </>
      )}
    </>
  );
}
