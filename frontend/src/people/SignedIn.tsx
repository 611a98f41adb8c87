import { useMutation, useQuery } from "@tanstack/react-query";
import { LogOut, Users } from "lucide-react";
import { NavLink } from "react-router";

import { answer, api } from "../api/client";
import { sessionQuery } from "../api/queries";

/** At the foot of the spine: who is signed in, signing out, and for keepers all accounts. */
export function SignedIn({ place }: { place: (state: { isActive: boolean }) => string }) {
  const { data: session } = useQuery(sessionQuery);
  const signOut = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/session")),
    // Everything goes with a page that is loaded anew: the next one at this desk sees nothing of it.
    onSuccess: () => window.location.assign("/"),
  });
  return (
    <>
      {session?.role === "keeper" && (
        <NavLink to="/people" className={place}>
          <Users size={15} aria-hidden /> People
        </NavLink>
      )}
      {session?.sign_in && (
        <div className="flex items-center gap-2 px-4 py-1.5">
          <NavLink
            to="/account"
            className="min-w-0 flex-1 truncate hover:underline"
            title="Your account: password, tokens for scripts"
          >
            {session.name}
            <span className="quiet block text-[12px]">
              {session.role === "reader" ? "reader: looks, changes nothing" : session.role}
            </span>
          </NavLink>
          <button
            type="button"
            className="text-primary"
            aria-label="Sign out"
            title="Sign out"
            onClick={() => signOut.mutate()}
          >
            <LogOut size={15} aria-hidden />
          </button>
        </div>
      )}
    </>
  );
}
