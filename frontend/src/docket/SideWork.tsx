import { type ReactNode, useMemo, useState } from "react";
import { useSearchParams } from "react-router";

import type { Docket, FoundTracks, PlanView, Side, Take, TrackSpan } from "../api/client";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { useTheme } from "../frame/theme";
import { player, useHearing } from "../player/player";
import { clamp, type Edge, edgeName, edgesOf, moveTo, preview, room, sameEdge } from "../waveform/edges";
import { Loupe } from "../waveform/Loupe";
import { centre, type LoupeView, magnify, MAX_SPAN_S } from "../waveform/loupeLayout";
import { Page, type Span } from "../waveform/Page";
import { fittingLineSeconds, scaleOf, type WaveHeight } from "../waveform/pageLayout";
import type { WaveformSource } from "../waveform/source";
import { useSize } from "../waveform/useSource";
import { clock } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { useSideSound } from "./sideSound";
import { nudgeCommands, Pace, useCarryKey } from "./nudging";
import { TracksMargin } from "./TracksMargin";
import { firstNumber as firstNumberOf } from "./useDocket";
import { usePlanEditing } from "./usePlanEditing";

interface Props {
  docket: Docket;
  side: Side;
  take: Take;
  plan: PlanView;
  title: ReactNode;
  source: WaveformSource;
  loaded: number;
}

const LOUPE_PX = 230;
const NEW_VIEW_S = 8;
const FOLLOW_MS = 250;

