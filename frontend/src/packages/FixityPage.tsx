import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { answer, api, type Fixity, type PackageFixity } from "../api/client";
import { fixityQuery, jobsQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { moment, percent, plural, size } from "../words/figures";
import { Trouble } from "../words/Trouble";

const STATES: Record<PackageFixity["state"], { words: string; colour: string }> = {
  sound: { words: "as it was sealed", colour: "font-medium text-accent" },
  wrong: { words: "not as it was sealed", colour: "font-medium text-error" },
  "never verified": { words: "not verified yet", colour: "" },
  "not a bag": { words: "sealed before there were lists: seal it again", colour: "quiet" },
};

/** Everything sealed, the longest unverified first, and whether it is still what it was. */
export function FixityPage() {
  const cache = useQueryClient();
  const { data, error } = useQuery(fixityQuery);
  const { data: jobs = [] } = useQuery(jobsQuery);
  const keep = (told: Fixity) => cache.setQueryData(fixityQuery.queryKey, told);
  const begin = useMutation({ mutationFn: () => answer(api.POST("/api/v1/fixity/audit")), onSuccess: keep });
  const stop = useMutation({ mutationFn: () => answer(api.DELETE("/api/v1/fixity/audit")), onSuccess: keep });
  const store = useMutation({ mutationFn: () => answer(api.POST("/api/v1/fixity/storage")), onSuccess: keep });
  const packages = data?.packages ?? [];
  const wrong = packages.filter((one) => one.state === "wrong");
  const audit = data?.audit;
  const reading = jobs.find(
    (job) => (job.kind === "audit of packages" || job.kind === "check package") && job.state === "running",
  );
  const trouble = error ?? begin.error ?? stop.error ?? store.error;
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Fixity</h1>
          {data && (
            <span className="quiet">
              {plural(packages.length, "package")},{" "}
              {wrong.length ? `${wrong.length} not as sealed` : "none known to be damaged"}
            </span>
          )}
          {audit?.state === "under way" ? (
            <button type="button" className="press" disabled={stop.isPending} onClick={() => stop.mutate()}>
              Stop the audit
            </button>
          ) : (
            <button
              type="button"
              className="press press-main"
              disabled={begin.isPending || packages.length === 0}
              onClick={() => begin.mutate()}
            >
              Verify all of them
            </button>
          )}
        </>
      }
      margin={
        <>
          <h2 className="margin-heading">Audit</h2>
          {!audit && <p>None has been made yet. Every package was verified once, when it was sealed.</p>}
          {audit && (
            <p>
              {audit.state === "under way"
                ? `${audit.checked} of ${audit.packages} verified`
                : `${audit.state === "done" ? "Done" : "Stopped"} ${moment(audit.ended_at ?? audit.asked_at)}: ` +
                  `${plural(audit.checked, "package")} verified`}
              <span className="quiet block">asked for by {audit.asked_by}</span>
            </p>
          )}
          {reading && (
            <p className="mt-2">
              {reading.subject}: <span className="figure">{percent(reading.progress)}</span>
            </p>
          )}
          <h2 className="margin-heading">By itself</h2>
          <p>
            {data?.every_days
              ? `What was not verified for ${data.every_days} days is, slowly, while others work. ` +
                (data.due ? `${plural(data.due, "package")} due.` : "Nothing is due.")
              : "Nothing is verified unasked."}
          </p>
          {data && data.places.length > 0 && (
            <>
              <h2 className="margin-heading">Other disks</h2>
              <ul>
                {data.places.map((place) => (
                  <li key={place.name} className="mb-1">
                    {place.name}, for {place.kinds.join(" and ")}:{" "}
                    <span className="figure break-words">{place.path}</span>
                    <span className="quiet block">
                      {size(place.free_bytes)} free
                      {place.budget_bytes === null
                        ? ""
                        : `, ${size(place.used_bytes ?? 0)} of at most ${size(place.budget_bytes)} used`}
                    </span>
                  </li>
                ))}
              </ul>
            </>
          )}
          {data?.storage && (
            <>
              <h2 className="margin-heading">Object storage</h2>
              <p>
                <span className="figure break-words">{data.storage.bucket}</span> holds{" "}
                {plural(data.storage.stored, "take or package", "takes and packages")},{" "}
                {size(data.storage.stored_bytes)}
                <span className="quiet block">
                  {data.storage.waiting ? `${data.storage.waiting} not there yet` : "nothing waits to be brought there"}
                  ; up to {size(data.storage.cache_bytes)} of it stay on the disks
                </span>
              </p>
              {data.storage.waiting > 0 && (
                <button type="button" className="press mt-1" disabled={store.isPending} onClick={() => store.mutate()}>
                  Bring it there now
                </button>
              )}
            </>
          )}
          <h2 className="margin-heading">Second copies</h2>
          <p>
            {data?.second_root ? (
              <>
                kept in <span className="figure break-words">{data.second_root}</span>
              </>
            ) : (
              "None are kept: damaged files cannot be restored, only sealed again. " +
              "INKWELL_SECOND_ROOT or INKWELL_SECOND_BUCKET says where to keep them."
            )}
          </p>
        </>
      }
    >
      {trouble && <Trouble error={trouble} />}
      {data && packages.length === 0 && (
        <p className="p-8">
          Nothing has been sealed yet. What is sealed will be listed here, with when it was last verified.
        </p>
      )}
      {packages.length > 0 && (
        <table className="w-full border-collapse">
          <thead>
            <tr className="rule-b quiet text-left">
              <th className="py-2 pl-5 font-medium">Shelfmark</th>
              <th className="px-3 font-medium">Package</th>
              <th className="px-3 text-right font-medium">Files</th>
              <th className="px-3 text-right font-medium">Size</th>
              <th className="px-3 font-medium">Last verified</th>
              <th className="px-3 font-medium">It is</th>
              <th className="pr-5" aria-label="What can be done" />
            </tr>
          </thead>
          <tbody>
            {packages.map((one) => (
              <Row key={one.package_id} one={one} hasSecond={!!data?.second_root} />
            ))}
          </tbody>
        </table>
      )}
    </Desk>
  );
}

