import { clsx } from "clsx";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { Link, useSearchParams } from "react-router";

import type { Cover, Found } from "../api/client";
import { surveyQuery } from "../api/filesQueries";
import { collectionQuery, wallQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { FindField } from "../frame/FindField";
import { plural, shortClock } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { Facets } from "./Facets";
import { HearButton } from "./HearButton";
import { paramsOf, wantedOf } from "./search";

const FIELDS = {
  "": "anywhere",
  title: "in the title",
  artist: "in the artist",
  release: "in the release",
  number: "in number or label",
  place: "in shelfmark or path",
};

/** Everything there is, found by words and by what is known of it: as a sheet, or as a wall of covers. */
export function CollectionPage() {
  const [params, setParams] = useSearchParams();
  const asWall = params.get("view") === "covers";
  // Typing goes on while the last letters are still being looked for.
  const wanted = useDeferredValue(wantedOf(params));
  const sheet = useInfiniteQuery({ ...collectionQuery(wanted), enabled: true });
  const { data: survey } = useQuery(surveyQuery);
  const told = sheet.data?.pages[0];
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(params);
    if (value) next.set(name, value);
    else next.delete(name);
    setParams(next, { replace: true, flushSync: true });
  };
  const finding = survey?.checks.find((one) => one.name === params.get("finding"));
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Collection</h1>
          <span className="quiet whitespace-nowrap">
            {told && `${plural(told.total, "track")}, ${plural(told.releases, "release")}`}
          </span>
          <span role="group" aria-label="Shown as" className="flex gap-3">
            {(["sheet", "covers"] as const).map((one) => (
              <button
                key={one}
                type="button"
                aria-pressed={asWall === (one === "covers")}
                className={asWall === (one === "covers") ? "border-b-2 border-error font-semibold" : "text-primary"}
                onClick={() => set("view", one === "covers" ? one : "")}
              >
                {one === "covers" ? "Covers" : "Sheet"}
              </button>
            ))}
          </span>
          <FindField
            label="Find in the collection"
            placeholder="Words, begun or nearly right"
            value={params.get("text") ?? ""}
            onChange={(value) => set("text", value)}
          />
        </>
      }
      margin={
        <>
          <label className="block">
            <span className="quiet">Look for the words</span>
            <select
              className="field w-full"
              value={params.get("field") ?? ""}
              onChange={(event) => set("field", event.target.value)}
            >
              {Object.entries(FIELDS).map(([name, label]) => (
                <option key={name} value={name}>
                  {label}
                </option>
              ))}
            </select>
          </label>
          <Facets
            params={params}
            onChange={(next) => setParams(next, { replace: true, flushSync: true })}
            told={told}
            checks={survey?.checks ?? []}
          />
        </>
      }
    >
      {sheet.error && (
        <div className="px-5 pt-3">
          <Trouble error={sheet.error} />
        </div>
      )}
      {finding && (
        <p className="rule-b px-5 py-2">
          With the finding “{finding.label}”.{" "}
          <Link className="text-primary" to={`/survey?check=${encodeURIComponent(finding.name)}`}>
            See the findings
          </Link>
        </p>
      )}
      {told?.total === 0 && (
        <p className="p-8">
          Nothing is like that.{" "}
          {params.size > 0 ? (
            <button
              type="button"
              className="text-primary underline"
              onClick={() => setParams(paramsOf(asWall ? { view: "covers" } : {}))}
            >
              See everything
            </button>
          ) : (
            <>
              Open a docket on the{" "}
              <Link className="text-primary underline" to="/">
                shelf
              </Link>
              , or bring{" "}
              <Link className="text-primary underline" to="/files">
                files
              </Link>{" "}
              in.
            </>
          )}
        </p>
      )}
      {asWall ? (
        <Wall wanted={wanted} />
      ) : (
        <>
          <Sheet found={sheet.data?.pages.flatMap((page) => page.found) ?? []} />
          {sheet.hasNextPage && <More busy={sheet.isFetchingNextPage} onMore={() => void sheet.fetchNextPage()} />}
        </>
      )}
    </Desk>
  );
}