/** One side at work: page, loupe, margin, and the keys for all of it. */
export function SideWork({ docket, side, take, plan: planView, title, source, loaded }: Props) {
  const theme = useTheme();
  const hearing = useHearing();
  const { played } = useSideSound(docket, side, take);
  const [params, setParams] = useSearchParams();
  const { samples, rate_hz: rateHz } = source.index;
  const editing = usePlanEditing(docket.id, side);
  const [following] = useState(() => new Pace(FOLLOW_MS));
  const [tried, setTried] = useState<FoundTracks | null>(null);
  const plan = editing.ahead ?? planView.plan;
  const tracks = useMemo(() => plan.tracks ?? [], [plan]);
  const edges = useMemo(() => edgesOf(tracks), [tracks]);
  const drawn = useMemo(() => (tried ? asSpans(tried) : tracks), [tried, tracks]);
  const firstNumber = firstNumberOf(docket, side);
  const [box, desk] = useSize();
  const [selection, setSelection] = useState<Span | null>(null);
  const [carry, setCarry] = useState(false);
  const [ownLine, setOwnLine] = useState<number | null>(null);
  const [height, setHeight] = useState<WaveHeight>("fitted");

  const chosenName = params.get("edge");
  const chosen = edges.find((edge) => nameOf(edge) === chosenName) ?? null;
  const cursor = params.has("at") ? Number(params.get("at")) : null;
  const width = Math.max(1, desk.width);
  const [ownView, setView] = useState<LoupeView | null>(null);
  const view = ownView ?? startingView(chosen?.sample ?? cursor ?? edges[0]?.sample ?? 0, width, rateHz, samples);
  const pageHeight = Math.max(140, desk.height - LOUPE_PX - 34);
  const scale = scaleOf(height, take.sample_peak_dbfs);
  const lineSeconds = ownLine ?? fittingLineSeconds(samples / rateHz, pageHeight);

  const setPlace = (values: Record<string, string | null>) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        for (const [name, value] of Object.entries(values))
          if (value === null) next.delete(name);
          else next.set(name, value);
        return next;
      },
      // At once, so that a key pressed again acts on what the one before it chose.
      { replace: true, flushSync: true },
    );
  const look = (sample: number) => setView(centre(view, sample, width, samples));
  const choose = (edge: Edge, andLook = true) => {
    setPlace({ edge: nameOf(edge), at: null });
    if (andLook) look(edge.sample);
  };
  const hear = (from: number, to: number | null = null) => player.play(played, from, to);
  const move = (edge: Edge, sample: number, carried: boolean) => {
    const to = clamp(Math.round(sample), room(plan, edge, carried));
    if (to !== edge.sample)
      editing.edit.mutate({ edit: moveTo(edge, to, carried), ahead: preview(plan, edge, to, carried) });
  };
  // While it plays, what is heard follows what is dragged: a start from there on, an end up to there.
  const follow = (edge: Edge, sample: number) => {
    if (hearing?.playing && following.isDue()) hearAt(edge, sample);
  };
  const hearAt = (edge: Edge, sample: number) =>
    edge.kind === "end" ? hear(Math.max(0, sample - 2 * rateHz), sample) : hear(sample, sample + 3 * rateHz);
  const sign = () => {
    if (!chosen) return;
    editing.edit.mutate({
      edit: {
        op: "sign off",
        track_key: chosen.key,
        edge: chosen.kind === "end" ? "end" : "start",
        signed: !chosen.locked,
      },
    });
    if (!chosen.locked) step(1);
  };
  const snap = (to: "quietest moment" | "zero crossing") =>
    chosen && editing.snap.mutate({ track_key: chosen.key, edge: chosen.kind === "end" ? "end" : "start", to });
  const nudge = (ms: number) => chosen && move(chosen, chosen.sample + (ms * rateHz) / 1000, carry);
  const step = (by: 1 | -1) => {
    const at = edges.findIndex((edge) => sameEdge(edge, chosen));
    const next = edges[at < 0 ? (by > 0 ? 0 : edges.length - 1) : Math.min(edges.length - 1, Math.max(0, at + by))];
    if (next) choose(next);
  };
  const playOrStop = () => {
    if (hearing?.playing) player.stop();
    else if (selection) hear(selection.from, selection.to);
    else if (cursor !== null) hear(cursor);
    else if (chosen) hear(chosen.kind === "start" ? chosen.sample : Math.max(0, chosen.sample - 3 * rateHz));
    else hear(0);
  };
  const addTrack = () => {
    if (selection)
      editing.edit.mutate({
        edit: { op: "add track", from_sample: Math.round(selection.from), to_sample: Math.round(selection.to) },
      });
    setSelection(null);
  };
  const addJoin = () =>
    editing.edit.mutate({ edit: { op: "add join", at_sample: Math.round(cursor ?? player.position() ?? 0) } });
  const removeJoin = () =>
    chosen && editing.edit.mutate({ edit: { op: "remove join", track_key: joinTrack(chosen, edges) } });

  useCarryKey(setCarry);
  useCommands([
    { label: "Play from here, or stop", keys: ["Space"], perform: playOrStop },
    { label: "Previous edge", keys: [","], perform: () => step(-1), repeats: true },
    { label: "Next edge", keys: ["."], perform: () => step(1), repeats: true },
    ...nudgeCommands(nudge, !chosen),
    { label: "Move later joins too while held", keys: ["R"], perform: () => undefined },
    { label: "Sign off and go to the next", keys: ["Enter"], perform: sign, disabled: !chosen },
    { label: "To the quietest moment near", keys: ["Q"], perform: () => snap("quietest moment"), disabled: !chosen },
    { label: "Add a join at the cursor", keys: ["J"], perform: addJoin, disabled: cursor === null },
    { label: "Make the selection a track", keys: ["T"], perform: addTrack, disabled: !selection },
    { label: "Remove the join", keys: ["Delete", "Backspace"], perform: removeJoin, disabled: !chosen },
    {
      label: "Magnify",
      keys: ["+", "="],
      perform: () => setView(magnify(view, 0.5, width / 2, width, rateHz, samples)),
      repeats: true,
    },
    {
      label: "See more",
      keys: ["-"],
      perform: () => setView(magnify(view, 2, width / 2, width, rateHz, samples)),
      repeats: true,
    },
    { label: "Undo", keys: ["Ctrl+Z"], perform: () => editing.undo.mutate(), disabled: !planView.undo },
    { label: "Redo", keys: ["Ctrl+Shift+Z", "Ctrl+Y"], perform: () => editing.redo.mutate(), disabled: !planView.redo },
  ]);

  return (
    <Desk
      title={title}
      margin={
        <TracksMargin
          docket={docket}
          side={side}
          plan={{ ...planView, plan }}
          rateHz={rateHz}
          firstNumber={firstNumber}
          chosen={chosen}
          edges={edges}
          editing={editing}
          lineSeconds={lineSeconds}
          carry={carry}
          canAdd={cursor !== null}
          onCarry={setCarry}
          height={height}
          onHeight={setHeight}
          onLineSeconds={setOwnLine}
          onChoose={choose}
          onNudge={nudge}
          onSign={sign}
          onSnap={snap}
          onAdd={addJoin}
          onRemove={removeJoin}
          onHear={hear}
          onTry={setTried}
        />
      }
    >
      <div ref={box} className="flex h-full flex-col">
        {editing.error && <Trouble error={editing.error} />}
        <div className="min-h-0 flex-1 overflow-auto px-0 py-1">
          {desk.width > 0 && (
            <Page
              source={source}
              loaded={loaded}
              tracks={drawn}
              faults={take.transferred?.faults}
              firstNumber={firstNumber}
              lineSeconds={lineSeconds}
              height={pageHeight}
              theme={theme}
              scale={scale}
              chosenTrack={chosen?.key ?? null}
              selection={selection}
              loupe={{ from: view.firstSample, to: view.firstSample + width * view.samplesPerPx }}
              label={`Page: ${side.name} in lines of ${lineSeconds} s`}
              onPlace={(sample) => {
                setPlace({ at: String(sample), edge: null });
                look(sample);
                hear(sample);
              }}
              onSelect={(span) => {
                setSelection(span);
                if (span) setView(fitting(span, width, rateHz, samples));
              }}
            />
          )}
        </div>
        <Loupe
          source={source}
          loaded={loaded}
          plan={tried ? { ...plan, tracks: drawn } : plan}
          firstNumber={firstNumber}
          view={view}
          width={width}
          height={LOUPE_PX}
          theme={theme}
          scale={scale}
          chosen={chosen}
          cursor={cursor}
          carry={carry}
          onView={setView}
          onChoose={(edge) => choose(edge, false)}
          onMove={(edge, sample, carried) => {
            choose(edge, false);
            move(edge, sample, carried);
            if (hearing?.playing) hearAt(edge, sample);
          }}
          onDrag={follow}
          onCursor={(sample) => setPlace({ at: String(sample), edge: null })}
        />
        <Status
          onAddTrack={addTrack}
          chosen={chosen}
          cursor={cursor}
          selection={selection}
          rateHz={rateHz}
          firstNumber={firstNumber}
          carry={carry}
        />
      </div>
    </Desk>
  );
}

