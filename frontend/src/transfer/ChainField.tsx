import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../api/client";
import { chainsQuery } from "../api/queries";
import { plural } from "../words/figures";
import { Trouble } from "../words/Trouble";

type ChainView = Schemas["ChainView"];
type Chain = Required<Schemas["Chain"]>;

const EMPTY: Chain = {
  name: "",
  deck: "",
  stylus: "",
  speed: "",
  equalisation: "",
  preamp: "",
  interface: "",
  operator: "",
};
const FIELDS: { name: keyof Chain; label: string; hint: string }[] = [
  { name: "name", label: "Name", hint: "what you call it at the deck" },
  { name: "deck", label: "Deck", hint: "turntable or cassette deck" },
  { name: "stylus", label: "Stylus", hint: "cartridge and stylus, or head" },
  { name: "speed", label: "Speed", hint: "as played: 33 1/3 rpm" },
  { name: "equalisation", label: "Equalisation", hint: "as played: IEC 60098, flat" },
  { name: "preamp", label: "Preamp", hint: "" },
  { name: "interface", label: "Interface", hint: "the converter" },
  { name: "operator", label: "Operator", hint: "" },
];

/** The chain a recording comes through: chosen, or said once. */
export function ChainField({
  chains,
  value,
  onChange,
}: {
  chains: ChainView[];
  value: number | null;
  onChange: (id: number | null) => void;
}) {
  const [saying, setSaying] = useState<Chain | null>(null);
  const cache = useQueryClient();
  const refresh = () => cache.invalidateQueries({ queryKey: chainsQuery.queryKey });
  const make = useMutation({
    mutationFn: (chain: Chain) => answer(api.POST("/api/v1/chains", { body: chain })),
    onSuccess: async (made) => {
      await refresh();
      onChange(made.id);
      setSaying(null);
    },
  });
  const retire = useMutation({
    mutationFn: (id: number) =>
      answer(api.POST("/api/v1/chains/{chain_id}/retire", { params: { path: { chain_id: id } } })),
    onSuccess: refresh,
  });
  const chosen = chains.find((one) => one.id === value);
  return (
    <div className="grid gap-1">
      <label className="grid gap-1">
        <span className="quiet text-[12px]">Chain</span>
        <span className="flex gap-2">
          <select
            className="max-w-64 border border-base-300 bg-base-100 px-2 py-1.5"
            value={value ?? ""}
            onChange={(event) => onChange(Number(event.target.value) || null)}
          >
            <option value="">not stated</option>
            {chains
              .filter((one) => !one.retired)
              .map((one) => (
                <option key={one.id} value={one.id}>
                  {one.chain.name}
                </option>
              ))}
          </select>
          <button
            type="button"
            className="press"
            onClick={() => setSaying(saying ? null : { ...EMPTY, ...chosen?.chain, name: "" })}
          >
            {saying ? "Cancel" : "New chain"}
          </button>
        </span>
      </label>
      {chosen && !saying && (
        <p className="quiet max-w-md text-[12.5px]">
          {FIELDS.slice(1)
            .map((field) => chosen.chain[field.name])
            .filter(Boolean)
            .join(" · ") || "nothing said of it"}
          {chosen.takes > 0 && ` · ${plural(chosen.takes, "take")}`}{" "}
          <button type="button" className="text-primary" onClick={() => retire.mutate(chosen.id)}>
            Retire it
          </button>
        </p>
      )}
      {saying && (
        <div
          className="grid w-[680px] grid-cols-2 gap-x-4 gap-y-1 border border-base-300 bg-base-200 p-3"
          role="group"
          aria-label="A new chain"
        >
          {FIELDS.map((field) => (
            <label key={field.name} className="grid grid-cols-[90px_1fr] items-center">
              <span className="quiet">{field.label}</span>
              <input
                className="border border-base-300 bg-base-100 px-2 py-0.5"
                placeholder={field.hint}
                value={saying[field.name]}
                onChange={(event) => setSaying({ ...saying, [field.name]: event.target.value })}
              />
            </label>
          ))}
          <button
            type="button"
            className="press press-main justify-self-start"
            disabled={!saying.name.trim() || make.isPending}
            onClick={() => make.mutate(saying)}
          >
            Keep this chain
          </button>
          {make.error && <Trouble error={make.error} />}
        </div>
      )}
    </div>
  );
}
