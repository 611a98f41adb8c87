import { type PointerEvent, useEffect, useRef, useState } from "react";

import { player, useHearing } from "../player/player";
import { useFrames } from "../player/useFrames";
import { prepare } from "../waveform/drawing";
import { readInk } from "../waveform/ink";
import { type LoupeView, magnify, shift } from "../waveform/loupeLayout";
import type { Span } from "../waveform/Page";
import { drawLanes, type Lane, laneHeight, type Lanes, RULER_PX } from "./laneDrawing";
import { drawnThrough } from "./places";

interface Props extends Lanes {
  lanes: readonly Lane[];
  /** Grows when more of any lane has come. */
  loaded: number;
  takeId: number;
  samples: number;
  theme: string;
  onView: (view: LoupeView) => void;
  onSelect: (span: Span | null) => void;
  onPlace: (sample: number) => void;
  onDraw: (values: number[]) => void;
}

export const LOUPE_MAX_S = 4;

/**
 * The place of work before, after, and the removed sound, one under the other. Drag to select, turn the wheel to
 * magnify.
 */
export function RepairLoupe(props: Props) {
  const { lanes, loaded, view, width, height, rateHz, samples, theme, onView, drawn } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const surface = useRef<HTMLDivElement>(null);
  const line = useRef<HTMLDivElement>(null);
  const scale = useRef(1);
  const points = useRef<{ sample: number; value: number }[]>([]);
  const [drag, setDrag] = useState<Span | null>(null);
  const hearing = useHearing();
  const selection = drag ? { from: Math.min(drag.from, drag.to), to: Math.max(drag.from, drag.to) } : props.selection;

  useEffect(() => {
    if (!canvas.current || width === 0) return;
    const ctx = prepare(canvas.current, width, height);
    if (ctx) scale.current = drawLanes(ctx, lanes, { ...props, selection }, readInk());
    // Whatever is drawn is a prop; `loaded` and `theme` say that the same props look otherwise.
  });

  const heard = hearing?.takeId === props.takeId;
  useFrames(heard && !!hearing?.playing, () => {
    const position = heard ? player.position() : null;
    if (!line.current) return;
    const x = position === null ? -1 : (position - view.firstSample) / view.samplesPerPx;
    line.current.style.display = x < 0 || x > width ? "none" : "block";
    line.current.style.transform = `translateX(${x}px)`;
  });

  useEffect(() => {
    const element = surface.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      const x = event.clientX - element.getBoundingClientRect().left;
      if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY))
        onView(shift(view, event.deltaX || event.deltaY, width, samples));
      else onView(limited(magnify(view, 1.0015 ** event.deltaY, x, width, rateHz, samples), x, width, rateHz));
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, [view, width, rateHz, samples, onView]);

  const sampleAt = (event: PointerEvent<HTMLElement>) => {
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left;
    return Math.max(0, Math.min(samples, Math.round(view.firstSample + x * view.samplesPerPx)));
  };
  const valueAt = (event: PointerEvent<HTMLElement>) => {
    const y = event.clientY - event.currentTarget.getBoundingClientRect().top - RULER_PX;
    const strip = laneHeight(props, lanes.length) / props.channels.length;
    const index = props.channels.indexOf(drawn?.channel ?? 0);
    return (strip * (index + 0.5) - y) / ((strip / 2 - 3) * scale.current);
  };
  const draw = (event: PointerEvent<HTMLElement>) => {
    if (!drawn) return;
    points.current.push({ sample: sampleAt(event), value: valueAt(event) });
    props.onDraw(drawnThrough(points.current.slice(-2), drawn.start, drawn.start + drawn.values.length, drawn.values));
  };
  const onDown = (event: PointerEvent<HTMLElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    points.current = [];
    if (drawn) draw(event);
    else setDrag({ from: sampleAt(event), to: sampleAt(event) });
  };
  const onMove = (event: PointerEvent<HTMLElement>) => {
    if (event.buttons === 0) return;
    if (drawn) draw(event);
    else if (drag) setDrag({ ...drag, to: sampleAt(event) });
  };
  const onUp = () => {
    if (drag && selection) {
      const isDragged = (selection.to - selection.from) / view.samplesPerPx > 3;
      props.onSelect(isDragged ? selection : null);
      if (!isDragged) props.onPlace(drag.from);
    }
    setDrag(null);
  };
  return (
    <div className="relative w-full select-none overflow-hidden border-y border-base-300" style={{ height }}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" data-loaded={loaded} data-theme-drawn={theme} />
      <div
        ref={line}
        className="pointer-events-none absolute bottom-0 left-0 top-4 w-[2px]"
        style={{ background: "var(--ink-play)", display: "none" }}
      />
      <div
        ref={surface}
        role="img"
        aria-label="Loupe: as it was, repaired, and removed sound"
        data-testid="loupe"
        data-first-sample={Math.round(view.firstSample)}
        data-samples-per-px={view.samplesPerPx}
        className={`absolute inset-0 touch-none ${drawn ? "cursor-crosshair" : "cursor-text"}`}
        onPointerDown={onDown}
        onPointerMove={onMove}
        onPointerUp={onUp}
        onPointerCancel={() => setDrag(null)}
      />
    </div>
  );
}

/** No more than a few seconds: what is shown must be rendered first. */
function limited(view: LoupeView, aroundPx: number, width: number, rateHz: number): LoupeView {
  const most = (LOUPE_MAX_S * rateHz) / width;
  if (view.samplesPerPx <= most) return view;
  const anchor = view.firstSample + aroundPx * view.samplesPerPx;
  return { firstSample: Math.max(0, anchor - aroundPx * most), samplesPerPx: most };
}
