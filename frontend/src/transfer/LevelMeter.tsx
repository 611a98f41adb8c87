import { useEffect, useRef } from "react";

import type { LiveNews } from "../api/client";
import { useTheme } from "../frame/theme";
import { prepare } from "../waveform/drawing";
import { FIGURE_FONT, type Ink, readInk } from "../waveform/ink";
import { useSize } from "../waveform/useSource";
import { level } from "../words/figures";
import type { LiveFeed } from "./live";
import {
  BAND_DBFS,
  type HistoryColumn,
  layoutHistory,
  levelWord,
  loudest,
  LOWEST_DBFS,
  placeOfLevel,
  TICKS_DBFS,
} from "./meterLayout";

const ROW_PX = 17;
const METER_PX = 2 * ROW_PX + 28;
const HISTORY_PX = 66;
const LEFT_PX = 44;
const RIGHT_PX = 12;
const HISTORY_WINDOWS = 1800;

const WORDS = {
  silent: "nothing heard yet",
  quiet: "quiet, which is harmless",
  right: "right",
  hot: "too hot: what clips cannot be mended",
  clipped: "clipped",
} as const;

/** Level now and in the last three minutes, with the band where the loudest part should fall. */
export function LevelMeter({ feed, live }: { feed: LiveFeed; live: LiveNews }) {
  const [box, { width }] = useSize();
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useTheme();
  useEffect(() => {
    if (!canvas.current || width === 0) return;
    const ctx = prepare(canvas.current, width, METER_PX + HISTORY_PX);
    if (!ctx) return;
    const ink = readInk();
    drawMeter(ctx, live, width, ink);
    drawHistory(ctx, layoutHistory(feed.windows, width - LEFT_PX - RIGHT_PX, HISTORY_WINDOWS), width, ink);
  }, [feed, live, width, theme]);
  const { hold } = live;
  const highest = loudest(hold.true_peak_dbtp);
  const clipped = hold.clipped_samples.reduce((sum, one) => sum + one, 0);
  const word = levelWord(highest, clipped);
  return (
    <section aria-label="Level" className="rule-b px-5 pb-2 pt-2">
      <div className="mb-1 flex items-baseline gap-3">
        <h2 className="text-base">Level</h2>
        <span>
          highest{" "}
          <span className="figure font-medium" data-testid="highest">
            {level(highest)}
          </span>{" "}
          true peak,{" "}
          <span
            className={
              word === "hot" || word === "clipped"
                ? "font-medium text-error"
                : word === "right"
                  ? "font-medium text-accent"
                  : "quiet"
            }
          >
            {WORDS[word]}
          </span>
        </span>
        <span className={`ml-auto ${clipped ? "font-medium text-error" : "quiet"}`}>
          {clipped ? `${clipped.toLocaleString("en-GB")} samples clipped` : "nothing clipped"}
        </span>
      </div>
      <div ref={box} style={{ height: METER_PX + HISTORY_PX }}>
        <canvas
          ref={canvas}
          className="block w-full"
          style={{ height: METER_PX + HISTORY_PX }}
          role="img"
          aria-label={`Level meter, ${WORDS[word]}`}
        />
      </div>
    </section>
  );
}

function drawMeter(ctx: CanvasRenderingContext2D, live: LiveNews, width: number, ink: Ink) {
  const length = width - LEFT_PX - RIGHT_PX;
  const at = (dbfs: number | null | undefined) => LEFT_PX + placeOfLevel(dbfs, length);
  const last = live.windows[live.windows.length - 1];
  const channels = live.hold.peak_dbfs.length;
  ctx.font = FIGURE_FONT;
  ctx.textBaseline = "middle";
  ctx.fillStyle = ink.washOdd;
  ctx.fillRect(at(BAND_DBFS[0]), 0, at(BAND_DBFS[1]) - at(BAND_DBFS[0]), 2 * ROW_PX + 3);
  for (let channel = 0; channel < channels; channel++) {
    const top = channel * ROW_PX + 2;
    ctx.fillStyle = ink.quiet;
    ctx.textAlign = "right";
    ctx.fillText(channels === 1 ? "mono" : channel ? "right" : "left", LEFT_PX - 6, top + ROW_PX / 2);
    const peak = last?.true_peak_dbtp[channel] ?? null;
    ctx.fillStyle = (peak ?? -99) > BAND_DBFS[1] ? ink.chosen : ink.wave;
    ctx.fillRect(LEFT_PX, top + 2, at(peak) - LEFT_PX, ROW_PX - 4);
    ctx.fillStyle = ink.core;
    ctx.fillRect(LEFT_PX, top + 5, at(last?.rms_dbfs[channel]) - LEFT_PX, ROW_PX - 10);
    const held = live.hold.true_peak_dbtp[channel];
    if (held !== null && held !== undefined && held > LOWEST_DBFS) {
      ctx.fillStyle = held > BAND_DBFS[1] ? ink.chosen : ink.join;
      ctx.fillRect(at(held) - 1, top, 2, ROW_PX);
    }
  }
  ctx.textAlign = "center";
  for (const tick of TICKS_DBFS) {
    ctx.fillStyle = ink.rule;
    ctx.fillRect(Math.round(at(tick)), 2 * ROW_PX + 3, 1, 4);
    ctx.fillStyle = ink.quiet;
    ctx.fillText(String(tick).replace("-", "−"), at(tick), 2 * ROW_PX + 13);
  }
  ctx.textAlign = "left";
}

function drawHistory(ctx: CanvasRenderingContext2D, columns: HistoryColumn[], width: number, ink: Ink) {
  const [top, height, length] = [METER_PX, HISTORY_PX - 12, width - LEFT_PX - RIGHT_PX];
  const y = (dbfs: number | null) => top + height - placeOfLevel(dbfs, height);
  ctx.fillStyle = ink.washOdd;
  ctx.fillRect(LEFT_PX, y(BAND_DBFS[1]), length, y(BAND_DBFS[0]) - y(BAND_DBFS[1]));
  for (const column of columns) {
    const x = LEFT_PX + column.x;
    ctx.fillStyle = (column.peakDbtp ?? -99) > BAND_DBFS[1] ? ink.chosen : ink.wave;
    ctx.fillRect(x, y(column.peakDbtp), column.width + 0.3, top + height - y(column.peakDbtp));
    ctx.fillStyle = ink.core;
    ctx.fillRect(x, y(column.rmsDbfs), column.width + 0.3, top + height - y(column.rmsDbfs));
    if (column.clipped) {
      ctx.fillStyle = ink.chosen;
      ctx.fillRect(x - 1, top - 2, 3, 5);
    }
  }
  ctx.fillStyle = ink.rule;
  ctx.fillRect(LEFT_PX, top + height, length, 1);
  ctx.fillStyle = ink.quiet;
  ctx.textAlign = "right";
  ctx.fillText("−12", LEFT_PX - 6, y(-12) + 3);
  ctx.fillText("−3", LEFT_PX - 6, y(-3) - 3);
  ctx.textAlign = "left";
  ctx.fillText("3 min ago", LEFT_PX, top + height + 7);
  ctx.textAlign = "right";
  ctx.fillText("now", LEFT_PX + length, top + height + 7);
  ctx.textAlign = "left";
}
