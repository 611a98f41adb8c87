import { clsx } from "clsx";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { useState } from "react";
import { useSearchParams } from "react-router";

import { answer, api, type Profile, type ProfileView } from "../api/client";
import { copyFormsQuery, profilesQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { useDraft } from "../words/useDraft";
import { CopyRow, newCopy } from "./CopyRow";
import { profileInWords } from "./words";

/** What sealing writes: the application's own profiles and saved ones. */
export function ProfilesPage() {
  const [params, setParams] = useSearchParams();
  const { data: profiles, error } = useQuery(profilesQuery);
  const open = profiles?.find((one) => one.name === params.get("profile")) ?? profiles?.[0];
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Sealing profiles</h1>
          <span className="quiet">
            what a package holds, chosen for each docket under Seal or for many on the shelf
          </span>
        </>
      }
    >
      {error && <Trouble error={error} />}
      <div className="grid min-h-full grid-cols-[300px_1fr]">
        <ul className="border-r border-base-300 py-2" aria-label="Profiles">
          {profiles?.map((one) => (
            <li key={one.name}>
              <button
                type="button"
                aria-current={one.name === open?.name}
                className={clsx(
                  "block w-full px-5 py-2 text-left",
                  one.name === open?.name
                    ? "bg-base-200 shadow-[inset_3px_0_0_var(--color-error)]"
                    : "hover:bg-base-200",
                )}
                onClick={() => setParams({ profile: one.name })}
              >
                <span className="font-medium">{one.name}</span>
                {one.dockets > 0 && <span className="quiet ml-2 text-[12px]">{plural(one.dockets, "docket")}</span>}
                <span className="quiet block text-[12px] leading-snug">{profileInWords(one.profile)}</span>
              </button>
            </li>
          ))}
        </ul>
        {open && <Editor key={open.name} view={open} onSaved={(name) => setParams({ profile: name })} />}
      </div>
    </Desk>
  );
}

