import { useMutation, useQuery } from "@tanstack/react-query";
import { Link } from "react-router";

import { answer, api, type Row } from "../api/client";
import { otherTagsQuery } from "../api/filesQueries";
import { clock, size } from "../words/figures";
import { sentence, Trouble } from "../words/Trouble";
import { stored } from "./rows";

/** What there is to know of the file one stands on. */
export function FilePane({ row }: { row: Row | undefined }) {
  if (!row)
    return (
      <p>
        Each line is a file, each column a field. Click a cell and type; nothing is written until you press Write. Tick
        rows to work on those alone, else the panes here work on every row in sight.
      </p>
    );
  const changes = Object.keys(row.pending);
  return (
    <div>
      <h2 className="margin-heading break-all">{row.path.split("/").at(-1)}</h2>
      {row.problem && (
        <p role="alert" className="border-l-4 border-error pl-2">
          {sentence(row.problem.what)} {sentence(row.problem.remedy)}
        </p>
      )}
      {row.kind === "audio" && (
        <>
          {/* eslint-disable-next-line jsx-a11y/media-has-caption -- a recording of music has no captions to show */}
          <audio
            key={row.id}
            controls
            preload="none"
            className="my-2 h-8 w-full"
            src={`/api/v1/files/${row.id}/sound`}
            aria-label={`Listen to ${row.path}`}
          />
          <dl className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5">
            <Fact
              name="Kind"
              value={
                `${row.format}, ${row.rate_hz / 1000} kHz` +
                (row.bits ? `/${row.bits}` : "") +
                `, ${row.bitrate_kbps} kbit/s`
              }
            />
            <Fact name="Length" value={clock(row.duration_s * 1000, 1000)} />
            <Fact name="Size" value={size(row.size_bytes)} />
            <Fact name="Tagged as" value={row.tagged_as || "not at all"} />
            {row.carries.length > 0 && <Fact name="Carries" value={row.carries.join(", ")} />}
            {row.silent_tail_s >= 5 && (
              <Fact name="At the end" value={`${row.silent_tail_s.toFixed(0)} s of silence`} />
            )}
          </dl>
        </>
      )}
      {row.format === "FLAC" && (row.carries.includes("cue sheet") || row.duration_s > LONG_S) && (
        <TakeApart key={row.id} row={row} />
      )}
      {row.pictures.length > 0 && (
        <>
          <h2 className="margin-heading">Pictures</h2>
          <ul className="flex flex-wrap gap-2">
            {row.pictures.map((one, at) => (
              <li key={one.sha256}>
                <img
                  src={`/api/v1/files/${row.id}/pictures/${at}`}
                  alt={one.role}
                  className="h-24 w-24 border border-base-300 object-contain"
                />
                <span className="quiet block text-[12px]">
                  {one.role}
                  <br />
                  {one.width_px} x {one.height_px}, {size(one.size_bytes)}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      {changes.length > 0 && (
        <>
          <h2 className="margin-heading">Changed, not written</h2>
          <dl>
            {changes.map((name) => (
              <div key={name} className="mb-1">
                <dt className="quiet">{name.replaceAll("_", " ")}</dt>
                <dd className="break-words">
                  <s className="quiet">{stored(row, name) || "nothing"}</s> → {row.pending[name] || "nothing"}
                </dd>
              </div>
            ))}
          </dl>
        </>
      )}
      {row.others > 0 && <Others id={row.id} count={row.others} />}
    </div>
  );
}

// Longer than most tracks: such a file may have its cue sheet beside it.
const LONG_S = 900;

/** A whole album in one file, cut into a folder of tracks; the file itself stays. */
function TakeApart({ row }: { row: Row }) {
  const apart = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/files/{file_id}/split", { params: { path: { file_id: row.id } } })),
  });
  return (
    <div className="mt-2">
      <button
        type="button"
        className="press w-full justify-center"
        disabled={apart.isPending || apart.isSuccess}
        onClick={() => apart.mutate()}
      >
        Take apart into tracks
      </button>
      <p className="quiet mt-1 text-[12px]">
        {apart.data ? (
          <>
            Being cut: its tracks come under{" "}
            <Link className="text-primary underline" to="/files">
              Files
            </Link>{" "}
            as “{apart.data.name}”.
          </>
        ) : (
          "By its cue sheet, bit for bit, into a folder of their own. This file stays as it is."
        )}
      </p>
      {apart.error && <Trouble error={apart.error} />}
    </div>
  );
}

function Others({ id, count }: { id: number; count: number }) {
  const { data } = useQuery(otherTagsQuery(id));
  return (
    <details className="mt-3">
      <summary className="cursor-pointer text-primary">
        {count === 1 ? "1 other tag, left as it is" : `${count} other tags, left as they are`}
      </summary>
      <dl className="text-[12px]">
        {(data ?? []).map((one) => (
          <div key={one.key} className="mt-1">
            <dt className="quiet break-all">{one.key}</dt>
            <dd className="break-words">{one.value}</dd>
          </div>
        ))}
      </dl>
    </details>
  );
}

const Fact = ({ name, value }: { name: string; value: string }) => (
  <>
    <dt className="quiet">{name}</dt>
    <dd className="figure break-words">{value}</dd>
  </>
);
