import { useEffect, useRef } from "react";

import type { Schemas } from "../api/client";
import { prepare } from "../waveform/drawing";
import { FIGURE_FONT, type Ink, readInk } from "../waveform/ink";
import { useSize } from "../waveform/useSource";

type Spectra = Schemas["SpectraView"];

const [LOW_HZ, TOP_DB, BOTTOM_DB] = [20, -10, -110];
const ASKED_DB = 30; // the height of the plot on either side of 0, for what is asked
const DECADES = [20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 20_000];

/** A stretch's spectrum as it was, as repaired, and of what was taken away; and what the filters are asked to do. */
export function SpectrumPlot({ spectra, theme, height }: { spectra: Spectra | null; theme: string; height: number }) {
  const [box, { width }] = useSize();
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (!canvas.current || width === 0) return;
    const ctx = prepare(canvas.current, width, height);
    if (ctx) drawSpectra(ctx, spectra, width, height, readInk());
  }, [spectra, theme, width, height]);
  return (
    <div ref={box} className="relative w-full" style={{ height }}>
      <canvas
        ref={canvas}
        className="absolute inset-0 h-full w-full"
        role="img"
        aria-label="Spectrum as it was, as repaired, and of the removed sound"
      />
    </div>
  );
}

function drawSpectra(ctx: CanvasRenderingContext2D, spectra: Spectra | null, width: number, height: number, ink: Ink) {
  const highHz = spectra?.hz.at(-1) ?? 20_000;
  const x = (hz: number) => 34 + ((width - 44) * Math.log(hz / LOW_HZ)) / Math.log(highHz / LOW_HZ);
  const y = (db: number) => 8 + ((height - 26) * (TOP_DB - Math.max(BOTTOM_DB, db))) / (TOP_DB - BOTTOM_DB);
  const yAsked = (db: number) =>
    8 + (height - 26) * (0.5 - Math.max(-ASKED_DB, Math.min(ASKED_DB, db)) / (2 * ASKED_DB));
  ctx.font = FIGURE_FONT;
  ctx.textBaseline = "top";
  for (const hz of DECADES.filter((one) => one <= highHz)) {
    ctx.fillStyle = ink.rule;
    ctx.fillRect(x(hz), 8, 1, height - 26);
    ctx.fillStyle = ink.quiet;
    ctx.fillText(hz >= 1000 ? `${hz / 1000} k` : String(hz), x(hz) + 2, height - 15);
  }
  for (let db = TOP_DB - 10; db > BOTTOM_DB; db -= 20) {
    ctx.fillStyle = ink.rule;
    ctx.fillRect(34, y(db), width - 44, 1);
    ctx.fillStyle = ink.quiet;
    ctx.fillText(String(db).replace("-", "−"), 4, y(db) - 6);
  }
  if (!spectra) return;
  const line = (
    values: readonly number[],
    place: (db: number) => number,
    colour: string,
    thick: number,
    dash: number[] = [],
  ) => {
    ctx.strokeStyle = colour;
    ctx.lineWidth = thick;
    ctx.setLineDash(dash);
    ctx.beginPath();
    values.forEach((db, k) => ctx.lineTo(x(spectra.hz[k] ?? LOW_HZ), place(db)));
    ctx.stroke();
    ctx.setLineDash([]);
  };
  line(spectra.as_it_was, y, ink.wave, 1.5);
  line(spectra.repaired, y, ink.core, 2);
  if (spectra.taken_away.some((db) => db > BOTTOM_DB)) line(spectra.taken_away, y, ink.unsure, 1.5, [5, 3]);
  if (spectra.asked_db.some((db) => Math.abs(db) > 0.01)) line(spectra.asked_db, yAsked, ink.chosen, 1.2, [2, 3]);
  legend(ctx, width, ink);
}

function legend(ctx: CanvasRenderingContext2D, width: number, ink: Ink) {
  const names = [
    ["as it was", ink.wave, [], 1.5],
    ["repaired", ink.core, [], 2],
    ["removed sound", ink.unsure, [5, 3], 1.5],
    ["what the filters are asked, ±30 dB", ink.chosen, [2, 3], 1.2],
  ] as const;
  let right = width - 12;
  for (const [name, colour, dash, thick] of [...names].reverse()) {
    right -= ctx.measureText(name).width;
    ctx.fillStyle = ink.quiet;
    ctx.fillText(name, right, 12);
    ctx.strokeStyle = colour;
    ctx.lineWidth = thick;
    ctx.setLineDash([...dash]);
    ctx.beginPath();
    ctx.moveTo(right - 22, 18);
    ctx.lineTo(right - 5, 18);
    ctx.stroke();
    ctx.setLineDash([]);
    right -= 36;
  }
}