/** What would be found, as tracks to be drawn; none of them can be taken hold of. */
const asSpans = (found: FoundTracks): TrackSpan[] =>
  found.tracks.map((track, index) => ({
    key: `tried ${index}`,
    start_sample: track.start_sample,
    end_sample: track.end_sample,
    confidence: track.confidence,
    start: { confidence: track.start?.confidence ?? null, reason: track.start?.reason ?? "", signed_by: null },
    end: { confidence: track.end?.confidence ?? null, reason: track.end?.reason ?? "", signed_by: null },
  }));

const nameOf = (edge: Edge): string => `${edge.kind} ${edge.key}`;

/** The track whose join goes when an edge is removed: the one after it. */
function joinTrack(chosen: Edge, edges: readonly Edge[]): string {
  if (chosen.kind !== "end") return chosen.key;
  return edges.find((edge) => edge.index === chosen.index + 1)?.key ?? chosen.key;
}

function startingView(sample: number, width: number, rateHz: number, samples: number): LoupeView {
  const span = Math.min(NEW_VIEW_S, MAX_SPAN_S) * rateHz;
  return centre({ firstSample: 0, samplesPerPx: span / width }, sample, width, samples);
}

/** A view that shows a selection whole, or its middle half-minute. */
function fitting(span: Span, width: number, rateHz: number, samples: number): LoupeView {
  const shown = Math.min(1.1 * (span.to - span.from), MAX_SPAN_S * rateHz);
  return centre({ firstSample: 0, samplesPerPx: shown / width }, (span.from + span.to) / 2, width, samples);
}

function Status(props: {
  chosen: Edge | null;
  cursor: number | null;
  selection: Span | null;
  rateHz: number;
  firstNumber: number;
  carry: boolean;
  onAddTrack: () => void;
}) {
  const { chosen, cursor, selection, rateHz, firstNumber, carry } = props;
  return (
    <div className="flex h-[33px] items-center gap-5 whitespace-nowrap px-4 text-[12.5px]" aria-live="polite">
      {chosen && (
        <span>
          Chosen: <b className="font-medium">{edgeName(chosen, firstNumber)}</b> at{" "}
          <span className="figure">{clock(chosen.sample, rateHz)}</span>, sample{" "}
          <span className="figure">{chosen.sample.toLocaleString("en-GB")}</span>
        </span>
      )}
      {cursor !== null && (
        <span>
          Cursor <span className="figure">{clock(cursor, rateHz)}</span>
        </span>
      )}
      {selection && (
        <span>
          Selected <span className="figure">{clock(selection.to - selection.from, rateHz)}</span>
          <button type="button" className="press ml-2 !px-1.5 !py-0" onClick={props.onAddTrack}>
            Make it a track
          </button>
        </span>
      )}
      {carry && <span className="text-error">carrying the rest</span>}
      <span className="quiet ml-auto min-w-0 truncate">
        Wheel magnifies · drag an edge to move it · ? shows the keys
      </span>
    </div>
  );
}
