import { useSearchParams } from "react-router";

import type { Docket, PlanView, Side, Take } from "../api/client";
import { chosenTake, sidesOf, useDocket } from "../docket/useDocket";
import { Desk } from "../frame/Desk";
import { useWaveform } from "../waveform/useSource";
import { Trouble } from "../words/Trouble";
import { ChangedView } from "./ChangedView";
import { DamageView } from "./DamageView";
import { SoundView } from "./SoundView";

const VIEWS = [
  ["damage", "Damage"],
  ["sound", "Sound"],
  ["changed", "What changed"],
] as const;

/** What is done to each side's sound: its damage, its noises, curve, speed and level, and what all that alters. */
export function RepairStage() {
  const docket = useDocket();
  const [params, setParams] = useSearchParams();
  const sides = sidesOf(docket).filter((side) => side.plan && chosenTake(side));
  const side = sides.find((one) => String(one.id) === params.get("side")) ?? sides[0];
  const view = VIEWS.find(([name]) => name === params.get("view"))?.[0] ?? "damage";
  const title = (
    <>
      <h1 className="text-xl">Repair</h1>
      <div role="tablist" aria-label="Sides" className="flex gap-1">
        {sides.map((one) => (
          <button
            key={one.id}
            type="button"
            role="tab"
            aria-selected={one === side}
            className={`press ${one === side ? "press-main" : ""}`}
            onClick={() => setParams({ side: String(one.id), view }, { replace: true })}
          >
            {one.name}
          </button>
        ))}
      </div>
      <div role="group" aria-label="Views of the repair" className="flex gap-1 border-l border-base-300 pl-3">
        {VIEWS.map(([name, label]) => (
          <button
            key={name}
            type="button"
            aria-current={view === name ? "page" : undefined}
            className={`press ${view === name ? "press-main" : ""}`}
            onClick={() =>
              setParams(
                (before) => {
                  const next = new URLSearchParams(before);
                  next.set("view", name);
                  return next;
                },
                { replace: true },
              )
            }
          >
            {label}
          </button>
        ))}
      </div>
    </>
  );
  const take = side && chosenTake(side);
  if (!side?.plan || !take)
    return (
      <Desk title={title}>
        <p className="p-8">
          There is no recording yet. Drop one anywhere on this page; then its damage can be looked for.
        </p>
      </Desk>
    );
  return (
    <Loaded
      key={`${side.id} ${take.id} ${view}`}
      view={view}
      docket={docket}
      side={side}
      take={take}
      plan={side.plan}
      title={title}
    />
  );
}

function Loaded(props: {
  view: (typeof VIEWS)[number][0];
  docket: Docket;
  side: Side;
  take: Take;
  plan: PlanView;
  title: React.ReactNode;
}) {
  const { source, loaded, error } = useWaveform(props.take.id);
  if (error)
    return (
      <Desk title={props.title}>
        <Trouble error={error} />
      </Desk>
    );
  if (!source) return <Desk title={props.title}>{null}</Desk>;
  const View = { damage: DamageView, sound: SoundView, changed: ChangedView }[props.view];
  return <View {...props} source={source} loaded={loaded} />;
}
