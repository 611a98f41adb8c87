import { useSearchParams } from "react-router";

import type { Docket, PlanView, Side, Take } from "../api/client";
import { Desk } from "../frame/Desk";
import { Trouble } from "../words/Trouble";
import { useWaveform } from "../waveform/useSource";
import { SideWork } from "./SideWork";
import { chosenTake, sideName, sidesOf, useDocket } from "./useDocket";

/** Where the tracks of each side start and end: the page above, the loupe below. */
export function TracksStage() {
  const docket = useDocket();
  const [params, setParams] = useSearchParams();
  const sides = sidesOf(docket).filter((side) => side.plan && chosenTake(side));
  const side = sides.find((one) => String(one.id) === params.get("side")) ?? sides[0];
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
            onClick={() => setParams({ side: String(one.id) }, { replace: true })}
          >
            {sideName(docket, one)}
          </button>
        ))}
      </div>
    </>
  );
  const take = side && chosenTake(side);
  if (!side?.plan || !take)
    return (
      <Desk title={title}>
        <p className="p-8">There is no recording yet. Drop one anywhere on this page, and its tracks will be looked for.</p>
      </Desk>
    );
  return <Loaded key={`${side.id} ${take.id}`} docket={docket} side={side} take={take} plan={side.plan} title={title} />;
}

function Loaded(props: { docket: Docket; side: Side; take: Take; plan: PlanView; title: React.ReactNode }) {
  const { source, loaded, error } = useWaveform(props.take.id);
  if (error) return <Desk title={props.title}><Trouble error={error} /></Desk>;
  if (!source) return <Desk title={props.title}>{null}</Desk>;
  return <SideWork {...props} source={source} loaded={loaded} />;
}
