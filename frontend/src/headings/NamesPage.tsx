import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { answer, api, type HeadingKind, type MergeWanted } from "../api/client";
import { headingsQuery, mergeQuery } from "../api/filesQueries";
import { Desk } from "../frame/Desk";
import { FindField } from "../frame/FindField";
import { useAddress } from "../frame/useAddress";
import { moment, plural } from "../words/figures";
import { Trouble } from "../words/Trouble";

const KINDS: Record<HeadingKind, string> = { person: "People", label: "Labels", work: "Works" };

/** Names of the whole collection, and variants brought under one heading. */
export function NamesPage() {
  const { said, say } = useAddress();
  const kind = (said("kind") || "person") as HeadingKind;
  const text = said("text");
  const { data, error } = useQuery(headingsQuery(kind, text));
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const [name, setName] = useState("");
  const choose = (names: readonly string[], heading: string) => {
    setChosen(names);
    setName(heading);
  };
  const tick = (one: string, on: boolean) => {
    const next = on ? [...chosen, one] : chosen.filter((each) => each !== one);
    const best = (data?.names ?? []).filter((each) => next.includes(each.name)).sort((a, b) => b.files - a.files)[0];
    choose(next, next.length > 1 ? best?.heading || best?.name || one : name || one);
  };
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Names</h1>
          <span role="group" aria-label="Of what" className="flex gap-3">
            {(Object.keys(KINDS) as HeadingKind[]).map((one) => (
              <button
                key={one}
                type="button"
                aria-pressed={kind === one}
                className={kind === one ? "border-b-2 border-error font-semibold" : "text-primary"}
                onClick={() => {
                  choose([], "");
                  say({ kind: one });
                }}
              >
                {KINDS[one]}
              </button>
            ))}
          </span>
          <span className="quiet whitespace-nowrap">{data && plural(data.total, "name")}</span>
          <FindField
            label="Find a name"
            placeholder="Part of a name"
            value={text}
            onChange={(value) => say({ text: value })}
          />
        </>
      }
      margin={
        <>
          {chosen.length > 0 ? (
            <MergeForm
              key={`${chosen.join("|")}|${name}`}
              wanted={{ kind, name, sort_name: "", variants: [...chosen] }}
              onDone={() => choose([], "")}
            />
          ) : (
            <p>
              Tick the forms of one name, or take up what is suggested. They become one heading wherever they stand: in
              files, and in dockets. What comes in later under one of them is told by the survey.
            </p>
          )}
          <Merges merges={data?.merges ?? []} />
        </>
      }
    >
      {error && (
        <div className="px-5 pt-3">
          <Trouble error={error} />
        </div>
      )}
      {data && data.suggested.length > 0 && !text && (
        <section className="px-5 pt-4" aria-label="Suggested">
          <h2 className="text-base">Likely one name</h2>
          <ul>
            {data.suggested.map((one) => (
              <li key={one.name} className="rule-b flex items-baseline gap-3 py-1.5">
                <span className="min-w-0 flex-1">
                  <b className="font-medium">{one.name}</b> <span className="quiet">also</span>{" "}
                  {one.variants.map((each) => `“${each}”`).join(", ")}
                </span>
                <button
                  type="button"
                  className="press !py-0.5"
                  aria-label={`Look at ${one.name}`}
                  onClick={() => choose(one.variants, one.name)}
                >
                  Look at it
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
      {data?.names.length === 0 && (
        <p className="p-8">
          {text ? (
            "No name is like that."
          ) : (
            <>
              No names are known. They are read by the{" "}
              <Link className="text-primary underline" to="/survey">
                survey
              </Link>
              , and from what dockets say.
            </>
          )}
        </p>
      )}
      {data && data.names.length > 0 && (
        <table className="mt-3 w-full border-collapse text-[13px]">
          <thead>
            <tr className="rule-b quiet text-left">
              <th className="w-12" />
              <th className="py-1.5 font-normal">Name</th>
              <th className="font-normal">Points to</th>
              <th className="text-right font-normal">Files</th>
              <th className="pr-5 text-right font-normal">Dockets</th>
            </tr>
          </thead>
          <tbody>
            {data.names.map((one) => (
              <tr key={one.name} className="rule-b hover:bg-base-200">
                <td className="py-1 pl-5">
                  <input
                    type="checkbox"
                    aria-label={`Tick ${one.name}`}
                    checked={chosen.includes(one.name)}
                    onChange={(event) => tick(one.name, event.target.checked)}
                  />
                </td>
                <td className="py-1 pr-3">{one.name}</td>
                <td className="py-1 pr-3">
                  {one.heading === one.name ? (
                    <span className="text-accent">✓ heading{one.sort_name && `, filed under ${one.sort_name}`}</span>
                  ) : (
                    one.heading
                  )}
                </td>
                <td className="figure py-1 text-right">
                  {one.files > 0 && (
                    <Link className="text-primary" to={`/collection?text=${encodeURIComponent(one.name)}`}>
                      {one.files}
                    </Link>
                  )}
                </td>
                <td className="figure py-1 pr-5 text-right">{one.dockets || ""}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {data && data.names.length < data.total && (
        <p className="quiet px-5 py-3">The first {data.names.length}; write part of a name to see others.</p>
      )}
    </Desk>
  );
}

/** What would change, seen before it is done. */
function MergeForm({ wanted, onDone }: { wanted: MergeWanted; onDone: () => void }) {
  const [name, setName] = useState(wanted.name);
  const [sortName, setSortName] = useState("");
  const merge = { ...wanted, name, sort_name: sortName, variants: wanted.variants.filter((one) => one !== name) };
  const isReady = name.trim() !== "" && merge.variants.length > 0;
  const { data: preview, error } = useQuery({ ...mergeQuery(merge), enabled: isReady });
  const carry = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/headings/merge", { body: merge })),
    onSuccess: onDone,
  });
  const changes = [...(preview?.dockets ?? []), ...(preview?.changes ?? [])];
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        carry.mutate();
      }}
    >
      <h2 className="margin-heading">One heading</h2>
      <label className="mb-2 block">
        <span className="quiet">The heading</span>
        <input className="field w-full" required value={name} onChange={(event) => setName(event.target.value)} />
      </label>
      <p className="mb-2">
        for {merge.variants.map((one) => `“${one}”`).join(", ") || "nothing yet: tick another form"}
      </p>
      {wanted.kind === "person" && (
        <label className="mb-2 block">
          <span className="quiet">Filed under, if otherwise</span>
          <input
            className="field w-full"
            placeholder="Vanterroe, Ilse"
            value={sortName}
            onChange={(event) => setSortName(event.target.value)}
          />
        </label>
      )}
      <button className="press press-main w-full justify-center" disabled={!isReady || carry.isPending}>
        {preview
          ? `Merge: ${plural(preview.files, "file")}, ${plural(preview.dockets.length, "docket field")}`
          : "Merge"}
      </button>
      <button type="button" className="press mt-2 w-full justify-center" onClick={onDone}>
        Cancel
      </button>
      {(error ?? carry.error) && isReady && <Trouble error={error ?? carry.error} />}
      {changes.length > 0 && (
        <ul className="mt-3" aria-label="What would change">
          {changes.slice(0, 60).map((one) => (
            <li key={`${one.file_id} ${one.path} ${one.field}`} className="rule-b py-1 text-[12px]">
              <span className="quiet block break-words">
                {one.path}, {one.field.replaceAll("_", " ")}
              </span>
              <s className="quiet">{one.before || "nothing"}</s> → {one.after}
            </li>
          ))}
          {changes.length > 60 && <li className="quiet">and {changes.length - 60} more</li>}
        </ul>
      )}
    </form>
  );
}

function Merges({
  merges,
}: {
  merges: { id: number; name: string; variants: string[]; at: string; by: string; taken_back: boolean }[];
}) {
  const back = useMutation({
    mutationFn: (id: number) =>
      answer(api.POST("/api/v1/headings/merges/{merge_id}/undo", { params: { path: { merge_id: id } } })),
  });
  if (merges.length === 0) return null;
  return (
    <>
      <h2 className="margin-heading">Merged</h2>
      <ul>
        {merges.map((one) => (
          <li key={one.id} className="rule-b py-1">
            {one.name} <span className="quiet">for {one.variants.join(", ")}</span>
            <span className="quiet block text-[12px]">
              {moment(one.at)} by {one.by}
            </span>
            {one.taken_back ? (
              <span className="quiet">taken back</span>
            ) : (
              <button
                type="button"
                className="text-primary"
                disabled={back.isPending}
                aria-label={`Take back ${one.name}`}
                onClick={() => back.mutate(one.id)}
              >
                Take back
              </button>
            )}
          </li>
        ))}
      </ul>
      {back.error && <Trouble error={back.error} />}
    </>
  );
}
