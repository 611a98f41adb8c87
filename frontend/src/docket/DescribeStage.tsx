import { useQuery } from "@tanstack/react-query";
import { type ClipboardEvent, useState } from "react";

import { answer, api, type Docket, type Schemas, type TrackLine } from "../api/client";
import { vocabularyQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { clock } from "../words/figures";
import { Cell } from "../words/Cell";
import { PasteTitles } from "./PasteTitles";
import { sidesOf, useDocket, useKeepDocket } from "./useDocket";

type Change = Partial<Schemas["DescriptionChange"]>;

const releaseValue = (docket: Docket, name: string): string => docket.release[name as keyof Docket["release"]] ?? "";

/** A field of a track as it stands in a docket; a track that is gone has none. */
function trackValue(docket: Docket, key: string, name: string): string {
  const line = sidesOf(docket)
    .flatMap((side) => side.tracks)
    .find((one) => one.key === key);
  if (name === "title" || name === "artist") return line?.[name] ?? "";
  return line?.fields?.[name] ?? "";
}

/** What is said of the release and its tracks, edited in place and kept field by field. */
export function DescribeStage() {
  const docket = useDocket();
  const keep = useKeepDocket();
  const { data: vocabulary } = useQuery(vocabularyQuery);
  const [pasted, setPasted] = useState<{ from: number; titles: string[] } | null>(null);
  const lines = sidesOf(docket).flatMap((side) => side.tracks);
  const more = vocabulary?.track_fields.filter((one) => one.name !== "title" && one.name !== "artist") ?? [];
  const save = async (change: Change): Promise<Docket> => {
    const saved = await answer(
      api.PATCH("/api/v1/dockets/{docket_id}/description", {
        params: { path: { docket_id: docket.id } },
        body: { release: {}, tracks: {}, seen: {}, ...change },
        keepalive: true, // what was typed arrives though the page is left at once
      }),
    );
    keep(saved);
    return saved;
  };
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Describe</h1>
          <span className="quiet">Every field is kept when you leave it.</span>
        </>
      }
      margin={<DescribeMargin docket={docket} />}
    >
      <section aria-label="Release" className="rule-b grid grid-cols-2 gap-x-6 gap-y-1 px-5 py-4">
        {vocabulary?.release_fields.map((field) => (
          <label key={field.name} className="grid grid-cols-[130px_1fr] items-baseline">
            <span className="quiet">
              {field.label}
              {field.needed && (
                <span className="text-error" title="needed for sealing">
                  {" "}
                  *
                </span>
              )}
            </span>
            <Cell
              label={field.label}
              hint={field.hint || (field.many ? "several: with semicolons" : "")}
              value={releaseValue(docket, field.name)}
              onSave={async (value, seen) => {
                const change = { release: { [field.name]: value }, seen: { release: { [field.name]: seen } } };
                return releaseValue(await save(change), field.name);
              }}
            />
          </label>
        ))}
      </section>
      {lines.length === 0 && (
        <p className="p-8">No tracks are marked yet. Once they are, their titles are typed here.</p>
      )}
      {pasted && (
        <PasteTitles
          lines={lines.slice(pasted.from)}
          titles={pasted.titles}
          onCancel={() => setPasted(null)}
          onAccept={(tracks, seen) => save({ tracks, seen: { tracks: seen } }).then(() => setPasted(null))}
        />
      )}
      {lines.length > 0 && (
        <table className="w-full border-collapse">
          <thead>
            <tr className="rule-b quiet text-left">
              <th className="w-12 py-2 pl-5 font-medium">No.</th>
              <th className="w-20 font-medium">Side</th>
              <th className="pl-2 font-medium">Title *</th>
              <th className="w-1/3 pl-2 font-medium">Artist</th>
              <th className="w-28 text-right font-medium">Length</th>
              <th className="w-24 pr-5" aria-label="More fields" />
            </tr>
          </thead>
          <tbody>
            {lines.map((line, index) => (
              <TrackRow
                key={line.key}
                line={line}
                side={sideLetter(docket, line)}
                albumArtist={docket.release.album_artist ?? ""}
                more={more}
                onSave={async (name, value, seen) => {
                  const tracks = { [line.key]: { [name]: value } };
                  const saved = await save({ tracks, seen: { tracks: { [line.key]: { [name]: seen } } } });
                  return trackValue(saved, line.key, name);
                }}
                onPaste={(titles) => setPasted({ from: index, titles })}
              />
            ))}
          </tbody>
        </table>
      )}
    </Desk>
  );
}

