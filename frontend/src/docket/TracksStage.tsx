import { useSearchParams } from "react-router";

import type { Docket, PlanView, Side, Take } from "../api/client";
import { Desk } from "../frame/Desk";
import { Trouble } from "../words/Trouble";
import { useWaveform } from "../waveform/useSource";
import { CatalogueView } from "./CatalogueView";
import { JoinsSheet } from "./JoinsSheet";
import { SideWork } from "./SideWork";
import { chosenTake, sidesOf, useDocket } from "./useDocket";

const VIEWS = [
  ["page", "Page"],
  ["joins", "Joins"],
  ["catalogue", "Against the catalogue"],
] as const;

/** Where the tracks of each side start and end: its page and loupe, all its joins, or what the catalogue says of it. */
export function TracksStage() {
  const docket = useDocket();
  const [params, setParams] = useSearchParams();
  const sides = sidesOf(docket).filter((side) => side.plan && chosenTake(side));
  const side = sides.find((one) => String(one.id) === params.get("side")) ?? sides[0];
  const view = VIEWS.find(([name]) => name === params.get("view"))?.[0] ?? "page";
  const title = (
    <>
      <h1 className="text-xl">Tracks</h1>
      <div role="tablist" aria-label="Sides" className="flex gap-1">
        {sides.map((one) => (
          <button
            key={one.id}
            type="button"
            role="tab"
            aria-selected={one === side}
            className={`press ${one === side ? "press-main" : ""}`}
            onClick={() =>
              setParams(view === "page" ? { side: String(one.id) } : { side: String(one.id), view }, { replace: true })
            }
          >
            {one.name}
          </button>
        ))}
      </div>
      <div role="group" aria-label="Views of the side" className="flex gap-1 border-l border-base-300 pl-3">
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
                  if (name === "page") next.delete("view");
                  else next.set("view", name);
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
          There is no recording yet. Drop one anywhere on this page, and its tracks will be looked for.
        </p>
      </Desk>
    );
  if (view === "catalogue")
    return <CatalogueView docket={docket} side={side} plan={side.plan} rateHz={take.format.rate_hz} title={title} />;
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
  view: "page" | "joins";
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
  const Work = props.view === "joins" ? JoinsSheet : SideWork;
  return <Work {...props} source={source} loaded={loaded} />;
}
