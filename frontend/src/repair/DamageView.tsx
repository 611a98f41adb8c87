import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useMemo, useState } from "react";
import { useSearchParams } from "react-router";

import type { Docket, Listed, PlanView, RepairsWanted, RepairState, Side, Take } from "../api/client";
import { repairsQuery } from "../api/queries";
import { nudgeCommands } from "../docket/nudging";
import { firstNumber } from "../docket/useDocket";
import { useSideSound } from "../docket/sideSound";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { useTheme } from "../frame/theme";
import { player, useHearing } from "../player/player";
import { centre, type LoupeView, magnify } from "../waveform/loupeLayout";
import { Page, type Span } from "../waveform/Page";
import { fittingLineSeconds, scaleOf } from "../waveform/pageLayout";
import type { WaveformSource } from "../waveform/source";
import { useSize } from "../waveform/useSource";
import { shortClock } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { DamageMargin } from "./DamageMargin";
import { placesWithin } from "./places";
import { type Filter, nameOf, RepairList } from "./RepairList";
import { LOUPE_MAX_S, RepairLoupe } from "./RepairLoupe";
import { useDamage, useRepairing, type Verdict } from "./useRepairing";
import { useHeard } from "./useHeard";
import { useLearning } from "./useLearning";

export interface ViewProps {
  docket: Docket;
  side: Side;
  take: Take;
  plan: PlanView;
  title: ReactNode;
  source: WaveformSource;
  loaded: number;
}

const LOUPE_PX = 228;
const PAGE_SHARE = 0.34;
const AROUND_S = 0.06;
const HEARD_AROUND_S = 0.75;
const MORE = 200;
const MOST_ACCEPTED = 5_000;
const STATES: Record<Filter["show"], RepairState[]> = {
  decided: ["mended", "accepted", "refused"],
  refused: ["refused"],
  left: ["left"],
  all: ["mended", "accepted", "refused", "left"],
};

