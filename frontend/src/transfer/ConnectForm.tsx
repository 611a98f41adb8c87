import { clsx } from "clsx";
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, type ReactNode, useEffect, useState } from "react";

import type { Docket, Schemas } from "../api/client";
import { chainsQuery, sourcesQuery } from "../api/queries";
import { sidesOf } from "../docket/useDocket";
import { Trouble } from "../words/Trouble";
import { ChainField } from "./ChainField";
import { useConnect } from "./useTransfer";

const LAST_SOURCE = "inkwell last source";
const LAST_CHAIN = "inkwell last chain";
const FIELD = "border border-base-300 bg-base-100 px-2 py-1.5";
const ENDS: Schemas["Ends"] = { at_run_out: true, silence_s: 20, limit_s: null };

/** Which deck, how, and through which chain. What was used last is proposed. */
export function ConnectForm({ docket }: { docket: Docket }) {
  const { data: sources = [] } = useQuery(sourcesQuery);
  const { data: chains = [] } = useQuery(chainsQuery);
  const [ownSource, setSource] = useState<string | null>(null);
  const [rateHz, setRate] = useState(96_000);
  const [bits, setBits] = useState(24);
  const [ownChain, setChain] = useState<number | null>(() => Number(localStorage.getItem(LAST_CHAIN)) || null);
  const connect = useConnect(docket.id);
  const [deviceId, setDevice] = useState("");
  const isTape = docket.carriers[0]?.format === "Cassette";
  const wantedId = ownSource ?? localStorage.getItem(LAST_SOURCE);
  // The one that was used last may be at a server that is not there now.
  const source =
    sources.find((one) => one.id === wantedId) ??
    sources.find((one) => one.kind === (isTape ? "cassette deck" : "turntable")) ??
    sources[0];
  const sourceId = source?.id ?? "";
  const chainId = chains.some((one) => one.id === ownChain && !one.retired) ? ownChain : null;
  const sides = sidesOf(docket);
  const side = sides.find((one) => !one.takes.length) ?? sides[0];
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (!side) return;
    localStorage.setItem(LAST_SOURCE, sourceId);
    localStorage.setItem(LAST_CHAIN, String(chainId ?? ""));
    const settings = {
      side_id: side.id,
      chain_id: chainId,
      pre_roll_s: 2,
      ends: ENDS,
      arm_again: sides.length > 1 && !isTape,
    };
    connect.mutate({ sourceId, deviceId: deviceId || null, rateHz, bits, settings });
  };
  return (
    <form onSubmit={submit} className="rule-b grid gap-4 px-5 py-4">
      <fieldset>
        <legend className="mb-1 font-serif text-base">Source</legend>
        <div className="grid grid-cols-2 gap-2">
          {sources.map((one) => (
            <label
              key={one.id}
              className={clsx(
                "flex cursor-pointer items-start gap-2 border px-3 py-2",
                one.id === sourceId ? "border-primary bg-base-200" : "border-base-300",
              )}
            >
              <input
                type="radio"
                name="source"
                className="mt-1 accent-primary"
                checked={one.id === sourceId}
                onChange={() => setSource(one.id)}
              />
              <span>
                <span className="block font-medium">{one.name}</span>
                <span className="quiet text-[12.5px]">
                  {one.simulated ? "Simulated" : "Nothing in the browser touches the sound"};{" "}
                  {one.gain ? "gain set from here" : "gain by its own knob"}
                </span>
              </span>
            </label>
          ))}
        </div>
      </fieldset>
      <div className="flex flex-wrap items-start gap-4">
        {source?.rates_hz.length ? (
          <Field label="Sample rate">
            <select className={FIELD} value={rateHz} onChange={(event) => setRate(Number(event.target.value))}>
              {source.rates_hz.map((rate) => (
                <option key={rate} value={rate}>
                  {rate / 1000} kHz
                </option>
              ))}
            </select>
          </Field>
        ) : (
          <InputChoice value={deviceId} onChange={setDevice} />
        )}
        {!source?.rates_hz.length && (
          <p className="quiet max-w-52 text-[12.5px]">
            At the rate the interface itself runs at: set it to 96 kHz in the system’s sound settings.
          </p>
        )}
        <Field label="Word length">
          <select className={FIELD} value={bits} onChange={(event) => setBits(Number(event.target.value))}>
            {[16, 24, 32].map((one) => (
              <option key={one} value={one}>
                {one} bit
              </option>
            ))}
          </select>
        </Field>
        <ChainField chains={chains} value={chainId} onChange={setChain} />
        <button
          type="submit"
          className="press press-main ml-auto self-end !px-5 !py-2"
          disabled={connect.isPending || !source}
        >
          Connect
        </button>
      </div>
      {bits < 24 && <p className="text-warning">A preservation master is never under 24 bit.</p>}
      {source?.rates_hz.length && rateHz < 48_000 ? (
        <p className="text-warning">A preservation master is never under 48 kHz.</p>
      ) : null}
      {connect.error && <Trouble error={connect.error} />}
    </form>
  );
}

/** Which of this computer's inputs. The browser names them once it has been allowed to listen. */
function InputChoice({ value, onChange }: { value: string; onChange: (id: string) => void }) {
  const [inputs, setInputs] = useState<MediaDeviceInfo[]>([]);
  useEffect(() => {
    const look = () =>
      void navigator.mediaDevices
        ?.enumerateDevices()
        .then((all) => setInputs(all.filter((one) => one.kind === "audioinput" && one.deviceId)));
    look();
    navigator.mediaDevices?.addEventListener("devicechange", look);
    return () => navigator.mediaDevices?.removeEventListener("devicechange", look);
  }, []);
  return (
    <Field label="Input">
      <select className={`${FIELD} max-w-60`} value={value} onChange={(event) => onChange(event.target.value)}>
        <option value="">the system’s own choice</option>
        {inputs.map((one, index) => (
          <option key={one.deviceId} value={one.deviceId}>
            {one.label || `input ${index + 1}`}
          </option>
        ))}
      </select>
    </Field>
  );
}

export function Field({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="grid gap-1">
      <span className="quiet text-[12px]">{label}</span>
      {children}
    </label>
  );
}
