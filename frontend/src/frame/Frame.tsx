import { Suspense, useEffect, useState } from "react";
import { Outlet } from "react-router";

import { player } from "../player/player";
import { LISTEN_FOR, LISTEN_NAMES } from "../player/programme";
import { onKeyDown, useCommands } from "./commands";
import { Foot } from "./Foot";
import { KeyList } from "./KeyList";
import { Spine } from "./Spine";
import { usePageTitle } from "./usePageTitle";

/** Spine, desk and foot; the desk holds its own margin. */
export function Frame() {
  const [keysOpen, setKeysOpen] = useState(false);
  usePageTitle();
  useEffect(() => {
    window.addEventListener("keydown", onKeyDown);
    return () => {
      window.removeEventListener("keydown", onKeyDown);
      player.stop();
    };
  }, []);
  useCommands([
    { label: "Show the keys of this screen", keys: ["?"], perform: () => setKeysOpen(!keysOpen) },
    ...LISTEN_FOR.map((name, index) => ({
      label: `Listen for: ${LISTEN_NAMES[name]}`,
      keys: [String(index + 1)],
      perform: () => player.listenFor(name),
    })),
    { label: "Find", keys: ["/"], perform: () => document.querySelector<HTMLInputElement>("[data-find]")?.focus() },
  ]);
  return (
    <div className="grid h-full grid-cols-[220px_minmax(0,1fr)] grid-rows-[minmax(0,1fr)_auto]">
      <Spine />
      <main className="min-h-0 min-w-0">
        <Suspense>
          <Outlet />
        </Suspense>
      </main>
      <div className="col-span-2">
        <Foot />
      </div>
      <KeyList open={keysOpen} onClose={() => setKeysOpen(false)} />
    </div>
  );
}
