import { useState } from "react";

import type { Drive, Drives } from "../api/client";
import { frameClock } from "./stripLayout";
import type { DiscDoing } from "./useDisc";

interface Props {
  drives: Drives;
  doing: DiscDoing;
  chosen: string;
  onChoose: (drive: string) => void;
  /** Part of a disc's name by which the one that belongs here is offered first. */
  wanted: string;
}

/** The drives and what is in them; a disc is put in, taken out, wiped. */
export function DriveRows({ drives, doing, chosen, onChoose, wanted }: Props) {
  return (
    <section aria-label="Drives" className="rule-b px-5 py-2">
      <table className="w-full text-[13px]">
        <thead>
          <tr className="quiet text-left">
            <th className="py-1 font-medium">Drive</th>
            <th className="font-medium">Offset</th>
            <th className="font-medium">Disc</th>
            <th aria-label="What can be done" />
          </tr>
        </thead>
        <tbody>
          {drives.drives.map((drive) => (
            <Row
              key={drive.id}
              drive={drive}
              drives={drives}
              doing={doing}
              isChosen={drive.id === chosen}
              onChoose={onChoose}
              wanted={wanted}
            />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Row({
  drive,
  drives,
  doing,
  isChosen,
  onChoose,
  wanted,
}: Omit<Props, "chosen"> & { drive: Drive; isChosen: boolean }) {
  const out = drives.discs.filter((one) => one.in_drive === null && one.node === drive.node);
  const first = out.find((one) => one.name.startsWith(wanted)) ?? out[0];
  const [picked, setPicked] = useState<string | null>(null);
  const disc = out.find((one) => one.name === picked) ?? first;
  return (
    <tr className={`border-t border-base-300 ${isChosen ? "bg-base-200" : ""}`}>
      <td className="py-1.5">
        <label className="flex items-center gap-2 font-medium">
          <input
            type="radio"
            name="drive"
            className="accent-primary"
            checked={isChosen}
            onChange={() => onChoose(drive.id)}
          />{" "}
          {drive.name}
        </label>
      </td>
      <td>
        {drive.offset_samples === null ? (
          <span className="text-warning">not known; a disc the register knows tells it</span>
        ) : (
          <>
            <span className="figure">{signed(drive.offset_samples)}</span>{" "}
            <span className="quiet">{offsetWords(drive)}</span>
          </>
        )}
      </td>
      <td>
        {drive.disc ? (
          <>
            <b className="font-medium">{drive.disc}</b>
            {drive.toc && (
              <span className="quiet">
                , {drive.toc.tracks.length} tracks, <span className="figure">{frameClock(drive.toc.lead_out)}</span>
              </span>
            )}
          </>
        ) : (
          <label>
            <span className="sr-only">Disc for {drive.name}</span>
            <select
              className="border border-base-300 bg-base-100 px-1 py-0.5"
              value={disc?.name ?? ""}
              onChange={(event) => setPicked(event.target.value)}
            >
              {out.map((one) => (
                <option key={one.name} value={one.name}>
                  {one.name}
                  {one.wiped ? ", wiped" : ""}
                </option>
              ))}
              {out.length === 0 && <option value="">no disc at hand</option>}
            </select>
          </label>
        )}
      </td>
      <td className="whitespace-nowrap py-1 text-right">
        {drive.disc ? (
          <button
            type="button"
            className="press !py-0.5"
            disabled={drive.busy}
            onClick={() => doing.takeOut.mutate(drive.id)}
          >
            {drive.busy ? "Reading" : "Take out"}
          </button>
        ) : (
          <>
            {disc && !disc.wiped && !drive.is_image && (
              <button type="button" className="press !py-0.5 mr-2" onClick={() => doing.wipe.mutate(disc)}>
                Disc was cleaned
              </button>
            )}
            <button
              type="button"
              className="press !py-0.5"
              disabled={!disc}
              onClick={() => {
                onChoose(drive.id);
                if (disc) doing.putIn.mutate({ drive: drive.id, disc: disc.name });
              }}
            >
              Put in
            </button>
          </>
        )}
      </td>
    </tr>
  );
}

export const offsetWords = (drive: Drive): string =>
  drive.offset_from === "the register" ? "told by the register" : drive.offset_from;

export const signed = (value: number): string => (value > 0 ? `+${value}` : String(value).replace("-", "−"));
