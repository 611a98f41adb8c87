import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";

import { answer, api, type ArtRule, type House, type HouseRule, type SheetField, type TagRule } from "../api/client";
import { houseQuery, rulePreviewQuery, sheetFieldsQuery } from "../api/filesQueries";
import { Steps } from "../files/Steps";
import { Desk } from "../frame/Desk";
import { moment, percent, plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { useDraft } from "../words/useDraft";

const ART_LABELS: Record<keyof ArtRule, string> = {
  embed: "Within the file",
  most_px: "At most, pixels",
  most_kb: "At most, kB",
  square: "Shape",
  beside: "Beside it too",
  beside_name: "Name of the picture beside",
};
const TAG_LABELS: Record<keyof TagRule, string> = {
  wanted: "Every file has",
  wording: "Wording rules",
  silence_s: "Silence at an end is told from, s",
};

/** What the house wants of every file: declared once, followed by how much, carried out for all. */
export function HousePage() {
  const { data: house, error } = useQuery(houseQuery);
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">House rules</h1>
          <span className="quiet">standing decisions, held against every file by the survey</span>
        </>
      }
      margin={
        <>
          <h2 className="margin-heading">Looked at</h2>
          {house?.surveyed_at ? (
            <p>{moment(house.surveyed_at)}. Once a rule is declared anew, all is looked at again by itself.</p>
          ) : (
            <p>
              Nothing was surveyed yet.{" "}
              <Link className="text-primary" to="/survey">
                Survey the collection
              </Link>{" "}
              to see how much follows.
            </p>
          )}
          <h2 className="margin-heading">Steps written</h2>
          <Steps most={20} />
        </>
      }
    >
      {error && (
        <div className="px-5 pt-3">
          <Trouble error={error} />
        </div>
      )}
      {house && (
        <>
          <Rule house={house} rule="artwork" title="Artwork">
            <Artwork declared={house.artwork} />
          </Rule>
          <Rule house={house} rule="tags" title="Tags">
            <Tags house={house} />
          </Rule>
          <Rule house={house} rule="filing" title="Filing">
            <Filing house={house} />
          </Rule>
        </>
      )}
    </Desk>
  );
}

function Rule({ house, rule, title, children }: { house: House; rule: HouseRule; title: string; children: ReactNode }) {
  const isDeclared = rule !== "filing" || house.filing !== "";
  const share = isDeclared ? house.follows[rule] : undefined;
  const [looking, setLooking] = useState(false);
  const part = share && share.files > 0 ? share.following / share.files : 1;
  return (
    <section className="rule-b px-5 py-4" aria-label={title}>
      <header className="mb-3 grid grid-cols-[110px_1fr_auto] items-center gap-4">
        <h2 className="text-base">{title}</h2>
        {share && (
          <div>
            <div
              className="flex h-2.5 bg-error"
              role="img"
              aria-label={`${share.following} of ${share.files} files follow`}
            >
              <span className="bg-accent" style={{ width: `${100 * part}%` }} />
            </div>
            <p className="quiet mt-1 text-[13px]">
              <span className="figure">{percent(Math.floor(100 * part) / 100)}</span> follow:{" "}
              <span className="figure">{share.following.toLocaleString("en-GB")}</span> of {plural(share.files, "file")}
              {share.files > share.following && (
                <>
                  , <span className="figure">{share.can_be_put_right}</span> of the others can be put right here, at
                  least in part
                </>
              )}
            </p>
          </div>
        )}
        {share && (
          <button
            type="button"
            className={`press ${share.can_be_put_right > 0 ? "press-main" : ""}`}
            disabled={share.can_be_put_right === 0}
            aria-expanded={looking}
            onClick={() => setLooking(!looking)}
          >
            {share.can_be_put_right === 0 && share.files > share.following ? "By hand only" : "Carry out for all"}
          </button>
        )}
      </header>
      {looking && <CarryOut rule={rule} onDone={() => setLooking(false)} />}
      {children}
    </section>
  );
}

