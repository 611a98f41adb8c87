import { useEffect, useRef, useState } from "react";

import type { Strip } from "../api/client";
import { useTheme } from "../frame/theme";
import { FIGURE_FONT, type Ink, readInk } from "../waveform/ink";
import { layoutStrip, type StripLayout } from "./stripLayout";

const HEIGHT = 74;
const LINE = 46; // the line on which the strokes stand

interface Look {
  word: string;
  /** Height of the stroke, and how far it goes below the line. */
  up: number;
  down: number;
  ink: (ink: Ink, style: CSSStyleDeclaration) => string;
  lozenge?: boolean;
}

const colour = (name: string) => (_: Ink, style: CSSStyleDeclaration) => style.getPropertyValue(name).trim();

/** How each state looks: by height as well as by colour, so that it is told without colours too. */
const LOOKS: Record<string, Look> = {
  unread: { word: "not read", up: 3, down: 0, ink: (ink) => ink.hatch },
  read: { word: "read once", up: 11, down: 0, ink: (ink) => ink.wave },
  agreed: { word: "twice the same", up: 20, down: 0, ink: colour("--color-accent") },
  settled: { word: "settled by more readings", up: 20, down: 9, ink: colour("--color-warning") },
  again: { word: "being read again", up: 30, down: 9, ink: colour("--color-primary") },
  disputed: { word: "not to be read", up: 30, down: 9, ink: colour("--color-error"), lozenge: true },
};

/** The disc from its first frame to its last, as strokes on a line. */
export function DiscStrip({ strip, starts }: { strip: Strip; starts: readonly { number: number; frame: number }[] }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(0);
  const theme = useTheme();
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const watcher = new ResizeObserver(([entry]) => setWidth(Math.floor(entry?.contentRect.width ?? 0)));
    watcher.observe(element);
    return () => watcher.disconnect();
  }, []);
  useEffect(() => {
    const element = canvas.current;
    const context = element?.getContext("2d");
    if (!element || !context || width === 0) return;
    const scale = window.devicePixelRatio || 1;
    if (element.width !== width * scale) element.width = width * scale;
    if (element.height !== HEIGHT * scale) element.height = HEIGHT * scale;
    context.setTransform(scale, 0, 0, scale, 0, 0);
    draw(context, layoutStrip(strip.marks, strip.frames, starts, width), strip.states, width);
  }, [strip, starts, width, theme]);
  const present = strip.states.filter((_, code) => strip.marks.includes(code));
  return (
    <div className="px-5 pb-2 pt-3">
      <canvas
        ref={canvas}
        role="img"
        aria-label={`The disc, frame by frame: ${present.map((one) => LOOKS[one]?.word).join(", ")}`}
        className="block w-full"
        style={{ height: HEIGHT }}
      />
      <ul className="flex flex-wrap gap-x-5 text-[12px]" aria-label="What the strokes mean">
        {present.map((one) => (
          <li key={one} className="flex items-center gap-1.5">
            <Sample state={one} />
            {LOOKS[one]?.word}
          </li>
        ))}
      </ul>
    </div>
  );
}

function draw(context: CanvasRenderingContext2D, layout: StripLayout, states: readonly string[], width: number): void {
  const ink = readInk();
  const style = getComputedStyle(document.documentElement);
  context.clearRect(0, 0, width, HEIGHT);
  context.fillStyle = ink.rule;
  context.fillRect(0, LINE, width, 1);
  const thick = Math.max(1, layout.gap - 1);
  states.forEach((state, code) => {
    const look = LOOKS[state];
    if (!look) return;
    context.fillStyle = look.ink(ink, style);
    for (const stroke of layout.strokes) {
      if (stroke.state !== code) continue;
      context.fillRect(stroke.x, LINE - look.up, thick, look.up + look.down);
      if (look.lozenge) lozenge(context, stroke.x + thick / 2, LINE - look.up - 5);
    }
  });
  context.font = FIGURE_FONT;
  for (const bound of layout.bounds) {
    context.fillStyle = ink.join;
    context.fillRect(Math.min(width - 1, bound.x), LINE, 1, 13);
    context.fillStyle = ink.quiet;
    context.fillText(bound.text, bound.x + 3, LINE + 22);
  }
}

function lozenge(context: CanvasRenderingContext2D, x: number, y: number): void {
  context.beginPath();
  context.moveTo(x, y - 4);
  context.lineTo(x + 4, y);
  context.lineTo(x, y + 4);
  context.lineTo(x - 4, y);
  context.fill();
}

function Sample({ state }: { state: string }) {
  const look = LOOKS[state];
  if (!look) return null;
  const names: Record<string, string> = {
    unread: "var(--ink-hatch)",
    read: "var(--ink-wave)",
    agreed: "var(--color-accent)",
    settled: "var(--color-warning)",
    again: "var(--color-primary)",
    disputed: "var(--color-error)",
  };
  return (
    <svg width="12" height="20" viewBox="0 0 9 16" aria-hidden fill={names[state]}>
      <rect x="3" y={12 - look.up / 3} width="3" height={(look.up + look.down) / 3} />
      {look.lozenge && <path d="M4 0l2.200 2.200L4 4.400 1.800 2.200z" />}
    </svg>
  );
}
