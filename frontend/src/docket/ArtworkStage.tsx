import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";

import { answer, api, type Artwork, Problem } from "../api/client";
import { docketQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { sendPicture } from "../intake/uploads";
import { ChangedMeanwhile } from "../words/ChangedMeanwhile";
import { moment, size } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { useDocket } from "./useDocket";

/** The front cover, and the pictures set aside for it. */
export function ArtworkStage() {
  const docket = useDocket();
  const cache = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const refresh = () => void cache.invalidateQueries({ queryKey: docketQuery(docket.id).queryKey });
  const add = useMutation({ mutationFn: (file: File) => sendPicture(docket.id, file), onSettled: refresh });
  const role = useMutation({
    mutationFn: ({ id, to, seen }: { id: number; to: "front" | "set aside"; seen: { front: number | null } | null }) =>
      answer(
        api.PUT("/api/v1/dockets/{docket_id}/artwork/{artwork_id}/role", {
          params: { path: { docket_id: docket.id, artwork_id: id } },
          body: { role: to, seen },
        }),
      ),
    onSettled: refresh,
  });
  const changed = role.error instanceof Problem ? role.error.changed : [];
  const front = docket.artwork.find((one) => one.role === "front");
  const aside = docket.artwork.filter((one) => one !== front);
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Artwork</h1>
          <span className="quiet">
            Drop a JPEG or PNG anywhere on this page: it becomes the front cover, and goes into every track.
          </span>
        </>
      }
      margin={front && <Facts picture={front} />}
    >
      <div className="p-5">
        {changed.length > 0 && (
          <div className="mb-4">
            <ChangedMeanwhile
              changed={changed}
              isNamed
              onUseMine={() => role.variables && role.mutate({ ...role.variables, seen: null })}
              onKeepTheirs={role.reset}
            />
          </div>
        )}
        {(add.error ?? (changed.length === 0 && role.error)) && (
          <div className="mb-4">
            <Trouble error={add.error ?? role.error} />
          </div>
        )}
        <div className="flex items-start gap-6">
          {front ? (
            <img
              src={`/api/v1/artwork/${front.id}/image`}
              alt={`Front cover, ${front.name}`}
              className="max-h-[560px] max-w-[min(100%,560px)] border border-base-300"
            />
          ) : (
            <div className="grid h-80 w-80 place-items-center border-2 border-dashed border-base-300 p-6 text-center">
              <p>No front cover yet. Scan or photograph the sleeve, and drop the picture here.</p>
            </div>
          )}
          <div className="flex flex-col items-start gap-2">
            <button type="button" className="press press-main" onClick={() => input.current?.click()}>
              {front ? "Choose another" : "Choose a picture"}
            </button>
            {front && (
              <button
                type="button"
                className="press"
                onClick={() => role.mutate({ id: front.id, to: "set aside", seen: { front: front.id } })}
              >
                Set aside
              </button>
            )}
            <input
              ref={input}
              type="file"
              hidden
              accept="image/jpeg,image/png"
              aria-label="Front cover"
              onChange={(event) => {
                const file = event.target.files?.[0];
                if (file) add.mutate(file);
                event.target.value = "";
              }}
            />
          </div>
        </div>
        {aside.length > 0 && (
          <>
            <h2 className="mb-2 mt-6 text-lg">Set aside</h2>
            <ul className="flex flex-wrap gap-4">
              {aside.map((picture) => (
                <li key={picture.id} className="w-36 text-[12px]">
                  <img
                    src={`/api/v1/artwork/${picture.id}/image`}
                    alt={picture.name}
                    className="mb-1 h-36 w-36 border border-base-300 object-cover"
                  />
                  <div className="truncate">{picture.name}</div>
                  <div className="figure quiet">
                    {picture.facts.width_px} x {picture.facts.height_px}
                  </div>
                  <button
                    type="button"
                    className="press mt-1"
                    onClick={() => role.mutate({ id: picture.id, to: "front", seen: { front: front?.id ?? null } })}
                  >
                    Make it the front
                  </button>
                </li>
              ))}
            </ul>
          </>
        )}
      </div>
    </Desk>
  );
}

function Facts({ picture }: { picture: Artwork }) {
  const { facts } = picture;
  return (
    <>
      <h2 className="margin-heading break-words">{picture.name}</h2>
      <dl className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-1">
        <dt className="quiet">Pixels</dt>
        <dd className="figure">
          {facts.width_px} x {facts.height_px}
          {picture.is_square ? ", square" : ""}
        </dd>
        <dt className="quiet">Kind</dt>
        <dd>
          {facts.mime === "image/png" ? "PNG" : "JPEG"}, {facts.bits_per_pixel} bit
        </dd>
        <dt className="quiet">Size</dt>
        <dd className="figure">{size(facts.size_bytes)}</dd>
        <dt className="quiet">From</dt>
        <dd>
          {picture.origin}, {moment(picture.added_at)}
        </dd>
      </dl>
      <h2 className="margin-heading">Worth knowing</h2>
      {(facts.advice ?? []).length === 0 && <p className="text-accent">Square, and large enough for any player.</p>}
      {facts.advice?.map((one) => (
        <p key={one} className="mb-1 text-warning">
          {one}
        </p>
      ))}
    </>
  );
}