function More({ busy, onMore }: { busy: boolean; onMore: () => void }) {
  return (
    <p className="px-5 py-3">
      <button type="button" className="press" disabled={busy} onClick={onMore}>
        Show more
      </button>
    </p>
  );
}

const homeOf = (one: Found): string =>
  one.docket_id !== null
    ? `/dockets/${one.docket_id}/tracks`
    : `/files/sheet?bundle=${one.bundle_id}&file=${one.file_id}`;

function Sheet({ found }: { found: Found[] }) {
  if (found.length === 0) return null;
  return (
    <table className="w-full border-collapse text-[13px]">
      <thead>
        <tr className="rule-b quiet text-left">
          <th className="w-12" />
          <th className="py-2 font-normal">Title</th>
          <th className="font-normal">Artist</th>
          <th className="font-normal">Release</th>
          <th className="font-normal">Year</th>
          <th className="pr-3 font-normal">Length</th>
          <th className="font-normal">Standing</th>
          <th className="pr-5 font-normal">Where</th>
        </tr>
      </thead>
      <tbody>
        {found.map((one) => (
          <tr key={one.key} className="rule-b align-top hover:bg-base-200">
            <td className="py-1.5 pl-5 pr-2">
              <HearButton sound={one.sound} name={one.title} />
            </td>
            <td className="py-1.5 pr-3">
              <Link className="font-medium text-primary hover:underline" to={homeOf(one)}>
                {one.number && <span className="figure quiet mr-2">{one.number}</span>}
                {one.title}
              </Link>
            </td>
            <td className="py-1.5 pr-3">{one.artist}</td>
            <td className="py-1.5 pr-3">{one.release}</td>
            <td className="figure py-1.5 pr-3">{one.year.slice(0, 4)}</td>
            <td className="figure py-1.5 pr-3">{one.duration_s > 0 && shortClock(one.duration_s)}</td>
            <td
              className={clsx(
                "py-1.5 pr-3",
                one.state === "sealed" ? "text-accent" : one.state === "unreadable" ? "text-error" : "",
              )}
            >
              {one.state}
            </td>
            <td className="quiet max-w-56 truncate py-1.5 pr-5" title={one.place}>
              {one.place}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Wall({ wanted }: { wanted: ReturnType<typeof wantedOf> }) {
  const wall = useInfiniteQuery(wallQuery(wanted));
  return (
    <>
      {wall.error && <Trouble error={wall.error} />}
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(150px,1fr))] gap-x-5 gap-y-6 p-5" aria-label="Covers">
        {wall.data?.pages
          .flatMap((page) => page.covers)
          .map((one) => (
            <OnWall key={one.first.key} cover={one} />
          ))}
      </ul>
      {wall.hasNextPage && <More busy={wall.isFetchingNextPage} onMore={() => void wall.fetchNextPage()} />}
    </>
  );
}

function OnWall({ cover }: { cover: Cover }) {
  return (
    <li>
      <Link to={homeOf(cover.first)} className="block">
        {cover.cover ? (
          <img
            src={cover.cover}
            alt=""
            loading="lazy"
            className="aspect-square w-full border border-base-300 object-cover"
          />
        ) : (
          <span
            className={clsx(
              "flex aspect-square w-full items-end border border-dashed border-base-300 p-2",
              "font-serif text-[15px] leading-tight",
            )}
          >
            {cover.title || "no title"}
          </span>
        )}
        <span className="mt-1.5 block truncate font-serif text-[15px] leading-tight">
          {cover.title || cover.first.place}
        </span>
      </Link>
      <span className="flex items-center gap-2 text-[12px]">
        <HearButton sound={cover.first.sound} name={cover.first.title} />
        <span className="quiet min-w-0 truncate">
          {[cover.artist, cover.year, plural(cover.tracks, "track")].filter(Boolean).join(", ")}
        </span>
      </span>
    </li>
  );
}
