import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api } from "../api/client";
import { sessionQuery } from "../api/queries";
import { Mark } from "../frame/Mark";
import { Trouble, TroubleText } from "../words/Trouble";
import { welcome } from "./session";

// What became of single sign-on, as the server says it in the address one comes back to.
const REFUSED: Record<string, string> = {
  "no-role": "You are known there, but have no role here, or your account is closed. Ask a keeper.",
  "name-taken": "An account here has your name, or one that looks like it, and a password. Ask a keeper.",
  "no-name": "No name came with you that can be used here. Ask a keeper.",
  away: "The other side did not answer. Try again in a moment.",
  failed: "It did not work. Begin again.",
};

/** Who is it? Afterwards the page that was asked for is shown. `before` is who was signed in until now, if anybody. */
export function SignInPage({ before }: { before: string }) {
  const cache = useQueryClient();
  const { data: session } = useQuery(sessionQuery);
  const refused = REFUSED[new URLSearchParams(window.location.search).get("sign-in") ?? ""];
  const [name, setName] = useState(before);
  const [password, setPassword] = useState("");
  const signIn = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/session", { body: { name, password } })),
    onSuccess: (session) => welcome(cache, session, before),
    onError: () => setPassword(""),
  });
  return (
    <main className="grid h-full grid-cols-[minmax(260px,2fr)_3fr]">
      <div className="flex flex-col justify-end border-r border-base-300 bg-base-200 p-10">
        <Mark />
        <p className="mt-3 font-serif text-3xl font-semibold leading-tight">Inkwell Groove</p>
        <p className="quiet mt-2 max-w-xs">From the carrier on the shelf to verified lossless files.</p>
      </div>
      <form
        className="flex max-w-md flex-col justify-center gap-3 p-12"
        onSubmit={(event) => {
          event.preventDefault();
          signIn.mutate();
        }}
      >
        <h1 className="text-xl">Who is at work?</h1>
        <p className="quiet">
          {before
            ? "Your session has ended. Sign in again: what you had typed is still there."
            : "What you do is written into the ledger under your name."}
        </p>
        <label className="block">
          <span className="quiet">Name</span>
          <input
            className="field w-full"
            autoComplete="username"
            autoFocus={!before}
            required
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <label className="block">
          <span className="quiet">Password</span>
          <input
            className="field w-full"
            type="password"
            autoComplete="current-password"
            autoFocus={!!before}
            required
            value={password}
            onChange={(event) => setPassword(event.target.value)}
          />
        </label>
        <button className="press press-main justify-center" disabled={signIn.isPending}>
          {signIn.isPending ? "Looking" : "Sign in"}
        </button>
        {signIn.error && <Trouble error={signIn.error} />}
        {session?.elsewhere && (
          <a className="press justify-center" href="/api/v1/session/elsewhere">
            {session.elsewhere}
          </a>
        )}
        {refused && <TroubleText what={refused} />}
        <p className="quiet text-[12px]">No account yet, or the password forgotten? Ask a keeper of the house.</p>
      </form>
    </main>
  );
}