function Editor({ view, onSaved }: { view: ProfileView; onSaved: (name: string) => void }) {
  const cache = useQueryClient();
  const { data: forms } = useQuery(copyFormsQuery);
  const [name, setName] = useState(view.id === null ? "" : view.name);
  const again = () => void cache.invalidateQueries({ queryKey: profilesQuery.queryKey });
  // Saved under another name it is a new one, made on nothing.
  const isThis = name === view.name && view.id !== null;
  const {
    draft: profile,
    set,
    save,
    isSaving,
    trouble,
  } = useDraft<Profile>(
    view.profile,
    async (wanted, seen) => {
      const body = { name, profile: wanted, seen: isThis ? seen : null };
      const saved = await answer(api.PUT("/api/v1/profiles", { body }));
      onSaved(saved.name);
      return saved.profile;
    },
    again,
  );
  const forget = useMutation({
    mutationFn: (id: number) =>
      answer(api.DELETE("/api/v1/profiles/{profile_id}", { params: { path: { profile_id: id } } })),
    onSuccess: again,
  });
  const masters = (change: Partial<Profile["masters"]>) => set({ masters: { ...profile.masters, ...change } });
  return (
    <div className="max-w-4xl px-6 py-4">
      <h2 className="mb-1 text-lg">Listening masters</h2>
      <p className="quiet mb-2">
        One file for each track, as the plan renders it: each decoded again and compared, sample by sample.
      </p>
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
        <select
          aria-label="Masters as"
          className="field"
          value={profile.masters.form}
          onChange={(event) => masters({ form: event.target.value as Profile["masters"]["form"] })}
        >
          <option>FLAC</option>
          <option>WAV</option>
          <option>AIFF</option>
        </select>
        {profile.masters.form === "FLAC" && (
          <label className="flex items-center gap-1.5">
            level
            <select
              aria-label="Level of FLAC"
              className="field figure"
              value={profile.masters.level}
              onChange={(event) => masters({ level: Number(event.target.value) })}
            >
              {[0, 1, 2, 3, 4, 5, 6, 7, 8].map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </label>
        )}
        <label className="flex items-center gap-1.5">
          <select
            aria-label="Bits of the masters"
            className="field"
            value={profile.masters.bits ?? ""}
            onChange={(event) => masters({ bits: event.target.value ? (Number(event.target.value) as 16 | 24) : null })}
          >
            <option value="">the take’s own bits</option>
            <option value="16">16 bit, dithered</option>
            <option value="24">24 bit</option>
          </select>
        </label>
        <select
          aria-label="Rate of the masters"
          className="field"
          value={profile.masters.rate_hz ?? ""}
          onChange={(event) => masters({ rate_hz: event.target.value ? (Number(event.target.value) as 44_100) : null })}
        >
          <option value="">the take’s own rate</option>
          {[44_100, 48_000, 88_200, 96_000].map((rate) => (
            <option key={rate} value={rate}>
              {rate / 1000} kHz
            </option>
          ))}
        </select>
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={profile.loudness_tags}
            disabled={profile.masters.form !== "FLAC"}
            onChange={(event) => set({ loudness_tags: event.target.checked })}
          />
          loudness in tags
        </label>
      </div>
      <h2 className="mb-1 mt-6 text-lg">The takes, untouched</h2>
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
        <select
          aria-label="Takes"
          className="field"
          value={profile.untouched}
          onChange={(event) => set({ untouched: event.target.value as Profile["untouched"] })}
        >
          <option value="none">stay in the store alone</option>
          <option value="as taken">as they were taken, byte for byte</option>
          <option value="BWF">as Broadcast Wave, with the chain</option>
          <option value="FLAC">as FLAC, with the chain</option>
        </select>
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={profile.one_file}
            onChange={(event) => set({ one_file: event.target.checked })}
          />
          also one FLAC of a whole disc or all sides, with its cue sheet, logs and pictures
        </label>
      </div>
      <div className="mb-1 mt-6 flex items-baseline gap-4">
        <h2 className="text-lg">Access copies</h2>
        {forms && (
          <button
            type="button"
            className="press"
            onClick={() => forms.MP3 && set({ copies: [...profile.copies, newCopy("MP3", forms.MP3)] })}
          >
            <Plus size={14} aria-hidden /> Add copies
          </button>
        )}
      </div>
      {profile.copies.length === 0 && <p className="quiet">None: they can be made from the masters at any time.</p>}
      {forms &&
        profile.copies.map((copy, index) => (
          <CopyRow
            key={index}
            order={copy}
            forms={forms}
            onChange={(order) => set({ copies: profile.copies.map((one, place) => (place === index ? order : one)) })}
            onRemove={() => set({ copies: profile.copies.filter((_, place) => place !== index) })}
          />
        ))}
      <form
        className="mt-6 flex flex-wrap items-center gap-3 border-t border-base-300 pt-4"
        onSubmit={(event) => {
          event.preventDefault();
          save();
        }}
      >
        <label className="flex items-center gap-2">
          Save as
          <input
            aria-label="Name of the profile"
            className="field w-64"
            value={name}
            maxLength={100}
            placeholder={view.id === null ? "a name of its own" : ""}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <button type="submit" className="press press-main" disabled={!name.trim() || isSaving}>
          Save
        </button>
        {view.id !== null && (
          <button
            type="button"
            className="press"
            disabled={forget.isPending}
            onClick={() => view.id !== null && forget.mutate(view.id)}
          >
            Take it away
          </button>
        )}
        {view.dockets > 0 && view.id !== null && (
          <span className="quiet">Saved anew, it is anew in {plural(view.dockets, "docket")}.</span>
        )}
      </form>
      {(trouble ?? forget.error) && (
        <div className="mt-3">
          {trouble}
          {forget.error && <Trouble error={forget.error} />}
        </div>
      )}
    </div>
  );
}
