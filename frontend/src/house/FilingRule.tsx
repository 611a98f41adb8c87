import { Link } from "react-router";

import { answer, api, type House } from "../api/client";
import { Trouble } from "../words/Trouble";
import { useDeclaring } from "./declaring";

/** By which saved pattern files are named. */
export function FilingRule({ house }: { house: House }) {
  const declare = useDeclaring((pattern: string) =>
    answer(api.PUT("/api/v1/house-rules/filing", { body: { pattern } })),
  );
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