/** The damage of one side: page, loupe, the list of repairs, and the keys for all of it. */
export function DamageView({ docket, side, take, plan: planView, title, source, loaded }: ViewProps) {
  const theme = useTheme();
  const cache = useQueryClient();
  const hearing = useHearing();
  const [params, setParams] = useSearchParams();
  const { samples, rate_hz: rateHz, channels } = source.index;
  const repairing = useRepairing(docket, side, planView);
  const { played, state, error: hearingError } = useSideSound(docket, side, take);
  const damage = useDamage(side, null);
  const [filter, setFilter] = useState<Filter>({ kind: "", show: "decided", order: "place" });
  const [region, setRegion] = useState<Span | null>(null);
  const [count, setCount] = useState(MORE);
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [selection, setSelection] = useState<Span | null>(null);
  const [handChannel, setHandChannel] = useState<number | null>(null);
  const [drawn, setDrawn] = useState<number[] | null>(null);
  const [box, desk] = useSize();
  const width = Math.max(1, desk.width);

  const wanted: RepairsWanted = {
    states: STATES[filter.show],
    order: filter.order,
    count,
    ...(filter.kind ? { kinds: [filter.kind] } : {}),
    ...(region ? { from_sample: Math.round(region.from), to_sample: Math.round(region.to) } : {}),
  };
  const list = useQuery({
    ...repairsQuery(side.id, planView.version, wanted),
    enabled: damage.found !== null,
    placeholderData: keepPreviousData,
  });
  const repairs = useMemo(() => list.data?.repairs ?? [], [list.data]);
  const chosenName = params.get("repair");
  const chosen = repairs.find((one) => nameOf(one) === chosenName) ?? null;
  const [ownView, setView] = useState<LoupeView | null>(null);
  const view = ownView ?? around(chosen?.start ?? repairs[0]?.start ?? 0, chosen?.length ?? 0, width, rateHz, samples);

  const looked = {
    first: Math.max(0, Math.floor(view.firstSample / (state?.speed_ratio ?? 1))),
    count: Math.ceil((width * view.samplesPerPx) / (state?.speed_ratio ?? 1)),
  };
  const [repaired, repairedLoaded] = useHeard(side.id, state, "repaired", source, looked);
  const [taken, takenLoaded] = useHeard(side.id, state, "taken away", source, looked);
  const ratio = state?.speed_ratio ?? 1;
  const lanes = [
    { name: "as it was", source, ratio: 1 },
    // Before anything is asked for there is nothing else to be seen.
    ...(state
      ? [
          { name: "repaired", source: repaired, ratio },
          { name: "removed sound", source: taken, ratio },
        ]
      : []),
  ];
  const shownChannels = useMemo(
    () => (handChannel === null ? Array.from({ length: channels }, (_, k) => k) : [handChannel]),
    [handChannel, channels],
  );

  const hear = (from: number, to: number | null = null) => player.play(played, from, to);
  const place = (name: string | null) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        if (name === null) next.delete("repair");
        else next.set("repair", name);
        return next;
      },
      { replace: true, flushSync: true },
    );
  const look = (repair: Listed) => {
    place(nameOf(repair));
    setView(around(repair.start, repair.length, width, rateHz, samples));
    setSelection({ from: repair.start, to: repair.start + repair.length });
    setHandChannel(repair.channel === "both" || channels === 1 ? null : Number(repair.channel));
    setDrawn(null);
    if (hearing?.playing) hearAround(repair);
  };
  const choose = (repair: Listed, add: boolean, range: boolean) => {
    const name = nameOf(repair);
    const names = repairs.map(nameOf);
    if (range && chosenName) {
      const [a, b] = [names.indexOf(chosenName), names.indexOf(name)].sort((one, other) => one - other);
      setPicked(new Set(names.slice(Math.max(0, a ?? 0), (b ?? 0) + 1)));
    } else if (add)
      setPicked(
        new Set(
          picked.has(name)
            ? [...picked].filter((one) => one !== name)
            : [...picked, ...(chosenName ? [chosenName] : []), name],
        ),
      );
    else setPicked(new Set());
    look(repair);
  };
  const step = (by: 1 | -1) => {
    const at = repairs.findIndex((one) => nameOf(one) === chosenName);
    const next = repairs[at < 0 ? 0 : Math.min(repairs.length - 1, Math.max(0, at + by))];
    if (next) look(next);
    if (at + by >= repairs.length - 5) setCount((before) => before + MORE);
  };
  const hearAround = (repair: Listed) =>
    player.playSpans(
      played,
      [
        [
          Math.max(0, repair.start - HEARD_AROUND_S * rateHz),
          Math.min(samples, repair.start + repair.length + HEARD_AROUND_S * rateHz),
        ],
      ],
      true,
    );
  const playOrStop = () => {
    if (hearing?.playing) player.stop();
    else if (chosen) hearAround(chosen);
    else if (selection) hear(selection.from, selection.to);
    else hear(view.firstSample);
  };

  const meant = picked.size > 0 ? repairs.filter((one) => picked.has(nameOf(one))) : chosen ? [chosen] : [];
  const verdictOf = (one: Listed, mend: boolean): Verdict => ({
    start: one.start,
    end: one.start + one.length,
    channel: one.channel === "both" ? null : Number(one.channel),
    mend,
    kind: null,
  });
  const judge = (mend: boolean) => {
    const byHand = meant.filter((one) => one.key);
    if (!mend) for (const one of byHand) if (one.key) repairing.leaveByHand(one.key);
    repairing.judge(meant.filter((one) => !one.key).map((one) => verdictOf(one, mend)));
    if (picked.size === 0) step(1);
    setPicked(new Set());
  };
  const judgeListed = async (mend: boolean) => {
    if (mend) {
      // Those that are listed and no others: all that the scan ever asked about would be far too much.
      const all = await cache.fetchQuery(repairsQuery(side.id, planView.version, { ...wanted, count: MOST_ACCEPTED }));
      return repairing.judge(all.repairs.filter((one) => !one.key).map((one) => verdictOf(one, true)));
    }
    // A stretch or a kind that is refused stays as it was, whatever another amount would find in it.
    const [start, end] = region ? [Math.round(region.from), Math.round(region.to)] : [0, samples];
    return repairing.judge([{ start, end, channel: null, mend, kind: (filter.kind || null) as Verdict["kind"] }]);
  };
  const forget = () => repairing.forget(meant.map((one) => [one.start, one.start + one.length]));
  const nudge = (ms: number) => {
    if (!selection) return;
    const by = (ms * rateHz) / 1000;
    setSelection({ from: Math.round(selection.from + by), to: Math.round(selection.to + by) });
  };
  const beginToDraw = (begin: boolean) => {
    if (!begin || !selection) return setDrawn(null);
    const [from, to] = [Math.round(selection.from), Math.round(selection.to)];
    setView(around(from, to - from, width, rateHz, samples));
    setDrawn([...source.samples(handChannel ?? 0, from, to - from)].map((value) => (Number.isNaN(value) ? 0 : value)));
  };

  useLearning(state, repairing);
  useCommands([
    { label: "Play around the repair, or stop", keys: ["Space"], perform: playOrStop },
    { label: "Previous repair", keys: [","], perform: () => step(-1), repeats: true },
    { label: "Next repair", keys: ["."], perform: () => step(1), repeats: true },
    { label: "Accept and go to the next", keys: ["Enter"], perform: () => judge(true), disabled: meant.length === 0 },
    {
      label: "Refuse and go to the next",
      keys: ["Delete", "Backspace"],
      perform: () => judge(false),
      disabled: meant.length === 0,
    },
    { label: "Leave it to the amount again", keys: ["U"], perform: forget, disabled: meant.length === 0 },
    ...nudgeCommands(nudge, !selection),
    {
      label: "Magnify",
      keys: ["+", "="],
      perform: () => setView(magnify(view, 0.5, width / 2, width, rateHz, samples)),
      repeats: true,
    },
    {
      label: "See more",
      keys: ["-"],
      perform: () =>
        setView(
          magnify(
            view,
            Math.min(2, (LOUPE_MAX_S * rateHz) / width / view.samplesPerPx),
            width / 2,
            width,
            rateHz,
            samples,
          ),
        ),
      repeats: true,
    },
    { label: "Undo", keys: ["Ctrl+Z"], perform: () => repairing.editing.undo.mutate(), disabled: !planView.undo },
    {
      label: "Redo",
      keys: ["Ctrl+Shift+Z", "Ctrl+Y"],
      perform: () => repairing.editing.redo.mutate(),
      disabled: !planView.redo,
    },
  ]);

  const pageHeight = Math.max(90, Math.round((desk.height - LOUPE_PX) * (damage.found ? PAGE_SHARE : 1)));
  const lineSeconds = fittingLineSeconds(samples / rateHz, pageHeight);
  const error = repairing.editing.error ?? repairing.ask.error ?? damage.error ?? hearingError ?? list.error;
  return (
    <Desk
      title={title}
      margin={
        <DamageMargin
          docket={docket}
          side={side}
          plan={planView}
          found={damage.found}
          isUnscanned={damage.isUnscanned}
          state={state}
          repairing={repairing}
          rateHz={rateHz}
          channels={channels}
          chosen={chosen}
          meant={meant.length}
          listed={list.data?.total ?? 0}
          listName={[filter.kind || "repairs", region ? "in the stretch" : "on the side"].join(" ")}
          selection={selection}
          drawn={drawn}
          handChannel={handChannel}
          onHear={() => chosen && hearAround(chosen)}
          onJudge={judge}
          onJudgeListed={(mend) => void judgeListed(mend)}
          onForget={forget}
          onHandChannel={setHandChannel}
          onSelect={setSelection}
          onDraw={beginToDraw}
          onHandDone={() => setDrawn(null)}
        />
      }
    >
      <div ref={box} className="flex h-full flex-col">
        {error !== null && error !== undefined && <Trouble error={error} />}
        <div className="shrink-0 overflow-auto" style={{ height: pageHeight }}>
          {desk.width > 0 && (
            <Page
              source={source}
              loaded={loaded}
              tracks={repairing.plan.tracks ?? []}
              firstNumber={firstNumber(docket, side)}
              lineSeconds={lineSeconds}
              height={pageHeight}
              theme={theme}
              scale={scaleOf("fitted", take.sample_peak_dbfs)}
              chosenTrack={null}
              selection={region}
              loupe={{ from: view.firstSample, to: view.firstSample + width * view.samplesPerPx }}
              label={`Page: ${side.name} with its repairs`}
              places={damage.places}
              onPlace={(sample) => {
                setView(around(sample, 0, width, rateHz, samples));
                hear(sample);
              }}
              onSelect={setRegion}
            />
          )}
        </div>
        <RepairLoupe
          lanes={lanes}
          loaded={loaded + repairedLoaded + takenLoaded}
          takeId={take.id}
          samples={samples}
          theme={theme}
          view={view}
          width={width}
          height={LOUPE_PX}
          rateHz={rateHz}
          channels={shownChannels}
          repairs={placesWithin(damage.places, view.firstSample, view.firstSample + width * view.samplesPerPx)}
          chosen={chosen ? { start: chosen.start, end: chosen.start + chosen.length } : null}
          selection={drawn ? null : selection}
          drawn={
            drawn && selection ? { channel: handChannel ?? 0, start: Math.round(selection.from), values: drawn } : null
          }
          onView={setView}
          onSelect={(span) => {
            setSelection(span);
            setDrawn(null);
          }}
          onPlace={(sample) => hear(sample)}
          onDraw={setDrawn}
        />
        {damage.found && (
          <RepairList
            repairs={repairs}
            total={list.data?.total ?? 0}
            rateHz={rateHz}
            kinds={Object.keys(damage.found.by_kind)}
            filter={filter}
            region={region ? `${shortClock(region.from / rateHz)} to ${shortClock(region.to / rateHz)}` : null}
            chosen={chosenName}
            picked={picked}
            onFilter={(next) => {
              setFilter(next);
              setCount(MORE);
              setPicked(new Set());
            }}
            onForgetRegion={() => setRegion(null)}
            onChoose={choose}
            onMore={() => setCount(count + MORE)}
            isComing={list.isPlaceholderData}
          />
        )}
      </div>
    </Desk>
  );
}

/** A view with a stretch in its middle and a little of what lies around it. */
function around(start: number, length: number, width: number, rateHz: number, samples: number): LoupeView {
  const span = Math.max(8 * length, AROUND_S * rateHz);
  return centre({ firstSample: 0, samplesPerPx: span / width }, start + length / 2, width, samples);
}
