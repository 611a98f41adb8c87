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
import { createBrowserRouter, Navigate } from "react-router";
import { RouterProvider } from "react-router/dom";

import { Cache } from "./api/cache";
import { Problem } from "./api/client";
import { sessionQuery } from "./api/queries";
import { CollectionPage } from "./collection/CollectionPage";
import { DiscStage } from "./disc/DiscStage";
import { DuplicatesPage } from "./duplicates/DuplicatesPage";
import { ArtworkStage } from "./docket/ArtworkStage";
import { DescribeStage } from "./docket/DescribeStage";
import { DocketDesk } from "./docket/DocketDesk";
import { IntakeStage } from "./docket/IntakeStage";
import { SealStage } from "./docket/SealStage";
import { TracksStage } from "./docket/TracksStage";
import { FilesPage } from "./files/FilesPage";
import { SheetPage } from "./files/SheetPage";
import { Broken, Nowhere } from "./frame/Broken";
import { Frame } from "./frame/Frame";
import { applyTheme } from "./frame/theme";
import { NamesPage } from "./headings/NamesPage";
import { HousePage } from "./house/HousePage";
import { LedgerPage } from "./ledger/LedgerPage";
import { Gate } from "./people/Gate";
import { PasswordPage } from "./people/PasswordPage";
import { PeoplePage } from "./people/PeoplePage";
import { RepairStage } from "./repair/RepairStage";
import { TransferStage } from "./transfer/TransferStage";
import { FixityPage } from "./packages/FixityPage";
import { ProfilesPage } from "./packages/ProfilesPage";
import { ReportsPage } from "./reports/ReportsPage";
import { SurveyPage } from "./survey/SurveyPage";
import { Shelf } from "./shelf/Shelf";
import { ShelfLookUp } from "./shelf/ShelfLookUp";
import { SourcesStage } from "./sources/SourcesStage";

applyTheme();
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

const router = createBrowserRouter([
  {
    element: <Frame />,
    errorElement: <Broken />,
    children: [
      { path: "/", element: <Shelf />, errorElement: <Broken /> },
      { path: "/look-up", element: <ShelfLookUp />, errorElement: <Broken /> },
      { path: "/collection", element: <CollectionPage />, errorElement: <Broken /> },
      { path: "/collection/duplicates", element: <DuplicatesPage />, errorElement: <Broken /> },
      { path: "/collection/names", element: <NamesPage />, errorElement: <Broken /> },
      { path: "/collection/rules", element: <HousePage />, errorElement: <Broken /> },
      { path: "/collection/reports", element: <ReportsPage />, errorElement: <Broken /> },
      { path: "/files", element: <FilesPage />, errorElement: <Broken /> },
      { path: "/files/sheet", element: <SheetPage />, errorElement: <Broken /> },
      { path: "/survey", element: <SurveyPage />, errorElement: <Broken /> },
      { path: "/fixity", element: <FixityPage />, errorElement: <Broken /> },
      { path: "/profiles", element: <ProfilesPage />, errorElement: <Broken /> },
      { path: "/password", element: <PasswordPage />, errorElement: <Broken /> },
      { path: "/people", element: <PeoplePage />, errorElement: <Broken /> },
      { path: "/ledger", element: <LedgerPage />, errorElement: <Broken /> },
      {
        path: "/dockets/:docketId",
        element: <DocketDesk />,
        errorElement: <Broken />,
        children: [
          { index: true, element: <Navigate to="intake" replace /> },
          { path: "intake", element: <IntakeStage /> },
          { path: "transfer", element: <TransferStage /> },
          { path: "disc", element: <DiscStage /> },
          { path: "tracks", element: <TracksStage /> },
          { path: "repair", element: <RepairStage /> },
          { path: "sources", element: <SourcesStage /> },
          { path: "describe", element: <DescribeStage /> },
          { path: "artwork", element: <ArtworkStage /> },
          { path: "seal", element: <SealStage /> },
        ],
      },
      { path: "*", element: <Nowhere /> },
    ],
  },
]);

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
