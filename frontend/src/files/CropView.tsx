import { useMutation } from "@tanstack/react-query";
import { type PointerEvent, useEffect, useMemo, useState } from "react";

import { address, bytes } from "../api/bytes";
import { type Schemas } from "../api/client";
import { Trouble } from "../words/Trouble";

type Crop = Schemas["Crop"];
type Hold = "move" | "nw" | "se";
const WIDE_PX = 208; // what the margin leaves beside its own scroll bar

/** A picture before it is put in: cut by the border that is found, or by hand, and set straight. */
export function CropView({ file, onUse, onLeave }: { file: Blob; onUse: (made: Blob) => void; onLeave: () => void }) {
  const picture = useMemo(() => URL.createObjectURL(file), [file]);
  const [size, setSize] = useState({ width: 1, height: 1 });
  const [crop, setCrop] = useState<Crop | null>(null);
  const [held, setHeld] = useState<{ hold: Hold; x: number; y: number; from: Crop } | null>(null);
  const scale = WIDE_PX / size.width;
  useEffect(() => () => URL.revokeObjectURL(picture), [picture]);
  const find = useMutation({
    mutationFn: async (square: boolean): Promise<Crop> => {
      const url = address("/api/v1/pictures/find-crop", { square });
      return (await (await bytes(url, { method: "POST", body: file })).json()) as Crop;
    },
    onSuccess: setCrop,
  });
  const cut = useMutation({
    mutationFn: async (): Promise<Blob> => {
      if (!crop) return file;
      return (await bytes(address("/api/v1/pictures/crop", { ...crop }), { method: "POST", body: file })).blob();
    },
    onSuccess: onUse,
  });
  const move = (event: PointerEvent) => {
    if (!held) return;
    const dx = Math.round((event.clientX - held.x) / scale);
    const dy = Math.round((event.clientY - held.y) / scale);
    setCrop(moved(held.from, held.hold, dx, dy, size, !event.shiftKey));
  };
  const take = (hold: Hold) => (event: PointerEvent) => {
    if (!crop) return;
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    setHeld({ hold, x: event.clientX, y: event.clientY, from: crop });
  };
  return (
    <div className="border border-base-300 bg-base-100 p-2">
      <div
        className="relative touch-none overflow-hidden"
        style={{ width: WIDE_PX }}
        onPointerMove={move}
        onPointerUp={() => setHeld(null)}
      >
        <img
          src={picture}
          alt="To be put in"
          style={{
            width: WIDE_PX,
            maxWidth: "none",
            transform: crop?.turn_degrees ? `rotate(${-crop.turn_degrees}deg)` : undefined,
          }}
          onLoad={(event) =>
            setSize({ width: event.currentTarget.naturalWidth, height: event.currentTarget.naturalHeight })
          }
        />
        {crop && (
          <div
            data-testid="crop"
            className="absolute cursor-move border-2 border-error"
            style={{
              left: crop.left * scale,
              top: crop.top * scale,
              width: crop.width * scale,
              height: crop.height * scale,
              boxShadow: "0 0 0 999px rgb(0 0 0 / 0.35)",
            }}
            onPointerDown={take("move")}
          >
            <span
              className="absolute -left-1.5 -top-1.5 h-3 w-3 cursor-nwse-resize bg-error"
              onPointerDown={take("nw")}
            />
            <span
              className="absolute -bottom-1.5 -right-1.5 h-3 w-3 cursor-nwse-resize bg-error"
              onPointerDown={take("se")}
            />
          </div>
        )}
      </div>
      <p className="figure quiet mt-1 text-[12px]">
        {size.width} x {size.height}
        {crop && `, of it ${crop.width} x ${crop.height}`}
      </p>
      <div className="mt-1 flex flex-wrap gap-1.5">
        <button
          type="button"
          className="press !px-2 !py-0.5"
          disabled={find.isPending}
          onClick={() => find.mutate(false)}
        >
          Find the sleeve
        </button>
        <button
          type="button"
          className="press !px-2 !py-0.5"
          disabled={find.isPending}
          onClick={() => find.mutate(true)}
        >
          Cut square
        </button>
        {crop && (
          <button type="button" className="press !px-2 !py-0.5" onClick={() => setCrop(null)}>
            Whole
          </button>
        )}
      </div>
      {crop && (
        <label className="mt-1.5 flex items-center gap-2">
          straighten
          <input
            type="range"
            min={-5}
            max={5}
            step={0.25}
            aria-label="Straighten"
            className="min-w-0 flex-1"
            value={crop.turn_degrees}
            onChange={(event) => setCrop({ ...crop, turn_degrees: Number(event.target.value) })}
          />
          <span className="figure w-12">{crop.turn_degrees.toFixed(2)}°</span>
        </label>
      )}
      {(find.error ?? cut.error) && <Trouble error={find.error ?? cut.error} />}
      <div className="mt-2 flex gap-2">
        <button type="button" className="press press-main" disabled={cut.isPending} onClick={() => cut.mutate()}>
          Put it in
        </button>
        <button type="button" className="press" onClick={onLeave}>
          Cancel
        </button>
      </div>
    </div>
  );
}

/** A crop pulled by one of its holds; within the picture, and square unless that is let go. */
export function moved(
  from: Crop,
  hold: Hold,
  dx: number,
  dy: number,
  size: { width: number; height: number },
  square: boolean,
): Crop {
  const within = (value: number, low: number, high: number) => Math.max(low, Math.min(high, value));
  if (hold === "move")
    return {
      ...from,
      left: within(from.left + dx, 0, size.width - from.width),
      top: within(from.top + dy, 0, size.height - from.height),
    };
  const right = from.left + from.width;
  const bottom = from.top + from.height;
  let width = hold === "se" ? within(from.width + dx, 16, size.width - from.left) : within(from.width - dx, 16, right);
  let height =
    hold === "se" ? within(from.height + dy, 16, size.height - from.top) : within(from.height - dy, 16, bottom);
  if (square && from.width === from.height) width = height = Math.min(width, height);
  return hold === "se"
    ? { ...from, width, height }
    : { ...from, left: right - width, top: bottom - height, width, height };
}
