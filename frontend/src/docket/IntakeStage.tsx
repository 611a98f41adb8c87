import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";

import { answer, api, type Docket, type Side, type Take, type Upload } from "../api/client";
import { Desk } from "../frame/Desk";
import { useTheme } from "../frame/theme";
import { type Sending, receive, uploads, useSendings } from "../intake/uploads";
import { player } from "../player/player";
import { Page } from "../waveform/Page";
import { scaleOf } from "../waveform/pageLayout";
import { useWaveform } from "../waveform/useSource";
import { clock, level, moment, percent, size, timeLeft } from "../words/figures";
import { Trouble, TroubleText } from "../words/Trouble";
import { CarrierSheet } from "./CarrierSheet";
import { asItCame } from "./sideSound";
import { TurnOverField } from "./TurnOverField";
import { chosenTake, firstNumber, isDisc, sidesOf, useDocket } from "./useDocket";

const ACCEPT = ".wav,.wave,.rf64,.aif,.aiff,.flac,.mp3,.ogg,audio/*";

/** Recordings come in: one or more takes for each side, each kept for good. */
export function IntakeStage() {
  const docket = useDocket();
  const sendings = useSendings(docket.id);
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Intake</h1>
          <span className="quiet">
            {sidesOf(docket).every((side) => isDisc(docket, side))
              ? "What is said of the carrier, and what was read of it."
              : "Drop the recording of a side anywhere on this page. It is kept as it came, for good."}
          </span>
        </>
      }
      margin={<IntakeMargin docket={docket} />}
    >
      {sendings.map((sending) => (
        <SendingLine key={sending.id} sending={sending} />
      ))}
      {docket.uploads
        .filter((upload) => !sendings.some((one) => one.id === upload.id))
        .map((upload) => (
          <UploadLine key={upload.id} upload={upload} />
        ))}
      {docket.carriers.map((carrier) => (
        <CarrierSheet key={carrier.id} docket={docket} carrier={carrier} />
      ))}
      {sidesOf(docket).map((side) => (
        <SidePanel key={side.id} docket={docket} side={side} />
      ))}
    </Desk>
  );
}

