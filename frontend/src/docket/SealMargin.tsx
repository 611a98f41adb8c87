import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";

import { answer, api, type Docket, Problem } from "../api/client";
import { profilesQuery, vocabularyQuery } from "../api/queries";
import { CarryTo } from "../packages/CarryTo";
import { ToBurn } from "../packages/ToBurn";
import { profileInWords } from "../packages/words";
import { ChangedMeanwhile } from "../words/ChangedMeanwhile";
import { moment } from "../words/figures";
import { sentence, Trouble } from "../words/Trouble";
import { useKeepDocket } from "./useDocket";

/** What is written and how it is filed, the packages so far, and where they can go. */
export function SealMargin({ docket }: { docket: Docket }) {
  const newest = docket.packages.at(-1);
  return (
    <>
      <ProfileChoice docket={docket} />
      <Filing docket={docket} />
      {docket.packages.length > 0 && (
        <>
          <h2 className="margin-heading">Packages</h2>
          <ul>
            {[...docket.packages].reverse().map((pack) => (
              <li key={pack.id} className="flex items-baseline gap-2 py-0.5">
                <span>{moment(pack.sealed_at)}</span>
                {pack.is_current && <span className="text-accent">current</span>}
                <a
                  className="ml-auto text-primary hover:underline"
                  href={`/api/v1/packages/${pack.id}/package.zip`}
                  download
                >
                  ZIP
                </a>
              </li>
            ))}
          </ul>
          {newest && <CarryTo key={`to ${newest.id}`} pack={newest} />}
          {newest && <ToBurn key={newest.id} pack={newest} />}
        </>
      )}
      <h2 className="margin-heading">For another house</h2>
      <p>
        <a className="text-primary hover:underline" href={`/api/v1/dockets/${docket.id}/parcel.zip`} download>
          The docket as one ZIP
        </a>
        <span className="quiet">
          : takes, plans, description, pictures and ledger, to be taken in on another shelf.
        </span>
      </p>
    </>
  );
}

function ProfileChoice({ docket }: { docket: Docket }) {
  const { data: profiles = [] } = useQuery(profilesQuery);
  const choose = useMutation({
    mutationFn: (name: string) =>
      answer(api.PUT("/api/v1/dockets-profile", { body: { docket_ids: [docket.id], name } })),
  });
  const chosen = profiles.find((one) => one.name === docket.profile);
  return (
    <>
      <h2 className="margin-heading">What is written</h2>
      <select
        aria-label="Sealing profile"
        className="field w-full"
        value={docket.profile}
        onChange={(event) => choose.mutate(event.target.value)}
      >
        {!chosen && <option>{docket.profile}</option>}
        {profiles.map((one) => (
          <option key={one.name}>{one.name}</option>
        ))}
      </select>
      {chosen && <p className="mt-1">{profileInWords(chosen.profile)}</p>}
      <p className="mt-1">
        <Link className="text-primary hover:underline" to={`/profiles?profile=${encodeURIComponent(docket.profile)}`}>
          Look at the profiles
        </Link>
      </p>
      {choose.error && <Trouble error={choose.error} />}
    </>
  );
}

function Filing({ docket }: { docket: Docket }) {
  const keep = useKeepDocket();
  const { data: vocabulary } = useQuery(vocabularyQuery);
  const [folder, setFolder] = useState(docket.folder_pattern);
  const [file, setFile] = useState(docket.file_pattern);
  const [seen, setSeen] = useState<[string, string] | null>(null);
  const now: [string, string] = [docket.folder_pattern, docket.file_pattern];
  const type = (set: (text: string) => void, text: string) => {
    if (seen === null) setSeen(now);
    set(text);
  };
  const save = useMutation({
    mutationFn: (on: [string, string]) =>
      answer(
        api.PUT("/api/v1/dockets/{docket_id}/patterns", {
          params: { path: { docket_id: docket.id } },
          body: { folder, file, seen: on },
        }),
      ),
    onSuccess: (after) => {
      setSeen(null);
      return keep(after);
    },
  });
  const changed = folder !== docket.folder_pattern || file !== docket.file_pattern;
  const differences = save.error instanceof Problem ? save.error.changed : [];
  const differs = (name: string) => {
    const now = differences.find((one) => one.name === name)?.now;
    return typeof now === "string" ? now : undefined;
  };
  const current: [string, string] = [differs("folder pattern") ?? now[0], differs("file pattern") ?? now[1]];
  const cancel = () => {
    setFolder(current[0]);
    setFile(current[1]);
    setSeen(null);
    save.reset();
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate(seen ?? now);
  };
  return (
    <form onSubmit={submit}>
      <h2 className="margin-heading">Filing pattern</h2>
      <label className="mb-2 block">
        <span className="quiet">Folders</span>
        <input
          className="figure w-full border border-base-300 bg-base-100 px-2 py-1"
          value={folder}
          onChange={(event) => type(setFolder, event.target.value)}
        />
      </label>
      <label className="mb-2 block">
        <span className="quiet">Files</span>
        <input
          className="figure w-full border border-base-300 bg-base-100 px-2 py-1"
          value={file}
          onChange={(event) => type(setFile, event.target.value)}
        />
      </label>
      {changed && (
        <span className="flex gap-2">
          <button type="submit" className="press press-main">
            Use it
          </button>
          <button type="button" className="press" onClick={cancel}>
            Cancel
          </button>
        </span>
      )}
      {differences.length > 0 ? (
        <ChangedMeanwhile changed={differences} onKeepTheirs={cancel} onUseMine={() => save.mutate(current)} />
      ) : (
        save.error && <Trouble error={save.error} />
      )}
      <p className="quiet mt-2">
        First track: <span className="figure break-words">{docket.names[0] ?? "none yet"}</span>
      </p>
      <p className="quiet mt-2">
        Fields: {sentence(vocabulary?.file_pattern_fields.map((name) => `{${name}}`).join(" ") ?? "")}
      </p>
    </form>
  );
}
