import { useQuery } from "@tanstack/react-query";

import { fileStepsQuery } from "../api/filesQueries";
import { moment } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { useTakingBack } from "./useTakingBack";

/** What was written, newest first, each with its way back. */
export function Steps({ most = 100 }: { most?: number }) {
  const { data } = useQuery(fileStepsQuery);
  const back = useTakingBack();
  if (!data || data.length === 0) return <p className="quiet">Nothing was written yet.</p>;
  return (
    <>
      {back.error && <Trouble error={back.error} />}
      <ol className="grid gap-2">
        {data.slice(0, most).map((one) => (
          <li key={one.id} className="border-b border-base-300 pb-2">
            <div>{one.what}</div>
            <div className="flex items-center gap-2 text-[12px]">
              <span
                className={
                  one.state.includes("part") ? "text-error" : one.state === "written" ? "text-accent" : "quiet"
                }
              >
                {one.state}
              </span>
              <span className="quiet">{moment(one.at)}</span>
              {one.can_be_taken_back && (
                <button
                  type="button"
                  className="ml-auto font-medium text-primary"
                  disabled={back.isPending}
                  onClick={() => back.mutate(one.id)}
                >
                  Take back
                </button>
              )}
            </div>
            {one.told.length > 0 && (
              <details className="text-[12px]">
                <summary className="cursor-pointer text-warning">
                  {one.told.length} {one.told.length === 1 ? "thing" : "things"} to know
                </summary>
                <ul>
                  {one.told.map((line) => (
                    <li key={line} className="mt-0.5 break-words">
                      {line}
                    </li>
                  ))}
                </ul>
              </details>
            )}
          </li>
        ))}
      </ol>
    </>
  );
}
