import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";

import { answer, api, type ArtOffer, type Docket } from "../api/client";
import { docketQuery, sourceArtQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { size } from "../words/figures";
import { Trouble } from "../words/Trouble";

const picture = (docket: Docket, offer: ArtOffer) =>
  `/api/v1/dockets/${docket.id}/catalogue-pictures/picture?address=${encodeURIComponent(offer.address)}`;

/** The pictures that sources have, two of them large side by side; the chosen one is fetched whole. */
export function Pictures({ docket, title }: { docket: Docket; title: ReactNode }) {
  const cache = useQueryClient();
  const { data: offers, error } = useQuery(sourceArtQuery(docket.id));
  const [compared, setCompared] = useState<string[]>([]);
  const take = useMutation({
    mutationFn: (address: string) =>
      answer(
        api.POST("/api/v1/dockets/{docket_id}/catalogue-pictures", {
          params: { path: { docket_id: docket.id } },
          body: { address },
        }),
      ),
    onSuccess: () => cache.invalidateQueries({ queryKey: docketQuery(docket.id).queryKey }),
  });
  const large = (compared.length > 0 ? compared : (offers ?? []).slice(0, 2).map((one) => one.address))
    .map((address) => offers?.find((one) => one.address === address))
    .filter((one) => one !== undefined);
  const toggle = (address: string) =>
    setCompared(
      compared.includes(address) ? compared.filter((one) => one !== address) : [...compared, address].slice(-2),
    );
  const front = docket.artwork.find((one) => one.role === "front");
  return (
    <Desk title={title}>
      {(error ?? take.error) && (
        <div className="px-5 py-3">
          <Trouble error={error ?? take.error} />
        </div>
      )}
      {offers?.length === 0 && (
        <p className="p-8">
          No source has a picture of this release. Scan or photograph the sleeve, and drop it anywhere on this page.
        </p>
      )}
      <div className="grid grid-cols-2 gap-4 p-5">
        {large.map((one) => (
          <figure key={one.address}>
            <div className="grid h-[380px] place-items-center border border-base-300 bg-base-200">
              <img src={picture(docket, one)} alt={`${one.role}, ${one.source}`} className="max-h-[378px] max-w-full" />
            </div>
            <figcaption className="mt-1 flex items-center gap-3">
              <Facts offer={one} />
              {front?.origin === one.source && front.facts.width_px === one.width_px ? (
                <span className="ml-auto text-accent">✓ front cover</span>
              ) : (
                <button
                  type="button"
                  className="press ml-auto"
                  disabled={take.isPending}
                  onClick={() => take.mutate(one.address)}
                >
                  Take as front cover
                </button>
              )}
            </figcaption>
          </figure>
        ))}
      </div>
      {(offers?.length ?? 0) > 2 && (
        <>
          <h2 className="px-5 text-base">
            All pictures <span className="quiet font-sans text-[13px] font-normal">two of them are compared above</span>
          </h2>
          <ul className="flex flex-wrap gap-4 p-5 pt-2">
            {offers?.map((one) => (
              <li key={one.address} className="w-40 text-[12px]">
                <button
                  type="button"
                  aria-pressed={large.includes(one)}
                  className={`border-2 ${large.includes(one) ? "border-primary" : "border-base-300"}`}
                  onClick={() => toggle(one.address)}
                  aria-label={`Compare ${one.role} from ${one.source}`}
                >
                  <img src={picture(docket, one)} alt="" className="h-36 w-36 object-contain" />
                </button>
                <Facts offer={one} />
              </li>
            ))}
          </ul>
        </>
      )}
    </Desk>
  );
}

function Facts({ offer }: { offer: ArtOffer }) {
  return (
    <span>
      <span className="font-medium">{offer.role}</span> <span className="quiet">{offer.source}</span>
      <span className="figure block">
        {offer.width_px} x {offer.height_px}, {size(offer.size_bytes)}
      </span>
      <span className={offer.is_square ? "quiet" : "text-warning"}>
        {offer.is_square ? "square" : "not square"}
        {offer.width_px < 500 && ", small"}
      </span>
    </span>
  );
}