function Row({ one, hasSecond }: { one: PackageFixity; hasSecond: boolean }) {
  const [open, setOpen] = useState(one.state === "wrong");
  const params = { params: { path: { package_id: one.package_id } } };
  const check = useMutation({ mutationFn: () => answer(api.POST("/api/v1/packages/{package_id}/check", params)) });
  const restore = useMutation({ mutationFn: () => answer(api.POST("/api/v1/packages/{package_id}/restore", params)) });
  const { words, colour } = STATES[one.state];
  const canRestore = one.findings.some(
    (finding) => finding.state === "moved" || (hasSecond && finding.state !== "unknown"),
  );
  const trouble = check.error ?? restore.error;
  return (
    <>
      <tr className={`align-top [&>td]:py-2 ${one.findings.length > 0 && open ? "" : "rule-b"}`}>
        <td className="figure whitespace-nowrap py-2 pl-5">
          <Link className="font-medium text-primary hover:underline" to={`/dockets/${one.docket_id}/seal`}>
            {one.shelfmark}
          </Link>
        </td>
        <td className="px-3">{one.title}</td>
        <td className="figure px-3 text-right">{one.files || ""}</td>
        <td className="figure whitespace-nowrap px-3 text-right">{one.size_bytes ? size(one.size_bytes) : ""}</td>
        <td className="quiet whitespace-nowrap px-3">{one.verified_at ? moment(one.verified_at) : "never"}</td>
        <td className={`px-3 ${colour}`}>
          {one.findings.length > 0 ? (
            <button type="button" className="text-left" aria-expanded={open} onClick={() => setOpen(!open)}>
              {words}: {plural(one.findings.length, "file")}
            </button>
          ) : (
            words
          )}
        </td>
        <td className="whitespace-nowrap pr-5 text-right">
          {canRestore && (
            <button
              type="button"
              className="mr-3 font-medium text-primary"
              disabled={restore.isPending}
              onClick={() => restore.mutate()}
            >
              Restore
            </button>
          )}
          {one.state !== "not a bag" && (
            <button type="button" className="text-primary" disabled={check.isPending} onClick={() => check.mutate()}>
              Verify
            </button>
          )}
        </td>
      </tr>
      {open && one.findings.length > 0 && (
        <tr className="rule-b">
          <td />
          <td colSpan={6} className="pb-3 pl-3 pr-5">
            <ul className="grid gap-0.5 text-[13px]">
              {one.findings.slice(0, 50).map((finding) => (
                <li key={finding.file} className="grid grid-cols-[80px_1fr] gap-3">
                  <span className="font-medium text-error">{finding.state}</span>
                  <span>
                    <span className="figure">{finding.file}</span>
                    <span className="quiet block break-words">{finding.words}</span>
                  </span>
                </li>
              ))}
            </ul>
            {one.second_copy && <p className="quiet mt-1 text-[12px]">Second copy: {one.second_copy}.</p>}
          </td>
        </tr>
      )}
      {trouble && (
        <tr>
          <td colSpan={7} className="px-5 pb-2">
            <Trouble error={trouble} />
          </td>
        </tr>
      )}
    </>
  );
}
