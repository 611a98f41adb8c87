import { clsx } from "clsx";
import { Check, Play } from "lucide-react";
import { useEffect, useRef } from "react";

import { prepare } from "../waveform/drawing";
import { readInk } from "../waveform/ink";
import { drawJoin } from "../waveform/joinDrawing";
import { type Join, joinName, type Part, reasons, standing } from "../waveform/joins";
import type { WaveformSource } from "../waveform/source";
import { useSize } from "../waveform/useSource";
import { chance, clock } from "../words/figures";

interface Props {
  join: Join;
  firstNumber: number;
  titles: [string, string];
  source: WaveformSource;
  loaded: number;
  theme: string;
  floorDbfs: number | null;
  isChosen: boolean;
  isPlaying: boolean;
  part: Part;
  onChoose: (part: Part) => void;
  onHear: () => void;
  onSign: () => void;
}

const PICTURE_PX = 98;
const COLOUR = {
  "signed off": "text-success",
  "set by hand": "",
  sure: "",
  likely: "",
  "to hear": "text-warning",
} as const;

/** One join of the sheet: its picture, how sure it is and why, and what is done with it most. */
export function JoinCard(props: Props) {
  const { join, source, loaded, theme, floorDbfs, isChosen, part, firstNumber } = props;
  const [box, { width }] = useSize();
  const canvas = useRef<HTMLCanvasElement>(null);
  const card = useRef<HTMLElement>(null);
  const rateHz = source.index.rate_hz;
  useEffect(() => {
    if (!canvas.current || width === 0) return;
    const ctx = prepare(canvas.current, width, PICTURE_PX);
    if (ctx) drawJoin(ctx, join, source, readInk(), { width, height: PICTURE_PX, rateHz, floorDbfs, part, isChosen });
  }, [join, source, loaded, theme, width, rateHz, floorDbfs, part, isChosen]);
  useEffect(() => {
    if (isChosen) card.current?.scrollIntoView({ block: "nearest" });
  }, [isChosen]);
  const word = standing(join);
  const gap = join.before && join.after ? (join.after.start_sample - join.before.end_sample) / rateHz : null;
  const told = join.confidence !== null && !join.signedBy ? `, ${chance(join.confidence)}` : "";
  return (
    // Keys choose a card by commands of the whole sheet, which need no focus on it.
    // eslint-disable-next-line jsx-a11y/click-events-have-key-events, jsx-a11y/no-noninteractive-element-interactions
    <article
      ref={card}
      aria-label={`Join ${joinName(join, firstNumber)}`}
      aria-current={isChosen}
      data-join={join.id}
      className={clsx(
        "flex flex-col border bg-base-100",
        isChosen ? "border-error outline outline-1 outline-error" : "border-base-300",
      )}
      onClick={() => props.onChoose("both")}
    >
      <header className="flex items-baseline gap-2 px-2 pt-1 text-[12.5px]">
        <b className="figure whitespace-nowrap font-medium">{joinName(join, firstNumber)}</b>
        <span className={`ml-auto whitespace-nowrap ${COLOUR[word]}`}>
          {word === "signed off" && <Check size={13} aria-hidden className="mr-0.5 inline" />}
          {word}
          {told}
        </span>
      </header>
      <div className="flex justify-between gap-2 px-2 text-[11.5px]">
        <Place
          label="end"
          chosen={isChosen && part !== "start"}
          sample={join.before?.end_sample}
          title={props.titles[0]}
          rateHz={rateHz}
          onChoose={() => props.onChoose("end")}
        />
        <span className="figure quiet">{gap === null ? "" : gap === 0 ? "no gap" : `${gap.toFixed(1)} s`}</span>
        <Place
          label="start"
          chosen={isChosen && part !== "end"}
          sample={join.after?.start_sample}
          title={props.titles[1]}
          rateHz={rateHz}
          onChoose={() => props.onChoose("start")}
        />
      </div>
      <div ref={box} className="mx-2 mt-0.5" style={{ height: PICTURE_PX }}>
        <canvas
          ref={canvas}
          className="h-full w-full"
          role="img"
          aria-label="The last three seconds before and the first three after"
        />
      </div>
      <footer className="flex items-center gap-1.5 px-2 py-1 text-[12px]">
        <button
          type="button"
          className="press !px-1.5 !py-0"
          onClick={(event) => {
            event.stopPropagation();
            props.onHear();
          }}
          aria-label={`Hear ${joinName(join, firstNumber)}`}
        >
          <Play size={12} aria-hidden /> {props.isPlaying ? "again" : "hear"}
        </button>
        <span className="quiet min-w-0 flex-1 truncate" title={reasons(join).join(" · ")}>
          {reasons(join)[0] ?? ""}
        </span>
        <button
          type="button"
          className="press !px-1.5 !py-0"
          onClick={(event) => {
            event.stopPropagation();
            props.onSign();
          }}
        >
          {join.signedBy ? "take back" : "sign off"}
        </button>
      </footer>
    </article>
  );
}

function Place(props: {
  label: string;
  chosen: boolean;
  sample: number | undefined;
  title: string;
  rateHz: number;
  onChoose: () => void;
}) {
  if (props.sample === undefined) return <span className="quiet">{props.label === "end" ? "lead-in" : "run-out"}</span>;
  return (
    <button
      type="button"
      className={`figure whitespace-nowrap ${props.chosen ? "text-error underline" : ""}`}
      title={`${props.label}${props.title ? ` of ${props.title}` : ""}: move only this`}
      onClick={(event) => {
        event.stopPropagation();
        props.onChoose();
      }}
    >
      {clock(props.sample, props.rateHz)}
    </button>
  );
}
