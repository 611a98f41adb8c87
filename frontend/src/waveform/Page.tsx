import { clsx } from "clsx";
import { type PointerEvent, useEffect, useMemo, useRef, useState } from "react";

import type { Fault, TrackSpan } from "../api/client";
import { player, useHearing } from "../player/player";
import { useFrames } from "../player/useFrames";
import { drawPage, prepare } from "./drawing";
import { readInk } from "./ink";
import { layoutPage, pageHeight, placeOf, sampleAt, spansOf } from "./pageLayout";
import type { WaveformSource } from "./source";
import { clock } from "../words/figures";
import { useSize } from "./useSource";

export interface Span {
  from: number;
  to: number;
}

interface Props {
  source: WaveformSource;
  loaded: number;
  tracks: readonly TrackSpan[];
  firstNumber: number;
  lineSeconds: number;
  height: number;
  theme: string;
  /** How much taller than full scale samples are drawn. */
  scale: number;
  chosenTrack: string | null;
  selection: Span | null;
  /** What the loupe shows, as a frame on the page. */
  loupe: Span | null;
  label: string;
  /** What went wrong while it was recorded, and where. */
  faults?: readonly Fault[];
  /** Whether tracks can be marked on it at all: what lies outside them is hatched only then. */
  bare?: boolean;
  /** Repairs as [start, length, whether mended], drawn as ticks under the lines. */
  places?: Int32Array;
  onPlace: (sample: number) => void;
  onSelect: (span: Span | null) => void;
}

/** A whole side as lines of waveform. Click to hear from there, drag to select. */
export function Page(props: Props) {
  const { source, loaded, tracks, firstNumber, lineSeconds, height, theme, scale, chosenTrack, selection, loupe } =
    props;
  const [box, { width }] = useSize();
  const canvas = useRef<HTMLCanvasElement>(null);
  const line = useRef<HTMLDivElement>(null);
  const [drag, setDrag] = useState<Span | null>(null);
  const hearing = useHearing();
  const { rate_hz: rateHz } = source.index;
  const { samples } = source.index;
  const bare = props.bare ?? false;
  const places = props.places ?? null;
  const layout = useMemo(
    () => layoutPage({ samples, rateHz, width, height, lineSeconds, tracks, firstNumber, bare }),
    [samples, rateHz, width, height, lineSeconds, tracks, firstNumber, bare],
  );

  useEffect(() => {
    if (!canvas.current || width === 0) return;
    const ctx = prepare(canvas.current, width, pageHeight(layout));
    if (ctx) drawPage(ctx, layout, source, readInk(), scale, chosenTrack, places);
  }, [layout, source, loaded, theme, scale, chosenTrack, width, places]);

  const heard = hearing?.takeId === source.takeId;
  useFrames(heard && !!hearing?.playing, () => {
    const position = heard ? player.position() : null;
    if (!line.current) return;
    line.current.style.display = position === null ? "none" : "block";
    if (position === null) return;
    const { x, top } = placeOf(layout, position);
    line.current.style.transform = `translate(${x}px, ${top}px)`;
  });

  const at = (event: PointerEvent<HTMLElement>) => {
    const rect = event.currentTarget.getBoundingClientRect();
    return sampleAt(layout, event.clientX - rect.left, event.clientY - rect.top);
  };
  const shown = drag ?? selection;
  return (
    <div ref={box} className="relative w-full select-none" style={{ height: pageHeight(layout) }}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      {loupe &&
        spansOf(layout, loupe.from, loupe.to).map((span) => (
          <div
            key={span.top}
            className="pointer-events-none absolute border border-primary"
            style={{ left: span.x, top: span.top + 1, width: Math.max(3, span.width), height: layout.lineHeight - 2 }}
          />
        ))}
      {shown &&
        spansOf(layout, Math.min(shown.from, shown.to), Math.max(shown.from, shown.to)).map((span) => (
          <div
            key={span.top}
            className="pointer-events-none absolute bg-primary/25"
            style={{ left: span.x, top: span.top + 3, width: span.width, height: layout.lineHeight - 6 }}
          />
        ))}
      {props.faults?.map((fault, number) => {
        const { x, top } = placeOf(layout, fault.at_sample);
        return (
          <div
            key={`${fault.kind} ${fault.at_sample} ${number}`}
            role="img"
            aria-label={`Fault at ${clock(fault.at_sample, rateHz)}: ${fault.words}`}
            title={`${clock(fault.at_sample, rateHz)}: ${fault.words}`}
            className={clsx(
              "absolute z-10 w-[2px] bg-error before:absolute before:-left-[4px] before:top-0",
              "before:h-[10px] before:w-[10px] before:rotate-45 before:bg-error",
            )}
            style={{ left: x - 1, top: top + 2, height: layout.lineHeight - 4 }}
          />
        );
      })}
      <div
        ref={line}
        className="pointer-events-none absolute left-0 top-0 w-[2px]"
        style={{ background: "var(--ink-play)", height: layout.lineHeight, display: "none" }}
      />
      <div
        role="img"
        aria-label={props.label}
        className="absolute inset-0 cursor-text touch-none"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setDrag({ from: at(event), to: at(event) });
        }}
        onPointerMove={(event) => drag && setDrag({ ...drag, to: at(event) })}
        onPointerUp={() => {
          if (!drag) return;
          setDrag(null);
          const [from, to] = [Math.min(drag.from, drag.to), Math.max(drag.from, drag.to)];
          if ((to - from) / layout.samplesPerPx > 4) props.onSelect({ from, to });
          else {
            props.onSelect(null);
            props.onPlace(drag.from);
          }
        }}
        onPointerCancel={() => setDrag(null)}
      />
    </div>
  );
}
