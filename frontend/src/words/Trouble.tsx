import type { Schemas } from "../api/client";
import { type Problem, problemOf } from "../api/client";
import { useInSight } from "./useInSight";

/** What is wrong, where, and what to do: beside what caused it. */
export function Trouble({ error }: { error: unknown }) {
  const place = useInSight<HTMLDivElement>();
  return (
    <div ref={place}>
      <TroubleText {...asWords(problemOf(error))} />
    </div>
  );
}

export function TroubleText({ what, where, remedy }: Pick<Schemas["Refusal"], "what" | "where" | "remedy">) {
  return (
    <p role="alert" className="border-l-4 border-error bg-base-200 px-3 py-2 text-sm">
      {where && <span className="font-semibold">{where}: </span>}
      {sentence(what)} {remedy && <span>{sentence(remedy)}</span>}
    </p>
  );
}

const asWords = (problem: Problem) => ({ what: problem.what, where: problem.where, remedy: problem.remedy });

export function sentence(text: string): string {
  const capital = text.charAt(0).toUpperCase() + text.slice(1);
  return /[.!?]$/.test(capital) ? capital : `${capital}.`;
}
