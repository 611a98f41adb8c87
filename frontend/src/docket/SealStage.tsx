import { useMutation, useQuery } from "@tanstack/react-query";
import { Download, FileText } from "lucide-react";
import { Link } from "react-router";

import { answer, api, type Docket, type Job, type Package } from "../api/client";
import { jobsQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { moment, percent, plural, size, timeLeft } from "../words/figures";
import { Trouble, TroubleText } from "../words/Trouble";
import { SealMargin } from "./SealMargin";
import { useDocket } from "./useDocket";

/** Writing the files, proving them, and the packages that came of it. */
export function SealStage() {
  const docket = useDocket();
  const newest = docket.packages.at(-1);
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Seal</h1>
          <Standing docket={docket} />
        </>
      }
      margin={<SealMargin docket={docket} />}
    >
      <SealPanel docket={docket} />
      {newest ? <Proof key={newest.id} pack={newest} /> : <Names docket={docket} />}
    </Desk>
  );
}

const STANDINGS: Record<Docket["standing"], { text: string; colour: string }> = {
  empty: { text: "There is no recording yet.", colour: "quiet" },
  "under way": { text: "Not ready: see what is missing.", colour: "quiet" },
  "ready to seal": { text: "Everything that is needed is here.", colour: "" },
  sealed: { text: "Sealed. The files are what the docket says.", colour: "text-accent" },
  "changed since sealing": {
    text: "Changed since it was sealed: the files say something else than the docket.",
    colour: "text-error",
  },
};

function Standing({ docket }: { docket: Docket }) {
  const { text, colour } = STANDINGS[docket.standing];
  return <span className={colour}>{text}</span>;
}

const isUnderWay = (job: Job) => job.state === "running" || job.state === "waiting";

function SealPanel({ docket }: { docket: Docket }) {
  const { data: jobs = [] } = useQuery(jobsQuery);
  const seal = useMutation({
    mutationFn: (anew: boolean) =>
      answer(
        api.POST("/api/v1/dockets/{docket_id}/seal", { params: { path: { docket_id: docket.id }, query: { anew } } }),
      ),
  });
  const mine = jobs.find((job) => job.kind === "seal" && job.docket_id === docket.id);
  const busy = mine && isUnderWay(mine);
  const takeComes = jobs.some(
    (job) => job.kind === "make take of disc" && job.docket_id === docket.id && isUnderWay(job),
  );
  const again = docket.packages.length > 0;
  const isWhatItIs = docket.standing === "sealed";
  const disabled = !!busy || takeComes || docket.standing === "empty" || docket.missing.length > 0;
  return (
    <section className="rule-b px-5 py-4">
      <div className="flex flex-wrap items-center gap-4">
        <button
          type="button"
          className={`press ${isWhatItIs ? "" : "press-main"}`}
          disabled={disabled}
          onClick={() => seal.mutate(isWhatItIs)}
        >
          {!again ? "Seal" : isWhatItIs ? "Rebuild everything" : "Seal again"}
        </button>
        {busy ? (
          <span className="flex items-center gap-3">
            <progress className="h-2 w-56 accent-primary" max={1} value={mine.progress} aria-label="Sealing" />
            <span className="figure">{percent(mine.progress)}</span>
            <span className="quiet">
              {mine.message} {timeLeft(mine.time_left_s)}
            </span>
          </span>
        ) : (
          <span className="quiet">
            {takeComes ? (
              "The recording is still being made of the latest reading; then it can be sealed."
            ) : again && !isWhatItIs ? (
              <>
                Makes what has changed; what has not is taken over from the last package and proven again.{" "}
                <button
                  type="button"
                  className="text-primary hover:underline"
                  disabled={disabled}
                  onClick={() => seal.mutate(true)}
                >
                  Make all anew
                </button>
              </>
            ) : (
              "Cuts each track from its take, writes it, decodes it again and compares every sample."
            )}
          </span>
        )}
      </div>
      {docket.missing.length > 0 && (
        <p className="mt-3">
          Still to be described: {docket.missing.join("; ")}.{" "}
          <Link className="text-primary underline" to={`/dockets/${docket.id}/describe`}>
            Describe it
          </Link>
        </p>
      )}
      {seal.error && (
        <div className="mt-3">
          <Trouble error={seal.error} />
        </div>
      )}
      {mine?.state === "failed" && mine.failure && !busy && (
        <div className="mt-3">
          <TroubleText {...mine.failure} />
        </div>
      )}
      {mine?.state === "cancelled" && (
        <p className="quiet mt-3">The last sealing was cancelled; nothing was written.</p>
      )}
    </section>
  );
}