const sideLetter = (docket: Docket, line: TrackLine): string => {
  const side = sidesOf(docket).find((one) => one.id === line.side_id);
  return side ? side.name.replace("Side ", "") : "";
};

function TrackRow(props: {
  line: TrackLine;
  side: string;
  albumArtist: string;
  more: Schemas["FieldInfo"][];
  onSave: (name: string, value: string, seen: string) => Promise<string>;
  onPaste: (titles: string[]) => void;
}) {
  const { line } = props;
  const [isOpen, setOpen] = useState(false);
  const said = props.more.filter((one) => line.fields?.[one.name]);
  const onPaste = (event: ClipboardEvent) => {
    const titles = event.clipboardData
      .getData("text")
      .split(/\r\n|\r|\n/)
      .map((title) => title.trim())
      .filter(Boolean);
    if (titles.length < 2) return;
    event.preventDefault();
    props.onPaste(titles);
  };
  return (
    <>
      <tr className={isOpen ? "" : "rule-b"}>
        <td className="figure py-1 pl-5">{line.number}</td>
        <td>{props.side}</td>
        <td className="pr-3" onPaste={onPaste}>
          <Cell
            label={`Title of track ${line.number}`}
            value={line.title}
            onSave={(title, seen) => props.onSave("title", title, seen)}
          />
        </td>
        <td className="pr-3">
          <Cell
            label={`Artist of track ${line.number}`}
            value={line.artist}
            hint={props.albumArtist}
            onSave={(artist, seen) => props.onSave("artist", artist, seen)}
          />
        </td>
        <td className="figure text-right">{clock(line.end_sample - line.start_sample, line.rate_hz)}</td>
        <td className="pr-5 text-right">
          <button
            type="button"
            className="text-primary"
            aria-expanded={isOpen}
            aria-label={`More of track ${line.number}`}
            onClick={() => setOpen(!isOpen)}
          >
            {isOpen ? "less" : said.length > 0 ? `${said.length} more` : "more"}
          </button>
        </td>
      </tr>
      {isOpen && (
        <tr className="rule-b">
          <td />
          <td colSpan={5} className="pb-2 pr-5">
            <div className="grid grid-cols-2 gap-x-6 gap-y-0.5">
              {props.more.map((field) => (
                <label key={field.name} className="grid grid-cols-[130px_1fr] items-baseline">
                  <span className="quiet">{field.label}</span>
                  <Cell
                    label={`${field.label} of track ${line.number}`}
                    hint={field.hint || (field.many ? "several: with semicolons" : "")}
                    value={line.fields?.[field.name] ?? ""}
                    onSave={(value, seen) => props.onSave(field.name, value, seen)}
                  />
                </label>
              ))}
            </div>
          </td>
        </tr>
      )}
    </>
  );
}

function DescribeMargin({ docket }: { docket: Docket }) {
  const origins = Object.entries(docket.origins);
  return (
    <>
      <h2 className="margin-heading">Before sealing</h2>
      {docket.missing.length === 0 && <p className="text-accent">Nothing is missing.</p>}
      <ul className="list-disc pl-5">
        {docket.missing.map((one) => (
          <li key={one}>{one}</li>
        ))}
      </ul>
      <h2 className="margin-heading">Titles from a list</h2>
      <p>
        Copy the titles from a text, one a line, and paste them into the first track’s title: they are shown before they
        are put in.
      </p>
      {origins.length > 0 && (
        <>
          <h2 className="margin-heading">Where it comes from</h2>
          <dl className="grid grid-cols-[auto_1fr] gap-x-3">
            {origins.map(([field, origin]) => [
              <dt key={field} className="quiet">
                {field.replaceAll("_", " ")}
              </dt>,
              <dd key={`${field} origin`}>{origin}</dd>,
            ])}
          </dl>
        </>
      )}
    </>
  );
}
