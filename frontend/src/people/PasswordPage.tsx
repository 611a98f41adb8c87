import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api } from "../api/client";
import { sessionQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { Trouble } from "../words/Trouble";

/** One's own password. */
export function PasswordPage() {
  const { data: session } = useQuery(sessionQuery);
  const [old, setOld] = useState("");
  const [fresh, setFresh] = useState("");
  const change = useMutation({
    mutationFn: () => answer(api.PUT("/api/session/password", { body: { old, new: fresh } })),
    onSuccess: () => {
      setOld("");
      setFresh("");
    },
  });
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Your password</h1>
          <span className="quiet">{session?.name}</span>
        </>
      }
    >
      <form
        className="grid max-w-md gap-3 p-5"
        onSubmit={(event) => {
          event.preventDefault();
          change.mutate();
        }}
      >
        <label className="block">
          <span className="quiet">The old one</span>
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
          <span className="quiet">The new one</span>
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
          Change it
        </button>
        {change.isSuccess && <p className="text-accent">✓ It is changed.</p>}
        {change.error && <Trouble error={change.error} />}
      </form>
    </Desk>
  );
}