/** Before and after of each file, then all of it in one step. */
function CarryOut({ rule, onDone }: { rule: HouseRule; onDone: () => void }) {
  const { data, error } = useQuery(rulePreviewQuery(rule));
  const carry = useMutation({
    mutationFn: () => answer(api.POST("/api/house-rules/{rule}/carry-out", { params: { path: { rule } } })),
    onSuccess: onDone,
  });
  return (
    <div className="mb-4 border-l-4 border-primary bg-base-200 p-3">
      <div className="mb-2 flex items-center gap-3">
        <button
          type="button"
          className="press press-main"
          disabled={!data || carry.isPending}
          onClick={() => carry.mutate()}
        >
          Carry it out
        </button>
        <button type="button" className="press" onClick={onDone}>
          Leave it
        </button>
        <span className="quiet">One step, which can be taken back as a whole.</span>
      </div>
      {(error ?? carry.error) && <Trouble error={error ?? carry.error} />}
      {data?.told.map((one) => (
        <p key={one}>{one}</p>
      ))}
      <ul className="max-h-56 overflow-auto text-[13px]" aria-label="What would change">
        {data?.changes.slice(0, 200).map((one) => (
          <li key={`${one.file_id} ${one.field}`} className="py-0.5">
            <span className="quiet">
              {one.path}, {one.field.replaceAll("_", " ")}:
            </span>{" "}
            <s className="quiet">{one.before || "nothing"}</s> → {one.after}
          </li>
        ))}
      </ul>
    </div>
  );
}

function useLookAgain() {
  const cache = useQueryClient();
  return () => void cache.invalidateQueries({ queryKey: houseQuery.queryKey });
}

function useDeclaring<T>(declare: (what: T) => Promise<unknown>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: declare,
    onSuccess: () => cache.invalidateQueries({ queryKey: houseQuery.queryKey }),
  });
}

function Artwork({ declared }: { declared: ArtRule }) {
  const {
    draft: rule,
    set,
    save,
    canSave,
    trouble,
  } = useDraft(
    declared,
    (wanted, seen) => answer(api.PUT("/api/art-rule", { body: { rule: wanted, seen } })),
    useLookAgain(),
    ART_LABELS,
  );
  return (
    <form
      className="flex flex-wrap items-end gap-x-5 gap-y-2 text-[13px]"
      onSubmit={(event) => {
        event.preventDefault();
        save();
      }}
    >
      <label>
        <span className="quiet block">Within the file</span>
        <select
          className="field"
          value={rule.embed}
          onChange={(event) => set({ embed: event.target.value as ArtRule["embed"] })}
        >
          <option value="front">the front</option>
          <option value="all">front and all others</option>
          <option value="none">nothing</option>
        </select>
      </label>
      <label>
        <span className="quiet block">At most, pixels</span>
        <input
          className="field figure w-20"
          type="number"
          min={200}
          max={10_000}
          value={rule.most_px}
          onChange={(event) => set({ most_px: Number(event.target.value) })}
        />
      </label>
      <label>
        <span className="quiet block">At most, kB</span>
        <input
          className="field figure w-20"
          type="number"
          min={20}
          max={20_000}
          value={rule.most_kb}
          onChange={(event) => set({ most_kb: Number(event.target.value) })}
        />
      </label>
      <label>
        <span className="quiet block">Shape</span>
        <select
          className="field"
          value={rule.square}
          onChange={(event) => set({ square: event.target.value as ArtRule["square"] })}
        >
          <option value="as it is">as it is</option>
          <option value="crop border">border cut to a square</option>
        </select>
      </label>
      <label className="flex items-center gap-2 pb-1.5">
        <input type="checkbox" checked={rule.beside} onChange={(event) => set({ beside: event.target.checked })} />
        beside it too, as
      </label>
      <label>
        <span className="sr-only">Name of the picture beside</span>
        <input
          className="field w-32"
          value={rule.beside_name}
          disabled={!rule.beside}
          onChange={(event) => set({ beside_name: event.target.value })}
        />
      </label>
      <button className="press" disabled={!canSave}>
        Declare
      </button>
      {trouble && <div className="w-full">{trouble}</div>}
    </form>
  );
}

