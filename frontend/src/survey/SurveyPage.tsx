import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";

import { answer, api, type Check } from "../api/client";
import { surveyQuery } from "../api/filesQueries";
import { jobsQuery } from "../api/queries";
import { Steps } from "../files/Steps";
import { Desk } from "../frame/Desk";
import { moment, plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { Findings } from "./Findings";

const GROUPS: Record<Check["group"], string> = {
  fields: "What files say",
  releases: "Within a release",
  names: "Names",
  pictures: "Pictures",
  sound: "Sound",
  files: "Files",
  sealed: "Sealed packages",
};

/** What is wrong in the whole collection: counts that open, then the findings of one check. */
export function SurveyPage() {
  const [params] = useSearchParams();
  const check = params.get("check");
  const { data } = useQuery(surveyQuery);
  const chosen = data?.checks.find((one) => one.name === check);
  if (check) return <Findings key={check} check={check} told={chosen} />;
  return <Overview />;
}

function Overview() {
  const { data, error } = useQuery(surveyQuery);
  const { data: jobs = [] } = useQuery(jobsQuery);
  const survey = useMutation({
    mutationFn: (anew: boolean) => answer(api.POST("/api/v1/survey", { params: { query: { anew } } })),
  });
  const listen = useMutation({ mutationFn: () => answer(api.POST("/api/v1/survey/analyse")) });
  const hears =
    listen.isPending ||
    jobs.some((job) => job.kind === "listen to files" && (job.state === "running" || job.state === "waiting"));
  const busy =
    survey.isPending ||
    jobs.some((job) => job.kind === "survey" && (job.state === "running" || job.state === "waiting"));
  const checks = data?.checks ?? [];
  const most = Math.max(1, ...checks.map((one) => one.open));
  const open = checks.reduce((sum, one) => sum + one.open, 0);
  const trouble = error ?? survey.error ?? listen.error;
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Survey</h1>
          {data?.ended_at && (
            <span className="quiet">
              {plural(open, "finding")} in {plural(data.files, "file")}
            </span>
          )}
          <button
            type="button"
            className={`press ${!data?.ended_at || data.changed_since > 0 ? "press-main" : ""}`}
            disabled={busy || data?.files === 0}
            onClick={() => survey.mutate(false)}
          >
            {busy ? "Being made" : data?.ended_at ? "Survey what changed" : "Survey the collection"}
          </button>
        </>
      }
      margin={
        <>
          <h2 className="margin-heading">Last survey</h2>
          {data?.ended_at ? (
            <>
              <p>
                {moment(data.ended_at)} <span className="quiet">by {data.by}</span>
              </p>
              <p className="quiet">
                {data.changed_since > 0
                  ? `${plural(data.changed_since, "file")} changed since.`
                  : "Nothing was changed since."}{" "}
                After each step of work what it changed is looked at again by itself.
              </p>
              <button type="button" className="mt-1 text-primary" disabled={busy} onClick={() => survey.mutate(true)}>
                Look at everything anew
              </button>
            </>
          ) : (
            <p>None was made yet.</p>
          )}
          {data?.ended_at && (
            <>
              <h2 className="margin-heading">The sound itself</h2>
              {hears ? (
                <p>Being listened to; see the status bar.</p>
              ) : data.unheard > 0 ? (
                <>
                  <p>
                    {plural(data.unheard, "file")} not listened to yet: overs, channels, unused bits, lossy sources,
                    duplicates.
                  </p>
                  <button
                    type="button"
                    className="press mt-1 w-full justify-center"
                    disabled={listen.isPending}
                    onClick={() => listen.mutate()}
                  >
                    Listen to {data.unheard === 1 ? "it" : "them"}
                  </button>
                </>
              ) : (
                <p className="text-accent">✓ Every file was heard.</p>
              )}
            </>
          )}
          <h2 className="margin-heading">Steps written</h2>
          <Steps most={20} />
        </>
      }
    >
      {trouble && (
        <div className="px-5 pt-3">
          <Trouble error={trouble} />
        </div>
      )}
      {data?.files === 0 && (
        <p className="p-8">
          No files were brought in yet.{" "}
          <Link className="text-primary underline" to="/files">
            Bring a folder in
          </Link>
          , then see here what is wrong with it.
        </p>
      )}
      {data && data.files > 0 && !data.ended_at && (
        <p className="p-8">
          Looks at every file brought in: missing and clashing fields, spellings, numbers, pictures, silence. Nothing is
          changed by it.
        </p>
      )}
      {data?.ended_at && checks.length === 0 && <p className="p-8 text-accent">✓ Nothing was found.</p>}
      {(Object.keys(GROUPS) as Check["group"][]).map((group) => {
        const held = checks.filter((one) => one.group === group);
        if (held.length === 0) return null;
        return (
          <section key={group} className="px-5 pt-4">
            <h2 className="mb-1 text-base">{GROUPS[group]}</h2>
            <ul>
              {[...held]
                .sort((a, b) => b.open - a.open)
                .map((one) => (
                  <li key={one.name} className="rule-b">
                    <Link
                      to={`/survey?check=${encodeURIComponent(one.name)}`}
                      className="grid grid-cols-[280px_1fr_110px] items-center gap-4 py-1.5 hover:bg-base-200"
                    >
                      <span className={one.open > 0 ? "font-medium text-primary" : "quiet"}>{one.label}</span>
                      <span aria-hidden className="h-2.5">
                        <span
                          className="block h-full bg-base-content"
                          style={{ width: `${(100 * one.open) / most}%`, minWidth: one.open > 0 ? 2 : 0 }}
                        />
                      </span>
                      <span className="text-right">
                        <span className="figure">{one.open.toLocaleString("en-GB")}</span>
                        {one.dismissed > 0 && (
                          <span className="quiet block text-[12px]">{one.dismissed} dismissed</span>
                        )}
                      </span>
                    </Link>
                  </li>
                ))}
            </ul>
          </section>
        );
      })}
    </Desk>
  );
}
