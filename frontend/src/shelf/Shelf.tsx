import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { type FormEvent, useState } from "react";
import { Link, useNavigate } from "react-router";

import { answer, api, type DocketLine } from "../api/client";
import { SHELF_PAGE, shelfQuery, vocabularyQuery } from "../api/queries";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { FindField } from "../frame/FindField";
import { useAddress } from "../frame/useAddress";
import { Mood } from "../frame/Mood";
import { STAGES } from "../frame/Spine";
import { NumberInput } from "../ui/NumberInput";
import { RestoreMany } from "./RestoreMany";
import { TakeInParcel } from "./TakeInParcel";
import { plural, shortClock } from "../words/figures";
import { Trouble } from "../words/Trouble";

type Column = "shelfmark" | "title" | "format" | "duration_s" | "standing" | "changed_at";
const COLUMNS: { name: Column; label: string }[] = [
  { name: "shelfmark", label: "Shelfmark" },
  { name: "title", label: "Release" },
  { name: "format", label: "Format" },
  { name: "duration_s", label: "Length" },
  { name: "standing", label: "Standing" },
  { name: "changed_at", label: "Last work" },
];

/** All dockets, and where each stands. */
export function Shelf() {
  const { said, say } = useAddress();
  const search = said("search");
  const sort = (said("sort") || "shelfmark") as Column;
  const down = said("down") === "yes";
  const { data, error, hasNextPage, fetchNextPage, isFetchingNextPage } = useInfiniteQuery(shelfQuery(search));
  const dockets = data?.pages.flat();
  const [opening, setOpening] = useState(false);
  const [taking, setTaking] = useState(false);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  useCommands([{ label: "Open a docket", keys: ["N"], perform: () => setOpening(true) }]);
  const rows = [...(dockets ?? [])].sort((a, b) => (down ? -1 : 1) * compare(a[sort], b[sort]));
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Shelf</h1>
          <span className="quiet">
            {dockets && plural(dockets.length, "docket")}
            {hasNextPage && " and more"}
          </span>
          <FindField
            label="Find on the shelf"
            placeholder="Shelfmark, title, artist, number"
            value={search}
            onChange={(value) => say({ search: value })}
          />
          <button type="button" className="press press-main" onClick={() => setOpening(true)}>
            <Plus size={15} aria-hidden /> Open a docket
          </button>
          <button type="button" className="press" onClick={() => setTaking(true)}>
            Import docket
          </button>
          <Link to="/look-up" className="press">
            Look up undescribed dockets
          </Link>
        </>
      }
    >
      {error && <Trouble error={error} />}
      {chosen.size > 0 && (
        <RestoreMany dockets={rows.filter((one) => chosen.has(one.id))} onClose={() => setChosen(new Set())} />
      )}
      {taking && <TakeInParcel onClose={() => setTaking(false)} />}
      {opening && <OpenDocket onClose={() => setOpening(false)} />}
      {dockets?.length === 0 && !opening && <Empty search={search} onOpen={() => setOpening(true)} />}
      {rows.length > 0 && (
        <table className="w-full border-collapse">
          <thead>
            <tr className="rule-b text-left">
              <th className="w-9 pl-5">
                <input
                  type="checkbox"
                  aria-label="Choose all dockets"
                  checked={rows.length > 0 && rows.every((one) => chosen.has(one.id))}
                  onChange={(event) => setChosen(new Set(event.target.checked ? rows.map((one) => one.id) : []))}
                />
              </th>
              <th className="w-16" aria-label="Cover" />
              {COLUMNS.map(({ name, label }) => (
                <th
                  key={name}
                  className="px-3 py-2 font-medium"
                  aria-sort={sort === name ? (down ? "descending" : "ascending") : "none"}
                >
                  <button
                    type="button"
                    className="whitespace-nowrap quiet"
                    onClick={() => say({ sort: name, down: sort === name && !down ? "yes" : "" })}
                  >
                    {label} {sort === name && (down ? "↓" : "↑")}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((docket) => (
              <Row
                key={docket.id}
                docket={docket}
                isChosen={chosen.has(docket.id)}
                onChoose={(on) =>
                  setChosen(new Set(on ? [...chosen, docket.id] : [...chosen].filter((one) => one !== docket.id)))
                }
              />
            ))}
          </tbody>
        </table>
      )}
      {hasNextPage && (
        <p className="flex items-baseline gap-3 p-5">
          <button type="button" className="press" disabled={isFetchingNextPage} onClick={() => void fetchNextPage()}>
            Show the next {SHELF_PAGE}
          </button>
          <span className="quiet">
            {plural(rows.length, "docket")} are shown, the first by shelfmark: they are sorted among themselves.
          </span>
        </p>
      )}
    </Desk>
  );
}

const compare = (a: string | number, b: string | number): number =>
  typeof a === "number" && typeof b === "number"
    ? a - b
    : String(a).localeCompare(String(b), undefined, { numeric: true });

