import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";

import { SPECTROGRAM_SIZE, spectrogramQuery } from "../api/queries";
import type { ListenFor } from "../player/programme";

interface Props {
  sideId: number;
  version: number;
  listen: ListenFor;
  from: number;
  to: number;
  rateHz: number;
  width: number;
  height: number;
  theme: string;
}

const [DARKEST, LIGHTEST] = [235, 75]; // of the server's bytes: half a decibel each, 255 a full-scale sine
const LOW_HZ = 60;

/** Time across, frequency upwards on a scale of octaves, the louder the darker. */
export function Spectrogram({ sideId, version, listen, from, to, rateHz, width, height, theme }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const wanted = { sideId, version, listen, fromSample: from, toSample: to, columns: width };
  const { data } = useQuery({ ...spectrogramQuery(wanted), enabled: width > 0 });
  useEffect(() => {
    const element = canvas.current;
    const ctx = element?.getContext("2d");
    if (!element || !ctx || !data || data.length !== width * (SPECTROGRAM_SIZE / 2)) return;
    element.width = width;
    element.height = height;
    const style = getComputedStyle(document.documentElement);
    const [paper, ink] = [rgb(style.getPropertyValue("--ink-paper")), rgb(style.getPropertyValue("--ink-core"))];
    const image = ctx.createImageData(width, height);
    for (let y = 0; y < height; y++) {
      const hz = LOW_HZ * (rateHz / 2 / LOW_HZ) ** (1 - y / height);
      const row = Math.min(SPECTROGRAM_SIZE / 2 - 1, Math.round((hz * SPECTROGRAM_SIZE) / rateHz));
      for (let x = 0; x < width; x++) {
        const dark = Math.min(
          1,
          Math.max(0, ((data[x * (SPECTROGRAM_SIZE / 2) + row] ?? 0) - LIGHTEST) / (DARKEST - LIGHTEST)),
        );
        const at = 4 * (y * width + x);
        for (let c = 0; c < 3; c++) image.data[at + c] = (paper[c] ?? 0) + dark * ((ink[c] ?? 0) - (paper[c] ?? 0));
        image.data[at + 3] = 255;
      }
    }
    ctx.putImageData(image, 0, 0);
  }, [data, width, height, rateHz, theme]);
  return <canvas ref={canvas} style={{ width, height }} role="img" aria-label={`Spectrogram: ${listen}`} />;
}

const rgb = (hex: string): number[] => [1, 3, 5].map((at) => parseInt(hex.trim().slice(at, at + 2), 16));
