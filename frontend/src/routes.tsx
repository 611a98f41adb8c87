import { Navigate, type RouteObject } from "react-router";

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
import { NamesPage } from "./headings/NamesPage";
import { HousePage } from "./house/HousePage";
import { LedgerPage } from "./ledger/LedgerPage";
import { AccessLogPage } from "./people/AccessLogPage";
import { AccountPage } from "./people/AccountPage";
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
import { OperationsPage } from "./workers/OperationsPage";
import { WorkersPage } from "./workers/WorkersPage";

/** Every address of the interface. A part that fails is named in its place; the frame around it stands. */
export const routes: RouteObject[] = [
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
      { path: "/account", element: <AccountPage />, errorElement: <Broken /> },
      { path: "/access-log", element: <AccessLogPage />, errorElement: <Broken /> },
      { path: "/people", element: <PeoplePage />, errorElement: <Broken /> },
      { path: "/ledger", element: <LedgerPage />, errorElement: <Broken /> },
      { path: "/workers", element: <WorkersPage />, errorElement: <Broken /> },
      { path: "/operations", element: <OperationsPage />, errorElement: <Broken /> },
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
];
