import { useMutation, useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";

import { answer, api, type House, type HouseRule } from "../api/client";
import { houseQuery, rulePreviewQuery } from "../api/filesQueries";
import { Steps } from "../files/Steps";
import { Desk } from "../frame/Desk";
import { moment, percent, plural } from "../words/figures";
import { ArtworkRule } from "./ArtworkRule";
import { FilingRule } from "./FilingRule";
import { TagsRule } from "./TagsRule";
import { Trouble } from "../words/Trouble";

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
            <ArtworkRule declared={house.artwork} />
          </Rule>
          <Rule house={house} rule="tags" title="Tags">
            <TagsRule house={house} />
          </Rule>
          <Rule house={house} rule="filing" title="Filing">
            <FilingRule house={house} />
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
            {share.can_be_put_right === 0 && share.files > share.following ? "By hand only" : "Apply to all…"}
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
    mutationFn: () => answer(api.POST("/api/v1/house-rules/{rule}/apply", { params: { path: { rule } } })),
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
          Apply to all
        </button>
        <button type="button" className="press" onClick={onDone}>
          Cancel
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
