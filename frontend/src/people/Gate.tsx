import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect } from "react";

import { followEvents } from "../api/events";
import { sessionQuery } from "../api/queries";
import { Trouble } from "../words/Trouble";
import { SignInPage } from "./SignInPage";

/** Lets in whoever is known; on loopback, everybody. News is followed only from then on. */
export function Gate({ children }: { children: ReactNode }) {
  const cache = useQueryClient();
  const { data: session, error } = useQuery(sessionQuery);
  const isIn = !!session?.name;
  useEffect(() => (isIn ? followEvents(cache) : undefined), [cache, isIn]);
  if (error) return <div className="p-8"><Trouble error={error} /></div>;
  if (!session) return null;
  return isIn ? children : <SignInPage />;
}
