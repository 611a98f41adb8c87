import "@fontsource-variable/fraunces";
import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-mono/500.css";
import "@fontsource/ibm-plex-sans/400.css";
import "@fontsource/ibm-plex-sans/500.css";
import "@fontsource/ibm-plex-sans/600.css";
import "./styles.css";

import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, Navigate } from "react-router";
import { RouterProvider } from "react-router/dom";

import { followEvents } from "./api/events";
import { DiscStage } from "./disc/DiscStage";
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
import { LedgerPage } from "./ledger/LedgerPage";
import { RepairStage } from "./repair/RepairStage";
import { TransferStage } from "./transfer/TransferStage";
import { FixityPage } from "./packages/FixityPage";
import { ProfilesPage } from "./packages/ProfilesPage";
import { SurveyPage } from "./survey/SurveyPage";
import { Shelf } from "./shelf/Shelf";
import { ShelfLookUp } from "./shelf/ShelfLookUp";
import { SourcesStage } from "./sources/SourcesStage";

applyTheme();
const cache = new QueryClient({ defaultOptions: { queries: { staleTime: 30_000, retry: 1 } } });
followEvents(cache);

const router = createBrowserRouter([
  {
    element: <Frame />,
    errorElement: <Broken />,
    children: [
      { path: "/", element: <Shelf />, errorElement: <Broken /> },
      { path: "/look-up", element: <ShelfLookUp />, errorElement: <Broken /> },
      { path: "/files", element: <FilesPage />, errorElement: <Broken /> },
      { path: "/files/sheet", element: <SheetPage />, errorElement: <Broken /> },
      { path: "/survey", element: <SurveyPage />, errorElement: <Broken /> },
      { path: "/fixity", element: <FixityPage />, errorElement: <Broken /> },
      { path: "/profiles", element: <ProfilesPage />, errorElement: <Broken /> },
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
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );
