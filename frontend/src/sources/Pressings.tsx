import { clsx } from "clsx";
import { useState, type FormEvent, type ReactNode } from "react";
import { useSearchParams } from "react-router";

import type { Candidate, SourcesState } from "../api/client";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { likely, moment, plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { Laid } from "./Laid";
import type { useSources } from "./useSources";

interface Props {
  sources: ReturnType<typeof useSources>;
  state: SourcesState;
  title: ReactNode;
}

interface Filter {
  format: string;
  country: string;
  year: string;
  noBonus: boolean;
}

const ALL: Filter = { format: "", country: "", year: "", noBonus: false };

/** The pressings that sources offer, with reasons, and the one looked at laid against what is here. */
export function Pressings({ sources, state, title }: Props) {
  const { look_up: lookUp, choice } = state;
  const [text, setText] = useState("");
  const [filter, setFilter] = useState(ALL);
  const [params, setParams] = useSearchParams();
  const candidates = lookUp?.candidates ?? [];
  const shown = candidates.filter((one) => fits(one, filter));
  const looked = shown.find((one) => one.key === params.get("pressing")) ?? shown[0] ?? null;
  const look = (one: Candidate | undefined) =>
    one && setParams({ view: "pressings", pressing: one.key }, { replace: true });
  const busy = lookUp?.state === "looking";
  const step = (by: number) =>
    look(shown[Math.max(0, Math.min(shown.length - 1, shown.findIndex((one) => one.key === looked?.key) + by))]);
  const choose = () => looked && sources.choose.mutate(looked.key);
  const ask = (event: FormEvent) => {
    event.preventDefault();
    sources.lookUp.mutate({ text, anew: false });
  };
  useCommands([
    {
      label: "Previous pressing",
      keys: [",", "ArrowUp"],
      perform: () => step(-1),
      disabled: shown.length === 0,
      repeats: true,
    },
    {
      label: "Next pressing",
      keys: [".", "ArrowDown"],
      perform: () => step(1),
      disabled: shown.length === 0,
      repeats: true,
    },
    { label: "Choose this pressing", keys: ["Enter"], perform: () => void choose(), disabled: !looked },
  ]);
  return (
    <Desk
      title={title}
      margin={
        <PressingMargin
          looked={looked}
          first={candidates[0] ?? null}
          state={state}
          sources={sources}
          onChoose={() => void choose()}
        />
      }
    >
      <form onSubmit={ask} className="flex items-center gap-2 px-5 py-3">
        <input
          className="cell !w-[26rem] border !border-base-300"
          aria-label="Ask by"
          placeholder="Number, barcode, artist - title, or a source’s address"
          value={text}
          maxLength={300}
          onChange={(event) => setText(event.target.value)}
        />
        <button type="submit" className="press press-main" disabled={busy}>
          {text.trim() ? "Look this up" : "Look up by all that is known"}
        </button>
        {busy && (
          <button type="button" className="press" onClick={() => sources.stop.mutate()}>
            Stop
          </button>
        )}
        {lookUp && !busy && (
          <button type="button" className="press" onClick={() => sources.lookUp.mutate({ text, anew: true })}>
            Ask again
          </button>
        )}
      </form>
      {sources.error && (
        <div className="px-5 pb-3">
          <Trouble error={sources.error} />
        </div>
      )}
      {!lookUp && (
        <p className="px-5 py-6">
          Nothing was looked up yet. The number on the label or the spine is enough; what is known of the carrier, its
          tracks and its sound is used as well.
        </p>
      )}
      {lookUp && <Answers lookUp={lookUp} />}
      {candidates.length > 0 && (
        <>
          <FilterRow candidates={candidates} filter={filter} shown={shown.length} onFilter={setFilter} />
          <div className="max-h-[37vh] overflow-auto border-y border-base-300">
            <table className="w-full border-collapse" aria-label="Pressings">
              <thead className="sticky top-0 bg-base-200 text-left text-[12px]">
                <tr>
                  {["Likely", "Release", "Format", "Date", "", "Label, number", "Tracks", "For and against"].map(
                    (name) => (
                      <th key={name} className="px-2 py-1 font-medium first:pl-5">
                        {name}
                      </th>
                    ),
                  )}
                </tr>
              </thead>
              <tbody>
                {shown.map((one) => (
                  <PressingRow
                    key={one.key}
                    one={one}
                    isLooked={one === looked}
                    isChosen={choice?.entries[0]?.address === one.key}
                    onLook={() => look(one)}
                  />
                ))}
              </tbody>
            </table>
          </div>
        </>
      )}
      {lookUp && !busy && candidates.length === 0 && (
        <p className="px-5 py-4">
          No source offers a pressing. Ask by another number or spelling, or describe it by hand and keep it in the own
          catalogue.
        </p>
      )}
      {looked && (
        <Laid pairs={looked.pairs} speedRatio={looked.speed_ratio} title={`${looked.title}, laid on what is here`} />
      )}
    </Desk>
  );
}

function fits(one: Candidate, filter: Filter): boolean {
  return (
    (!filter.format || one.formats.includes(filter.format)) &&
    (!filter.country || one.country === filter.country) &&
    (!filter.year || one.date.startsWith(filter.year)) &&
    (!filter.noBonus || one.bonus_count === 0)
  );
}

function Answers({ lookUp }: { lookUp: NonNullable<SourcesState["look_up"]> }) {
  return (
    <dl className="grid grid-cols-[auto_1fr] gap-x-4 px-5 pb-2 text-[13px]" aria-label="What the sources answered">
      {lookUp.answers.map((one) => (
        <div key={one.name} className="contents">
          <dt className={one.state === "no answer" ? "text-error" : ""}>{one.name}</dt>
          <dd className={one.state === "no answer" ? "text-error" : "quiet"}>
            {one.state === "asking"
              ? `asking: ${one.words}`
              : one.state === "no answer"
                ? `no answer: ${one.words}`
                : one.words}
            {one.oldest && `; kept from ${moment(one.oldest)}`}
          </dd>
        </div>
      ))}
      <dt className="quiet">asked by</dt>
      <dd className="quiet truncate">{lookUp.asks.map((one) => one.words).join("; ") || "nothing yet"}</dd>
    </dl>
  );
}

function FilterRow({
  candidates,
  filter,
  shown,
  onFilter,
}: {
  candidates: Candidate[];
  filter: Filter;
  shown: number;
  onFilter: (filter: Filter) => void;
}) {
  const choice = (label: string, name: "format" | "country" | "year", values: string[]) => (
    <select
      aria-label={label}
      className="cell !w-auto border !border-base-300 !py-0.5"
      value={filter[name]}
      onChange={(event) => onFilter({ ...filter, [name]: event.target.value })}
    >
      <option value="">any {label.toLowerCase()}</option>
      {[...new Set(values)]
        .filter(Boolean)
        .sort()
        .map((one) => (
          <option key={one}>{one}</option>
        ))}
    </select>
  );
  return (
    <div className="flex items-center gap-2 px-5 pb-2 text-[13px]">
      {choice(
        "Format",
        "format",
        candidates.flatMap((one) => one.formats),
      )}
      {choice(
        "Country",
        "country",
        candidates.map((one) => one.country),
      )}
      {choice(
        "Year",
        "year",
        candidates.map((one) => one.date.slice(0, 4)),
      )}
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          checked={filter.noBonus}
          onChange={(event) => onFilter({ ...filter, noBonus: event.target.checked })}
        />{" "}
        without bonus tracks
      </label>
      <span className="quiet ml-auto">
        {shown === candidates.length
          ? plural(shown, "pressing")
          : `${shown} of ${plural(candidates.length, "pressing")}`}
      </span>
    </div>
  );
}

function PressingRow({
  one,
  isLooked,
  isChosen,
  onLook,
}: {
  one: Candidate;
  isLooked: boolean;
  isChosen: boolean;
  onLook: () => void;
}) {
  const against = one.reasons.find((reason) => reason.weight < 0);
  const speaks = one.reasons.find((reason) => reason.weight > 0);
  return (
    <tr
      aria-current={isLooked}
      data-pressing={one.key}
      className={clsx(
        "rule-b cursor-pointer align-top",
        isLooked ? "bg-base-200 shadow-[inset_3px_0_0_var(--color-error)]" : "hover:bg-base-200",
      )}
      onClick={onLook}
    >
      <td className="figure py-1 pl-5 pr-2 whitespace-nowrap">{likely(one.likelihood)}</td>
      <td className="px-2 py-1">
        <button type="button" className="text-left" onClick={onLook}>
          <span className="font-medium">{one.title}</span> <span className="quiet">{one.artist}</span>
        </button>
        {isChosen && <span className="ml-2 text-accent">✓ chosen</span>}
      </td>
      <td className="px-2 py-1 whitespace-nowrap">{one.formats.join(", ")}</td>
      <td className="figure px-2 py-1 whitespace-nowrap">{one.date}</td>
      <td className="px-2 py-1">{one.country}</td>
      <td className="px-2 py-1">{[one.labels[0], one.numbers[0]].filter(Boolean).join(" ")}</td>
      <td className="figure px-2 py-1 whitespace-nowrap">
        {one.track_count}
        {one.bonus_count > 0 && <span className="quiet"> +{one.bonus_count}</span>}
      </td>
      <td className="px-2 py-1 pr-5 text-[12.5px]">
        {speaks && <span>{speaks.words}</span>}
        {against && (
          <span className="text-warning">
            {speaks && "; "}but {against.words}
          </span>
        )}
      </td>
    </tr>
  );
}

function PressingMargin(props: {
  looked: Candidate | null;
  first: Candidate | null;
  state: SourcesState;
  sources: Props["sources"];
  onChoose: () => void;
}) {
  const { looked, first, state, sources } = props;
  const second = state.look_up?.candidates[1];
  const told = looked && looked.key !== first?.key ? looked.unlike_first : (second?.unlike_first ?? []);
  const isChosen = looked !== null && state.choice?.entries[0]?.address === looked.key;
  return (
    <>
      {looked && (
        <>
          <h2 className="margin-heading">{looked.title}</h2>
          <p>{looked.artist}</p>
          <ul className="quiet mb-2">
            {looked.entries.map((one) => (
              <li key={one.address}>{one.source}</li>
            ))}
          </ul>
          {looked.matrix && (
            <p>
              <span className="quiet">In the run-out: </span>
              <span className="figure">{looked.matrix}</span>
            </p>
          )}
          <button
            type="button"
            className="press press-main mt-2 w-full justify-center"
            disabled={sources.choose.isPending || isChosen}
            onClick={props.onChoose}
          >
            {isChosen ? "This pressing is chosen" : "Choose this pressing"}
          </button>
          <p className="quiet mt-1 text-[12px]">
            Its lengths are then laid on the joins; the joins that were signed off stay.
          </p>
          <h2 className="margin-heading">Why it is {likely(looked.likelihood)} likely</h2>
          <ul className="flex flex-col gap-1" aria-label="Reasons">
            {looked.reasons.map((one) => (
              <li key={one.about} className="grid grid-cols-[1.4rem_1fr]">
                <span
                  className={one.weight < 0 ? "text-warning" : "text-accent"}
                  aria-label={one.weight < 0 ? "against" : "for"}
                >
                  {one.weight < 0 ? "−" : "+"}
                </span>
                <span>{one.words}</span>
              </li>
            ))}
          </ul>
          {told.length > 0 && (
            <>
              <h2 className="margin-heading">
                {looked.key === first?.key ? "The next differs in" : "It differs from the likeliest in"}
              </h2>
              <ul className="list-disc pl-5">
                {told.map((one) => (
                  <li key={one}>{one}</li>
                ))}
              </ul>
            </>
          )}
        </>
      )}
      <h2 className="margin-heading">Own catalogue</h2>
      <p>
        {state.is_own
          ? "This description is kept, and is found for the next copy."
          : "What no source has is described by hand, and can then be found for the next copy."}
      </p>
      <button type="button" className="press mt-1" onClick={() => sources.keepOwn.mutate()}>
        {state.is_own ? "Keep it as it is now" : "Keep in the own catalogue"}
      </button>
      {state.choice && (
        <>
          <h2 className="margin-heading">Chosen</h2>
          <p>
            {state.choice.title}, by {state.choice.chosen_by}
          </p>
          <button type="button" className="press mt-1" onClick={() => sources.forget.mutate()}>
            Choose none
          </button>
        </>
      )}
    </>
  );
}