function Row({
  docket,
  isChosen,
  onChoose,
}: {
  docket: DocketLine;
  isChosen: boolean;
  onChoose: (on: boolean) => void;
}) {
  const to = `/dockets/${docket.id}/${nextStage(docket)}`;
  return (
    <tr className="rule-b align-top hover:bg-base-200">
      <td className="py-2 pl-5">
        <input
          type="checkbox"
          aria-label={`Choose ${docket.shelfmark}`}
          checked={isChosen}
          onChange={(event) => onChoose(event.target.checked)}
        />
      </td>
      <td className="py-2 pl-2">
        {docket.cover_id === null ? (
          <div className="h-12 w-12 border border-dashed border-base-300" title="no front cover" />
        ) : (
          <img src={`/api/v1/artwork/${docket.cover_id}/image`} alt="" className="h-12 w-12 object-cover" />
        )}
      </td>
      <td className="figure whitespace-nowrap px-3 py-2">
        <Link to={to} className="font-medium text-primary underline-offset-2 hover:underline">
          {docket.shelfmark}
        </Link>
      </td>
      <td className="px-3 py-2">
        <div className="font-serif text-[15px] [overflow-wrap:anywhere]">
          {docket.title || <span className="quiet">Not described yet</span>}
        </div>
        <div className="quiet">{docket.album_artist}</div>
      </td>
      <td className="px-3 py-2">{docket.format}</td>
      <td className="figure px-3 py-2">{docket.duration_s > 0 ? shortClock(docket.duration_s) : ""}</td>
      <td className="px-3 py-2">
        <div className={docket.standing === "sealed" ? "font-medium text-accent" : ""}>{docket.standing}</div>
        <div className="mt-1 flex gap-1.5">
          {docket.evidence.map((one) => (
            <Link
              key={one.stage}
              to={`/dockets/${docket.id}/${one.stage}`}
              title={`${STAGES[one.stage]}: ${one.line}`}
              aria-label={`${STAGES[one.stage]}: ${one.line}`}
            >
              <Mood mood={one.mood} size={13} />
            </Link>
          ))}
        </div>
      </td>
      <td className="quiet whitespace-nowrap px-3 py-2">
        {new Date(docket.changed_at).toLocaleDateString("en-GB", { dateStyle: "medium" })}
      </td>
    </tr>
  );
}

/** The first stage that wants something; a sealed docket opens where it was sealed. */
function nextStage(docket: DocketLine): string {
  return docket.evidence.find((one) => one.mood !== "done")?.stage ?? "seal";
}

function Empty({ search, onOpen }: { search: string; onOpen: () => void }) {
  if (search)
    return (
      <p className="p-8">
        Nothing on the shelf has “{search}” in its shelfmark or description. Shorten it, or look at its spelling.
      </p>
    );
  return (
    <div className="max-w-xl p-8">
      <p className="mb-4">
        The shelf is empty. A docket is the job for one release: open one, drop the recording of a side on it, and it
        goes on from there.
      </p>
      <button type="button" className="press press-main" onClick={onOpen}>
        Open the first docket
      </button>
    </div>
  );
}

function OpenDocket({ onClose }: { onClose: () => void }) {
  const [shelfmark, setShelfmark] = useState("");
  const [catalogueNumber, setCatalogueNumber] = useState("");
  const [format, setFormat] = useState("LP");
  const [carriers, setCarriers] = useState(1);
  const { data: vocabulary } = useQuery(vocabularyQuery);
  const cache = useQueryClient();
  const navigate = useNavigate();
  const open = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/dockets", {
          body: { shelfmark, catalogue_number: catalogueNumber, carrier_format: format, carriers },
        }),
      ),
    onSuccess: (docket) => {
      void cache.invalidateQueries({ queryKey: ["shelf"] });
      void navigate(`/dockets/${docket.id}/intake`);
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    open.mutate();
  };
  return (
    <form onSubmit={submit} className="rule-b flex flex-wrap items-end gap-4 bg-base-200 px-5 py-3">
      <label className="grid gap-1">
        <span className="quiet text-[12px]">Shelfmark</span>
        <input
          autoFocus
          required={!catalogueNumber.trim()}
          maxLength={100}
          className="figure w-44 border border-base-300 bg-base-100 px-2 py-1"
          value={shelfmark}
          onChange={(event) => setShelfmark(event.target.value)}
        />
      </label>
      <label className="grid gap-1">
        <span className="quiet text-[12px]">or catalogue number alone</span>
        <input
          maxLength={100}
          className="figure w-40 border border-base-300 bg-base-100 px-2 py-1"
          value={catalogueNumber}
          onChange={(event) => setCatalogueNumber(event.target.value)}
        />
      </label>
      <label className="grid gap-1">
        <span className="quiet text-[12px]">Carrier</span>
        <select
          // As wide before its choices have come: what moves under the pointer loses the click.
          className="h-7 w-40 border border-base-300 bg-base-100 px-2"
          value={format}
          onChange={(event) => setFormat(event.target.value)}
        >
          {(vocabulary?.carrier_formats ?? [format]).map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </label>
      <label className="grid gap-1">
        <span className="quiet text-[12px]">How many</span>
        <NumberInput
          className="figure w-16 border border-base-300 bg-base-100 px-2 py-1"
          min={1}
          max={12}
          whole
          value={carriers}
          onChange={setCarriers}
        />
      </label>
      <button type="submit" className="press press-main" disabled={open.isPending}>
        Open
      </button>
      <button type="button" className="press" onClick={onClose}>
        Cancel
      </button>
      {open.error && <Trouble error={open.error} />}
    </form>
  );
}
