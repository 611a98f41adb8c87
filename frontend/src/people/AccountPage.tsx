import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api } from "../api/client";
import { sessionQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { Trouble } from "../words/Trouble";
import { TokensPanel } from "./TokensPanel";

/** One's own account: its password, and tokens for scripts. */
export function AccountPage() {
  const { data: session } = useQuery(sessionQuery);
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Your account</h1>
          <span className="quiet">
            {session?.name}, {session?.role}
          </span>
        </>
      }
    >
      <div className="p-5">
        <TokensPanel />
        <h2 className="mt-8 text-lg">Password</h2>
        <PasswordForm />
      </div>
    </Desk>
  );
}

function PasswordForm() {
  const [old, setOld] = useState("");
  const [fresh, setFresh] = useState("");
  const change = useMutation({
    mutationFn: () => answer(api.PUT("/api/v1/session/password", { body: { old, new: fresh } })),
    onSuccess: () => {
      setOld("");
      setFresh("");
    },
  });
  return (
    <form
      className="mt-2 grid max-w-md gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate();
      }}
    >
      <label className="block">
        <span className="quiet">Old password</span>
        <input
          className="field w-full"
          type="password"
          autoComplete="current-password"
          required
          value={old}
          onChange={(event) => setOld(event.target.value)}
        />
      </label>
      <label className="block">
        <span className="quiet">New password</span>
        <input
          className="field w-full"
          type="password"
          autoComplete="new-password"
          minLength={15}
          required
          value={fresh}
          onChange={(event) => setFresh(event.target.value)}
        />
        <span className="quiet block text-[12px]">
          15 characters or more: three or four words. Wherever else you are signed in, you no longer are.
        </span>
      </label>
      <button className="press press-main justify-center" disabled={change.isPending}>
        Change password
      </button>
      {change.isSuccess && <p className="text-accent">✓ Changed.</p>}
      {change.error && <Trouble error={change.error} />}
    </form>
  );
}
