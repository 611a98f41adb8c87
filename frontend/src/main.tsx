import "@fontsource-variable/fraunces";
import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-mono/500.css";
import "@fontsource/ibm-plex-sans/400.css";
import "@fontsource/ibm-plex-sans/500.css";
import "@fontsource/ibm-plex-sans/600.css";
import "./styles.css";

import { MutationCache, notifyManager, QueryCache, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter } from "react-router";
import { RouterProvider } from "react-router/dom";

import { Cache } from "./api/cache";
import { Problem } from "./api/client";
import { sessionQuery } from "./api/queries";
import { followTheme } from "./frame/theme";
import { Gate } from "./people/Gate";
import { loadAllPages, routes } from "./routes";

followTheme();
// A box that was ticked, or an answer that follows what was shown ahead of it, is on the page before the browser draws
// again: by the timer that is usual here the old state came back for a moment, and a press in that moment was lost.
notifyManager.setScheduler(queueMicrotask);
// Signed out meanwhile, here or by a keeper: the gate asks again who it is.
const askWho = (error: Error) => {
  if (error instanceof Problem && error.status === 401)
    void cache.invalidateQueries({ queryKey: sessionQuery.queryKey });
};
const cache: Cache = new Cache({
  defaultOptions: { queries: { staleTime: 30_000, retry: 1 } },
  queryCache: new QueryCache({ onError: askWho }),
  mutationCache: new MutationCache({ onError: askWho }),
});

const router = createBrowserRouter(routes);
const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={cache}>
        <Gate>
          <RouterProvider router={router} />
        </Gate>
      </QueryClientProvider>
    </StrictMode>,
  );
// Once this page stands, so that every other opens at once, also while the server is away.
const AFTER_MS = 1_000;
window.addEventListener("load", () => setTimeout(() => void loadAllPages(), AFTER_MS));
