import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";

import type { Docket, PlanView, Side, Take } from "../api/client";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { useTheme } from "../frame/theme";
import { player, useHearing } from "../player/player";
import { clamp, type Edge, edgesOf, moveTo, preview, room } from "../waveform/edges";
import { acrossSpans, byDoubt, type Join, joinsOf, type Part } from "../waveform/joins";
import type { WaveformSource } from "../waveform/source";
import { Trouble } from "../words/Trouble";
import { JoinCard } from "./JoinCard";
import { JoinsMargin } from "./JoinsMargin";
import { nudgeCommands, useCarryKey } from "./nudging";
import { useSideSound } from "./sideSound";
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

/** Every join of a side at once, the least sure first: heard, nudged and signed off without looking for it. */
export function JoinsSheet({ docket, side, take, plan: planView, title, source, loaded }: Props) {
  const theme = useTheme();
  const hearing = useHearing();
  const { played } = useSideSound(docket, side, take);
  const editing = usePlanEditing(docket.id, side);
  const plan = editing.ahead ?? planView.plan;
  const tracks = useMemo(() => plan.tracks ?? [], [plan]);
  const joins = useMemo(() => joinsOf(tracks), [tracks]);
  const order = useOrder(joins);
  const rateHz = source.index.rate_hz;
  const firstNumber = firstNumberOf(docket, side);
  const [chosenId, setChosenId] = useState<string | null>(null);
  const [part, setPart] = useState<Part>("both");
  const [carry, setCarry] = useState(false);
  const [roll, setRoll] = useState(3);
  const [loop, setLoop] = useState(false);
  const [playingId, setPlayingId] = useState<string | null>(null);
  const rows = order.map((id) => joins.find((join) => join.id === id)).filter((join): join is Join => !!join);
  const chosen = rows.find((join) => join.id === chosenId) ?? rows.find((join) => !join.signedBy) ?? rows[0] ?? null;
  const edges = useMemo(() => edgesOf(tracks), [tracks]);
  const titleOf = (key: string | undefined) => side.tracks.find((line) => line.key === key)?.title ?? "";

  const choose = (join: Join, which: Part = "both") => {
    setChosenId(join.id);
    setPart(which);
  };
  const hear = (join: Join) => {
    setPlayingId(join.id);
    player.playSpans(played, acrossSpans(plan, join, roll * rateHz), loop);
  };
  const move = (join: Join, by: number) => {
    const whole = part === "both" && join.before && join.after;
    const edge = edgeOf(edges, join, part);
    if (!edge || join.signedBy) return;
    if (whole && edge.kind !== "join") {
      const joined: Edge = { ...edge, kind: "join" };
      const to = clamp(Math.round(edge.sample + by), room(plan, joined, carry));
      editing.edit.mutate({ edit: moveTo(joined, to, carry), ahead: preview(plan, joined, to, carry) });
      return;
    }
    const to = clamp(Math.round(edge.sample + by), room(plan, edge, carry));
    if (to !== edge.sample)
      editing.edit.mutate({ edit: moveTo(edge, to, carry), ahead: preview(plan, edge, to, carry) });
  };
  const nudge = (ms: number) => chosen && move(chosen, (ms * rateHz) / 1000);
  const step = (by: 1 | -1) => {
    const next = rows[(chosen ? rows.indexOf(chosen) : -1) + by];
    if (next) choose(next);
  };
  const sign = (join: Join) => {
    const edge = join.after ? ("start" as const) : ("end" as const);
    const key = (join.after ?? join.before)?.key;
    if (key) editing.edit.mutate({ edit: { op: "sign off", track_key: key, edge, signed: !join.signedBy } });
  };
  const signAndGoOn = () => {
    if (!chosen) return;
    if (!chosen.signedBy) sign(chosen);
    const at = rows.indexOf(chosen);
    const next = [...rows.slice(at + 1), ...rows.slice(0, at)].find((join) => !join.signedBy);
    if (!next) return;
    choose(next);
    if (hearing?.playing) hear(next);
  };
  const closeUp = () =>
    chosen?.before &&
    chosen.after &&
    editing.edit.mutate({
      edit: { op: "close join", track_key: chosen.after.key, at_sample: chosen.after.start_sample },
    });
  const snap = (to: "quietest moment" | "zero crossing") => {
    const edge = chosen && edgeOf(edges, chosen, part);
    if (edge) editing.snap.mutate({ track_key: edge.key, edge: edge.kind === "end" ? "end" : "start", to });
  };

  // What is heard follows what is moved.
  const playing = joins.find((join) => join.id === playingId);
  const heardSpans = playing ? JSON.stringify(acrossSpans(plan, playing, roll * rateHz)) : "";
  const heard = useRef(heardSpans);
  useEffect(() => {
    const moved = heard.current !== "" && heardSpans !== "" && heard.current !== heardSpans;
    heard.current = heardSpans;
    if (moved && hearing?.playing && playing) hear(playing);
  });

  useCarryKey(setCarry);
  useCommands([
    {
      label: "Play across the join, or stop",
      keys: ["Space"],
      perform: () => (hearing?.playing ? player.stop() : chosen && hear(chosen)),
    },
    { label: "Previous join", keys: [","], perform: () => step(-1), repeats: true },
    { label: "Next join", keys: ["."], perform: () => step(1), repeats: true },
    { label: "Sign off and go to the next", keys: ["Enter"], perform: signAndGoOn, disabled: !chosen },
    {
      label: "Move the end, the start, or both",
      keys: ["E"],
      perform: () => setPart(part === "both" ? "end" : part === "end" ? "start" : "both"),
    },
    ...nudgeCommands(nudge, !chosen),
    { label: "Move later joins too while held", keys: ["R"], perform: () => undefined },
    { label: "To the quietest moment near", keys: ["Q"], perform: () => snap("quietest moment"), disabled: !chosen },
    { label: "Over and over", keys: ["O"], perform: () => setLoop(!loop) },
    { label: "Undo", keys: ["Ctrl+Z"], perform: () => editing.undo.mutate(), disabled: !planView.undo },
    { label: "Redo", keys: ["Ctrl+Shift+Z", "Ctrl+Y"], perform: () => editing.redo.mutate(), disabled: !planView.redo },
  ]);

  return (
    <Desk
      title={title}
      margin={
        <JoinsMargin
          plan={{ ...planView, plan }}
          join={chosen}
          part={part}
          rateHz={rateHz}
          firstNumber={firstNumber}
          editing={editing}
          carry={carry}
          roll={roll}
          loop={loop}
          signed={joins.filter((join) => join.signedBy).length}
          count={joins.length}
          onPart={setPart}
          onCarry={setCarry}
          onRoll={setRoll}
          onLoop={setLoop}
          onNudge={nudge}
          onHear={() => chosen && hear(chosen)}
          onSign={signAndGoOn}
          onSnap={snap}
          onCloseUp={closeUp}
        />
      }
    >
      {editing.error && <Trouble error={editing.error} />}
      {rows.length === 0 ? (
        <p className="p-8">
          No tracks are marked on this side. Let them be found on its page, then check every join here.
        </p>
      ) : (
        <div
          className="grid h-full auto-rows-min grid-cols-[repeat(auto-fill,minmax(235px,1fr))] gap-2 overflow-auto p-3"
          data-testid="joins-sheet"
        >
          {rows.map((join) => (
            <JoinCard
              key={join.id}
              join={join}
              firstNumber={firstNumber}
              titles={[titleOf(join.before?.key), titleOf(join.after?.key)]}
              source={source}
              loaded={loaded}
              theme={theme}
              floorDbfs={plan.found.floor_dbfs ?? null}
              isChosen={join === chosen}
              isPlaying={!!hearing?.playing && join.id === playingId}
              part={part}
              onChoose={(which) => choose(join, which)}
              onHear={() => {
                choose(join, part);
                hear(join);
              }}
              onSign={() => sign(join)}
            />
          ))}
        </div>
      )}
    </Desk>
  );
}

/** The order of the cards: by doubt when the sheet is opened or the tracks change, and fixed meanwhile. */
function useOrder(joins: readonly Join[]): string[] {
  const ids = joins.map((join) => join.id).join(" ");
  const [kept, setKept] = useState({ ids: "", order: [] as string[] });
  if (kept.ids === ids) return kept.order;
  const order = byDoubt(joins).map((join) => join.id);
  setKept({ ids, order });
  return order;
}

/** The edge that is moved for a part of a join: where the two touch, the one there is. */
function edgeOf(edges: readonly Edge[], join: Join, part: Part): Edge | undefined {
  const start = edges.find((edge) => edge.key === join.after?.key && edge.kind !== "end");
  const end = edges.find((edge) => edge.key === join.before?.key && edge.kind === "end");
  return part === "end" ? (end ?? start) : (start ?? end);
}
