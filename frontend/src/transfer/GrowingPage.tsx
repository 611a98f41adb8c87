import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useReducer } from "react";

import type { RecordingView, Schemas } from "../api/client";
import { recordingPeaksQuery } from "../api/queries";
import { useTheme } from "../frame/theme";
import { Page } from "../waveform/Page";
import { fittingLineSeconds } from "../waveform/pageLayout";
import { GrowingSource } from "../waveform/source";
import { useSize } from "../waveform/useSource";

/** The side so far, drawn line by line as it is recorded; the lines to come are ruled already. */
export function GrowingPage({
  recording,
  expectedS,
  peakDbtp,
  label,
}: {
  recording: RecordingView;
  expectedS: number;
  peakDbtp: number | null;
  label: string;
}) {
  const { data: index } = useQuery(recordingPeaksQuery(recording.id));
  if (!index?.blocks.length || index.samples === 0)
    return <p className="quiet px-5">The first line is being written…</p>;
  return (
    <Growing
      key={recording.id}
      recording={recording}
      index={index}
      expectedS={expectedS}
      peakDbtp={peakDbtp}
      label={label}
    />
  );
}

/** How much taller than full scale: in doublings, so that it changes seldom, and only until the first loud note. */
const scaleInSteps = (peakDbtp: number | null): number =>
  Math.min(8, Math.max(1, 2 ** Math.floor(-((peakDbtp ?? 0) + 1) / 6.02)));

const NONE: never[] = [];

interface Props {
  recording: RecordingView;
  index: Schemas["PeakIndex"];
  expectedS: number;
  peakDbtp: number | null;
  label: string;
}

function Growing({ recording, index, expectedS, peakDbtp, label }: Props) {
  const theme = useTheme();
  const [box, { width, height }] = useSize();
  // eslint-disable-next-line react-hooks/exhaustive-deps -- made once for a recording; it grows below
  const source = useMemo(() => new GrowingSource(recording.id, index), [recording.id]);
  const [loaded, more] = useReducer((count: number) => count + 1, 0);
  useEffect(() => source.onLoad(more), [source]);
  useEffect(() => {
    source.grow(index);
    more();
  }, [source, index]);
  // Lines are planned for the whole side, so that they do not change their scale while one looks on.
  const recordedS = index.samples / index.rate_hz;
  const wholeS = Math.min(Math.max(recordedS, Math.min(recordedS + expectedS, 150)), 3600);
  const lineSeconds = fittingLineSeconds(wholeS, Math.max(height, 120));
  return (
    <div ref={box} className="h-full">
      {width > 0 && (
        <Page
          source={source}
          loaded={loaded}
          tracks={NONE}
          bare
          firstNumber={1}
          lineSeconds={lineSeconds}
          height={Math.max(height, 120)}
          theme={theme}
          scale={scaleInSteps(peakDbtp)}
          chosenTrack={null}
          selection={null}
          loupe={null}
          faults={recording.faults}
          label={`${label} so far, in lines of ${lineSeconds} s`}
          onPlace={() => undefined}
          onSelect={() => undefined}
        />
      )}
    </div>
  );
}
