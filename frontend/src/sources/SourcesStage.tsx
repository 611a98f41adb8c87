import { type ReactNode } from "react";
import { useSearchParams } from "react-router";

import { useDocket } from "../docket/useDocket";
import { Desk } from "../frame/Desk";
import { Trouble } from "../words/Trouble";
import { Pictures } from "./Pictures";
import { Pressings } from "./Pressings";
import { ReconcileTable } from "./ReconcileTable";
import { useSources } from "./useSources";

const VIEWS = [
  ["pressings", "Pressings"],
  ["reconcile", "Reconcile"],
  ["pictures", "Pictures"],
] as const;

/** Which pressing this is, what the sources say of it, and what is taken from them. */
export function SourcesStage() {
  const docket = useDocket();
  const sources = useSources(docket);
  const [params, setParams] = useSearchParams();
  const view = VIEWS.find(([name]) => name === params.get("view"))?.[0] ?? "pressings";
  const title: ReactNode = (
    <>
      <h1 className="text-xl">Sources</h1>
      <div role="group" aria-label="Views of the sources" className="flex gap-1">
        {VIEWS.map(([name, label]) => (
          <button
            key={name}
            type="button"
            aria-current={view === name ? "page" : undefined}
            className={`press ${view === name ? "press-main" : ""}`}
            onClick={() => setParams({ view: name }, { replace: true })}
          >
            {label}
          </button>
        ))}
      </div>
      {sources.state?.choice && (
        <span className="truncate">
          <span className="quiet">chosen: </span>
          <span className="font-serif text-[15px]">{sources.state.choice.title}</span>
          <span className="quiet">, {sources.state.choice.entries.map((one) => one.source).join(", ")}</span>
        </span>
      )}
    </>
  );
  if (!sources.state) return <Desk title={title}>{sources.error ? <Trouble error={sources.error} /> : null}</Desk>;
  if (view === "reconcile") return <ReconcileTable docket={docket} sources={sources} title={title} />;
  if (view === "pictures") return <Pictures docket={docket} title={title} />;
  return <Pressings sources={sources} state={sources.state} title={title} />;
}