function Proof({ pack }: { pack: Package }) {
  const { album } = pack;
  const papers = album.files.filter(({ name }) => !album.tracks.some((track) => track.file === name));
  const compared = album.tracks.reduce((sum, track) => sum + track.compared_samples, 0);
  return (
    <>
      <div className="flex items-baseline gap-4 px-5 pt-4">
        <h2 className="whitespace-nowrap text-lg">What was sealed</h2>
        <span className="quiet">
          {moment(pack.sealed_at)} by {pack.sealed_by}, {compared.toLocaleString("en-GB")} samples compared
        </span>
        {album.package.length > 0 && (
          <a className="press ml-auto" href={paperOf(pack, "report.html")} target="_blank" rel="noreferrer">
            <FileText size={15} aria-hidden /> Report
          </a>
        )}
        <a
          className={`press press-main ${album.package.length > 0 ? "" : "ml-auto"}`}
          href={`/api/v1/packages/${pack.id}/package.zip`}
          download
        >
          <Download size={15} aria-hidden /> <span className="whitespace-nowrap">Download as ZIP</span>
        </a>
      </div>
      <p className="figure quiet px-5 py-1">{album.folders.join(" / ")}</p>
      {album.kept.length > 0 && (
        <p className="quiet px-5 pb-1">
          Taken over from the package before as they were, and proven again: {album.kept.join("; ")}.
        </p>
      )}
      <Parts pack={pack} />
      <table className="w-full border-collapse text-[13px]">
        <thead>
          <tr className="rule-b quiet text-left">
            <th className="py-1.5 pl-5 font-medium">File</th>
            <th className="px-3 text-right font-medium">Size</th>
            <th className="px-3 text-right font-medium">Samples compared</th>
            <th className="px-3 font-medium">MD5 of the samples</th>
            <th className="pr-5 font-medium">Proof</th>
          </tr>
        </thead>
        <tbody>
          {album.tracks.map((track) => (
            <tr key={track.file} className="rule-b">
              <td className="py-1 pl-5">{track.file}</td>
              <td className="figure whitespace-nowrap px-3 text-right">{size(sizeOf(pack, track.file))}</td>
              <td className="figure px-3 text-right">{track.compared_samples.toLocaleString("en-GB")}</td>
              <td className="figure px-3" title={track.md5}>
                {track.md5.slice(0, 12)}…
              </td>
              <td className="pr-5 font-medium text-accent">{track.verdict}</td>
            </tr>
          ))}
          {papers.map(({ name, size_bytes: bytes }) => (
            <tr key={name} className="rule-b">
              <td className="py-1 pl-5">
                {PICTURE.test(name) ? (
                  name
                ) : (
                  <a
                    className="text-primary hover:underline"
                    target="_blank"
                    rel="noreferrer"
                    href={paperOf(pack, name)}
                  >
                    {name}
                  </a>
                )}
              </td>
              <td className="figure px-3 text-right">{size(bytes)}</td>
              <td />
              <td />
              <td className="quiet pr-5">
                {PAPER_PROOF[name] ??
                  (name.endsWith(".cue")
                    ? "parsed again"
                    : name.endsWith("reading.log")
                      ? "closed with its digest"
                      : "checksum kept")}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

const PICTURE = /\.(jpg|png)$/;

const paperOf = (pack: Package, name: string) => `/api/v1/packages/${pack.id}/papers/${name}`;

/** What the package holds beside its masters, each to be had alone; and whether it is still what it was. */
function Parts({ pack }: { pack: Package }) {
  const { album, fixity } = pack;
  if (album.package.length === 0) return null;
  const parts = [{ name: "Masters", folder: "masters", told: [] as string[], faults: [] as string[] }, ...album.parts];
  return (
    <div className="px-5 pb-3">
      <ul className="flex flex-wrap gap-x-6 gap-y-1">
        {parts.map((part) => {
          const files = album.package.filter(({ name }) => name.startsWith(`data/${part.folder}/`));
          return (
            <li key={part.name}>
              {part.faults.length > 0 && files.length === 0 ? (
                part.name
              ) : (
                <a
                  className="text-primary hover:underline"
                  href={`/api/v1/packages/${pack.id}/package.zip?part=${encodeURIComponent(part.name)}`}
                  download
                >
                  {part.name}
                </a>
              )}
              <span className="quiet">
                {" "}
                {plural(files.length, "file")}, {size(files.reduce((sum, file) => sum + file.size_bytes, 0))}
                {part.told.length > 0 && `; ${part.told.join("; ")}`}
              </span>
              {part.faults.map((fault) => (
                <p key={fault} role="alert" className="text-error">
                  Not proven: {fault}
                </p>
              ))}
            </li>
          );
        })}
      </ul>
      <p className={fixity.findings.length > 0 ? "mt-1 text-error" : "quiet mt-1"}>
        {fixity.findings.length > 0 ? (
          <>
            {plural(fixity.findings.length, "file")} not as sealed:{" "}
            <Link className="underline" to="/fixity">
              see Fixity
            </Link>
          </>
        ) : (
          fixity.verified_at && `All ${album.package.length} files last verified ${moment(fixity.verified_at)}.`
        )}
      </p>
    </div>
  );
}

const PAPER_PROOF: Record<string, string> = { SHA256SUMS: "all of the above" };

const sizeOf = (pack: Package, name: string): number =>
  pack.album.files.find((file) => file.name === name)?.size_bytes ?? 0;

function Names({ docket }: { docket: Docket }) {
  if (docket.names.length === 0) return <p className="p-5">No tracks are marked yet.</p>;
  return (
    <div className="px-5 py-4">
      <h2 className="mb-2 text-lg">What will be written</h2>
      <ul className="figure leading-relaxed">
        {docket.names.map((name) => (
          <li key={name}>{name}</li>
        ))}
      </ul>
      <p className="quiet mt-2">Beside them a cue sheet, a playlist, the sealing log and SHA256SUMS.</p>
    </div>
  );
}