function SidePanel({ docket, side }: { docket: Docket; side: Side }) {
  const take = chosenTake(side);
  return (
    <section className="rule-b px-5 py-4" aria-label={side.name}>
      <div className="mb-2 flex items-baseline gap-4">
        <h2 className="text-lg">{side.name}</h2>
        {take && <span className="figure">{clock(take.format.samples, take.format.rate_hz)}</span>}
        {!isDisc(docket, side) && (
          <span className="ml-auto">
            <ChooseFile docket={docket} side={side} label={take ? "Add another take" : "Choose a recording"} />
          </span>
        )}
      </div>
      {take && <Strip docket={docket} side={side} take={take} />}
      {side.takes.length === 0 && isDisc(docket, side) && (
        <p className="quiet">
          Not read yet.{" "}
          <Link
            className="text-primary underline-offset-2 hover:underline"
            to={`/dockets/${docket.id}/disc?side=${side.id}`}
          >
            Read it in a drive
          </Link>
          .
        </p>
      )}
      {side.takes.length === 0 && !isDisc(docket, side) && (
        <p className="quiet">
          No recording yet.{" "}
          <Link className="text-primary underline-offset-2 hover:underline" to={`/dockets/${docket.id}/transfer`}>
            Record it at the deck
          </Link>
          , or bring a file: WAV, RF64, AIFF or FLAC, 8 to 192 kHz, 16 to 32 bit; MP3 and Ogg as a reference only.
        </p>
      )}
      {side.takes.length > 0 && (
        <table className="mt-2 w-full text-[13px]">
          <tbody>
            {side.takes.map((one) => (
              <TakeRow key={one.id} docket={docket} side={side} take={one} />
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function Strip({ docket, side, take }: { docket: Docket; side: Side; take: Take }) {
  const { source, loaded, error } = useWaveform(take.id);
  const theme = useTheme();
  if (error) return <Trouble error={error} />;
  if (!source) return <div className="h-20" />;
  return (
    <Page
      source={source}
      loaded={loaded}
      tracks={side.plan?.plan.tracks ?? []}
      firstNumber={firstNumber(docket, side)}
      faults={take.transferred?.faults}
      lineSeconds={take.format.samples / take.format.rate_hz}
      height={80}
      theme={theme}
      scale={scaleOf("fitted", take.sample_peak_dbfs)}
      chosenTrack={null}
      selection={null}
      loupe={null}
      label={`${side.name} as one line`}
      onPlace={(sample) => player.play(asItCame(take), sample)}
      onSelect={(span) => span && player.play(asItCame(take), span.from, span.to)}
    />
  );
}

function TakeRow({ docket, side, take }: { docket: Docket; side: Side; take: Take }) {
  const choose = useMutation({
    mutationFn: () =>
      answer(
        api.PUT("/api/v1/sides/{side_id}/chosen-take", {
          params: { path: { side_id: side.id } },
          body: { take_id: take.id },
        }),
      ),
  });
  const { format } = take;
  const isChosen = take.id === side.chosen_take_id;
  return (
    <tr className="align-top">
      <td className="py-1 pr-4">
        <div className="font-medium">{take.name}</div>
        {take.note && <div className={isDisc(docket, side) ? "quiet" : "text-warning"}>{take.note}</div>}
        {take.transferred && <ChainLine transferred={take.transferred} />}
        <TurnOverField docket={docket} side={side} take={take} />
        {choose.error && <Trouble error={choose.error} />}
      </td>
      <td className="figure whitespace-nowrap py-1 pr-4">
        {format.container} {format.rate_hz / 1000} kHz/{format.bits}
        {format.is_float ? " float" : ""},{" "}
        {format.channels === 1 ? "mono" : format.channels === 2 ? "stereo" : `${format.channels} channels`}
      </td>
      <td className="figure whitespace-nowrap py-1 pr-4">
        {level(take.sample_peak_dbfs)}
        {take.clipped_runs ? <span className="text-error">, clipped {take.clipped_runs} times</span> : ""}
      </td>
      <td className="figure whitespace-nowrap py-1 pr-4">{size(take.size_bytes)}</td>
      <td className="whitespace-nowrap py-1 text-right">
        {!format.lossless && <span className="mr-2 text-warning">lossy: reference only</span>}
        {isChosen ? (
          <span className="text-accent">chosen</span>
        ) : (
          <button type="button" className="press" onClick={() => choose.mutate()} disabled={choose.isPending}>
            Choose this take
          </button>
        )}
      </td>
    </tr>
  );
}

/** What a take came through, in one line. */
function ChainLine({ transferred }: { transferred: NonNullable<Take["transferred"]> }) {
  const { chain } = transferred;
  const parts = [chain.deck, chain.stylus, chain.speed, chain.preamp, chain.interface || transferred.source].filter(
    Boolean,
  );
  return (
    <div className="quiet text-[12.5px]">
      {chain.name !== "not stated" && `${chain.name}: `}
      {parts.join(" · ")}; ended: {transferred.ended}
    </div>
  );
}

function ChooseFile({ docket, side, label }: { docket: Docket; side: Side; label: string }) {
  const input = useRef<HTMLInputElement>(null);
  const [error, setError] = useState<unknown>(null);
  return (
    <>
      <button type="button" className="press" onClick={() => input.current?.click()}>
        {label}
      </button>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        accept={ACCEPT}
        aria-label={`Recording of side ${side.letter}`}
        onChange={(event) => {
          setError(null);
          receive(docket.id, side.id, [...(event.target.files ?? [])]).catch(setError);
          event.target.value = "";
        }}
      />
      {error !== null && <Trouble error={error} />}
    </>
  );
}

function SendingLine({ sending }: { sending: Sending }) {
  const share = sending.sentBytes / sending.sizeBytes;
  const left = sending.bytesPerSecond ? (sending.sizeBytes - sending.sentBytes) / sending.bytesPerSecond : null;
  return (
    <div className="rule-b flex flex-wrap items-center gap-4 bg-base-200 px-5 py-2">
      <span className="font-medium">{sending.name}</span>
      <progress className="h-2 w-48 accent-primary" max={1} value={share} aria-label={`Sending ${sending.name}`} />
      <span className="figure">
        {percent(share)} of {size(sending.sizeBytes)}
      </span>
      <span className="figure quiet">
        {sending.bytesPerSecond ? `${size(sending.bytesPerSecond)}/s` : ""} {timeLeft(left)}
      </span>
      {sending.state === "waiting for the connection" && (
        <span className="text-warning">waiting for the connection; nothing sent is lost</span>
      )}
      <button type="button" className="press ml-auto" onClick={() => uploads.stop(sending.id)}>
        Stop
      </button>
      {sending.problem && <Trouble error={sending.problem} />}
    </div>
  );
}

function UploadLine({ upload }: { upload: Upload }) {
  const path = { params: { path: { upload_id: upload.id } } };
  const accept = useMutation({ mutationFn: () => answer(api.POST("/api/v1/uploads/{upload_id}/accept-found", path)) });
  const discard = useMutation({ mutationFn: () => answer(api.DELETE("/api/v1/uploads/{upload_id}", path)) });
  const again = useMutation({ mutationFn: () => answer(api.POST("/api/v1/uploads/{upload_id}/retry", path)) });
  const mayTryAgain = ["Cancelled", "Interrupted"].includes(upload.refusal?.code ?? "");
  const input = useRef<HTMLInputElement>(null);
  const [error, setError] = useState<unknown>(null);
  const trouble = error ?? accept.error ?? discard.error ?? again.error;
  return (
    <div className="rule-b flex flex-wrap items-center gap-4 bg-base-200 px-5 py-2">
      <span className="font-medium">{upload.name}</span>
      {upload.state === "taking in" && <span className="quiet">is being read and drawn</span>}
      {upload.state === "receiving" && (
        <span>
          {percent(upload.received_bytes / upload.size_bytes)} of {size(upload.size_bytes)} is here; the rest was never
          sent.
        </span>
      )}
      <span className="ml-auto flex gap-2">
        {!!upload.refusal?.found_samples && (
          <button type="button" className="press press-main" onClick={() => accept.mutate()}>
            Take in what is there
          </button>
        )}
        {mayTryAgain && (
          <button type="button" className="press press-main" onClick={() => again.mutate()}>
            Try again
          </button>
        )}
        {upload.state === "receiving" && (
          <button type="button" className="press press-main" onClick={() => input.current?.click()}>
            Go on with it
          </button>
        )}
        {upload.state !== "taking in" && (
          <button type="button" className="press" onClick={() => discard.mutate()}>
            Discard
          </button>
        )}
      </span>
      <input
        ref={input}
        type="file"
        hidden
        aria-label={`Go on with ${upload.name}`}
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = ""; // or the same file, chosen once more, would be no change
          if (file) uploads.resume(upload, file).catch(setError);
        }}
      />
      {upload.refusal && (
        <div className="w-full">
          <TroubleText {...upload.refusal} where={null} />
        </div>
      )}
      {trouble !== null && (
        <div className="w-full">
          <Trouble error={trouble} />
        </div>
      )}
    </div>
  );
}

function IntakeMargin({ docket }: { docket: Docket }) {
  const takes = sidesOf(docket).flatMap((side) => side.takes);
  return (
    <>
      <h2 className="margin-heading">Carrier</h2>
      {docket.carriers.map((carrier) => (
        <p key={carrier.id}>
          {carrier.format}, {carrier.sides.map((side) => side.name.toLowerCase()).join(" and ")}
        </p>
      ))}
      <p className="quiet">Opened {moment(docket.created_at)}</p>
      {takes.map((take) => (
        <div key={take.id}>
          <h2 className="margin-heading break-words">{take.name}</h2>
          <dl className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-1">
            <dt className="quiet">Taken in</dt>
            <dd>
              {moment(take.taken_in_at)}, {take.taken_in_by}
            </dd>
            <dt className="quiet">Samples</dt>
            <dd className="figure">{take.format.samples.toLocaleString("en-GB")}</dd>
            {take.transferred && (
              <>
                <dt className="quiet">Recorded</dt>
                <dd>
                  {moment(take.transferred.began_at)}; ended: {take.transferred.ended}
                </dd>
                <dt className="quiet">Read back</dt>
                <dd className={take.transferred.read_back ? "text-accent" : "text-warning"}>
                  {take.transferred.read_back
                    ? "every sample as it came in"
                    : "from what the disk had; nothing to compare it with"}
                </dd>
              </>
            )}
            <dt className="quiet">SHA-256</dt>
            <dd className="figure break-all text-[11px]">{take.sha256}</dd>
          </dl>
        </div>
      ))}
    </>
  );
}
