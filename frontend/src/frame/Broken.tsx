import { Link, useRouteError } from "react-router";

import { Trouble } from "../words/Trouble";

/** In place of a part that failed; the frame stands. */
export function Broken() {
  const error = useRouteError();
  return (
    <div className="max-w-xl p-8">
      <h1 className="mb-3 text-xl">This part of the page broke</h1>
      <Trouble error={error} />
      <p className="mt-4">
        Nothing was lost: everything is kept on the server.{" "}
        <button type="button" className="press" onClick={() => location.reload()}>
          Reload
        </button>{" "}
        or go{" "}
        <Link to="/" className="text-primary underline">
          back to the shelf
        </Link>
        .
      </p>
    </div>
  );
}

export function Nowhere() {
  return (
    <div className="max-w-xl p-8">
      <h1 className="mb-3 text-xl">There is nothing at this address</h1>
      <p>
        Go{" "}
        <Link to="/" className="text-primary underline">
          back to the shelf
        </Link>
        .
      </p>
    </div>
  );
}
