import { type PointerEvent, useEffect, useMemo, useRef, useState } from "react";

import type { Plan } from "../api/client";
import { player, useHearing } from "../player/player";
import { useFrames } from "../player/useFrames";
import { drawLoupe, prepare } from "./drawing";
import { clamp, type Edge, preview, room } from "./edges";
import { readInk } from "./ink";
import { layoutLoupe, type LoupeEdge, type LoupeView, magnify, shift } from "./loupeLayout";
import type { WaveformSource } from "./source";

interface Props {
  source: WaveformSource;
  loaded: number;
  plan: Plan;
  firstNumber: number;
  view: LoupeView;
  width: number;
  height: number;
  theme: string;
  /** How much taller than full scale samples are drawn. */
  scale: number;
  chosen: Edge | null;
  cursor: number | null;
  /** Whether R is held: later tracks are carried along. */
  carry: boolean;
  onView: (view: LoupeView) => void;
  onChoose: (edge: Edge) => void;
  onMove: (edge: Edge, sample: number, carry: boolean) => void;
  onCursor: (sample: number) => void;
  /** While an edge is being dragged: where it is now. */
  onDrag: (edge: Edge, sample: number) => void;
}

type Gesture =
  | { kind: "edge"; edge: Edge; sample: number; carry: boolean }
  | { kind: "pan"; x: number; view: LoupeView; moved: boolean };

const GRAB_PX = 7;

/** The place of work, magnified. Wheel to magnify, drag an edge to move it, drag the ground to look elsewhere. */
export function Loupe(props: Props) {
  const { source, loaded, plan, firstNumber, view, width, height, theme, scale, chosen, onView } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const surface = useRef<HTMLDivElement>(null);
  const line = useRef<HTMLDivElement>(null);
  const [gesture, setGesture] = useState<Gesture | null>(null);
  const hearing = useHearing();
  const { samples, rate_hz: rateHz } = source.index;
  const shown = gesture?.kind === "edge" ? preview(plan, gesture.edge, gesture.sample, gesture.carry) : plan;
  const layout = useMemo(
    () => layoutLoupe(shown, rateHz, view, width, height, firstNumber),
    [shown, rateHz, view, width, height, firstNumber],
  );
  const chosenName = chosen && `${chosen.kind} ${chosen.key}`;

  useEffect(() => {
    if (!canvas.current || width === 0) return;
    const ctx = prepare(canvas.current, width, height);
    if (ctx) drawLoupe(ctx, layout, source, readInk(), scale, chosenName);
  }, [layout, source, loaded, theme, scale, chosenName, width, height]);

  const heard = hearing?.takeId === source.takeId;
  useFrames(heard && !!hearing?.playing, () => {
    const position = heard ? player.position() : null;
    if (!line.current) return;
    const x = position === null ? -1 : (position - view.firstSample) / view.samplesPerPx;
    line.current.style.display = x < 0 || x > width ? "none" : "block";
    line.current.style.transform = `translateX(${x}px)`;
  });

  // React's wheel listeners are passive, and a page that scrolls while one magnifies is no use.
  useEffect(() => {
    const element = surface.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      const x = event.clientX - element.getBoundingClientRect().left;
      if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY))
        onView(shift(view, event.deltaX || event.deltaY, width, samples));
      else onView(magnify(view, 1.0015 ** event.deltaY, x, width, rateHz, samples));
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, [view, width, rateHz, samples, onView]);

  const pointerX = (event: PointerEvent<HTMLElement>) =>
    event.clientX - event.currentTarget.getBoundingClientRect().left;
  const sampleAtX = (x: number) => Math.round(view.firstSample + x * view.samplesPerPx);
  const near = (x: number): LoupeEdge | undefined =>
    layout.edges
      .filter((edge) => Math.abs(edge.x - x) <= GRAB_PX)
      // Of two that lie close, the one whose own side the pointer is on.
      .sort((a, b) => Math.abs(a.x - x) - Math.abs(b.x - x) || (a.kind === "end" ? 1 : -1))[0];

  const onDown = (event: PointerEvent<HTMLElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    const x = pointerX(event);
    const edge = near(x);
    if (edge) {
      props.onChoose(edge);
      setGesture({ kind: "edge", edge, sample: edge.sample, carry: props.carry });
    } else setGesture({ kind: "pan", x, view, moved: false });
  };
  const onMoved = (event: PointerEvent<HTMLElement>) => {
    const x = pointerX(event);
    if (!gesture) {
      event.currentTarget.style.cursor = near(x) ? "ew-resize" : "grab";
    } else if (gesture.kind === "edge") {
      const carry = props.carry || gesture.carry;
      const sample = clamp(sampleAtX(x), room(plan, gesture.edge, carry));
      setGesture({ ...gesture, carry, sample });
      if (sample !== gesture.sample) props.onDrag(gesture.edge, sample);
    } else if (gesture.moved || Math.abs(x - gesture.x) > 3) {
      setGesture({ ...gesture, moved: true });
      onView(shift(gesture.view, gesture.x - x, width, samples));
    }
  };
  const onUp = (event: PointerEvent<HTMLElement>) => {
    if (gesture?.kind === "edge" && gesture.sample !== gesture.edge.sample)
      props.onMove(gesture.edge, gesture.sample, gesture.carry);
    if (gesture?.kind === "pan" && !gesture.moved) props.onCursor(sampleAtX(pointerX(event)));
    setGesture(null);
  };

  const cursorX = props.cursor === null ? -1 : (props.cursor - view.firstSample) / view.samplesPerPx;
  return (
    <div className="relative w-full select-none overflow-hidden border-y border-base-300" style={{ height }}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      {cursorX >= 0 && cursorX <= width && (
        <div
          className="pointer-events-none absolute bottom-0 top-4 border-l border-dashed border-primary"
          style={{ left: cursorX }}
        />
      )}
      <div
        ref={line}
        className="pointer-events-none absolute bottom-0 left-0 top-4 w-[2px]"
        style={{ background: "var(--ink-play)", display: "none" }}
      />
      <div
        ref={surface}
        role="img"
        aria-label="Loupe: the place of work, magnified"
        data-testid="loupe"
        data-first-sample={Math.round(view.firstSample)}
        data-samples-per-px={view.samplesPerPx}
        className="absolute inset-0 touch-none"
        onPointerDown={onDown}
        onPointerMove={onMoved}
        onPointerUp={onUp}
        onPointerCancel={() => setGesture(null)}
      />
    </div>
  );
}
