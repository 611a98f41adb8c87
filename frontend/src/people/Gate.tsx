import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, type ReactNode, useEffect, useState } from "react";

import { followEvents } from "../api/events";
import { sessionQuery } from "../api/queries";
import { Trouble } from "../words/Trouble";
import { SignInPage } from "./SignInPage";

/**
 * Lets in whoever is known; on loopback, everybody. News is followed only from then on.
 *
 * Whatever becomes of a session, the page under it stays with all that was typed: a request that fails says nothing
 * about who is signed in, and who signs in again above the page goes on with it. Somebody else gets a new page.
 */
export function Gate({ children }: { children: ReactNode }) {
  const cache = useQueryClient();
  const { data: session, error, refetch, isFetching } = useQuery(sessionQuery);
  const [worker, setWorker] = useState("");
  const name = session?.name ?? "";
  if (name && name !== worker) setWorker(name);
  useEffect(() => (name ? followEvents(cache) : undefined), [cache, name]);
  if (!session)
    return error ? (
      <div className="p-8">
        <Trouble error={error} />
        <button type="button" className="press press-main mt-3" disabled={isFetching} onClick={() => void refetch()}>
          Try again
        </button>
      </div>
    ) : null;
  if (!worker) return <SignInPage before="" />;
  return (
    <>
      <div className="h-full" inert={!name}>
        <Fragment key={worker}>{children}</Fragment>
      </div>
      {!name && (
        <div className="fixed inset-0 z-50 bg-base-100">
          <SignInPage before={worker} />
        </div>
      )}
    </>
  );
}