function Tags({ house }: { house: House }) {
  const { data: fields = [] } = useQuery(sheetFieldsQuery);
  const {
    draft: rule,
    set,
    save,
    canSave,
    trouble,
  } = useDraft<TagRule>(
    house.tags,
    (wanted, seen) => answer(api.PUT("/api/house-rules/tags", { body: { rule: wanted, seen } })),
    useLookAgain(),
    TAG_LABELS,
  );
  const wanted = rule.wanted ?? [];
  const wording = rule.wording ?? [];
  const flip = (held: readonly string[], one: string) =>
    held.includes(one) ? held.filter((each) => each !== one) : [...held, one];
  const label = (name: string) => fields.find((one: SheetField) => one.name === name)?.label ?? name;
  const others = fields.filter((one: SheetField) => !wanted.includes(one.name));
  return (
    <form
      className="grid gap-3 text-[13px]"
      onSubmit={(event) => {
        event.preventDefault();
        save();
      }}
    >
      <div>
        <span className="quiet">Every file has</span>
        <ul className="mt-1 flex flex-wrap gap-1.5">
          {wanted.map((name) => (
            <li key={name}>
              <button
                type="button"
                className="press !py-0.5"
                aria-label={`Want ${label(name)} no more`}
                onClick={() => set({ wanted: flip(wanted, name) })}
              >
                {label(name)} ×
              </button>
            </li>
          ))}
          <li>
            <select
              className="field !py-0.5"
              aria-label="Want another field"
              value=""
              onChange={(event) => set({ wanted: [...wanted, event.target.value] })}
            >
              <option value="">and another field</option>
              {others.map((one: SheetField) => (
                <option key={one.name} value={one.name}>
                  {one.label}
                </option>
              ))}
            </select>
          </li>
        </ul>
      </div>
      <div>
        <span className="quiet">Texts are as these wording rules leave them, in this order</span>
        {house.wording.length === 0 ? (
          <p>
            None is saved.{" "}
            <Link className="text-primary" to="/files">
              Open files as a sheet
            </Link>
            , make one under Wording, and save it.
          </p>
        ) : (
          <ul className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
            {house.wording.map((name) => (
              <li key={name}>
                <label className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    checked={wording.includes(name)}
                    onChange={() => set({ wording: flip(wording, name) })}
                  />
                  {wording.includes(name) && <span className="figure quiet">{wording.indexOf(name) + 1}</span>}
                  {name}
                </label>
              </li>
            ))}
          </ul>
        )}
      </div>
      <div className="flex items-end gap-5">
        <label>
          <span className="quiet block">Silence at an end is told from, s</span>
          <input
            className="field figure w-20"
            type="number"
            min={1}
            max={600}
            value={rule.silence_s ?? 10}
            onChange={(event) => set({ silence_s: Number(event.target.value) })}
          />
        </label>
        <button className="press" disabled={!canSave}>
          Declare
        </button>
      </div>
      {trouble}
    </form>
  );
}

function Filing({ house }: { house: House }) {
  const declare = useDeclaring((pattern: string) => answer(api.PUT("/api/house-rules/filing", { body: { pattern } })));
  return (
    <div className="text-[13px]">
      {house.patterns.length === 0 ? (
        <p>
          No filing pattern is saved.{" "}
          <Link className="text-primary" to="/files">
            Open files as a sheet
          </Link>
          , write one under Names, and save it.
        </p>
      ) : (
        <label>
          <span className="quiet block">Files lie by the pattern</span>
          <select
            className="field"
            value={house.filing}
            disabled={declare.isPending}
            onChange={(event) => declare.mutate(event.target.value)}
          >
            <option value="">as they like</option>
            {house.patterns.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
      )}
      {declare.error && <Trouble error={declare.error} />}
    </div>
  );
}
