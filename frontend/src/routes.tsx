import { type ComponentType, lazy } from "react";
import { Navigate, type NonIndexRouteObject, type RouteObject } from "react-router";

import { Problem } from "./api/client";
import { Broken, Nowhere } from "./frame/Broken";
import { Frame } from "./frame/Frame";

type Load = () => Promise<ComponentType>;
const loads: Load[] = [];

/** A page whose code is fetched when it is opened first, or when the browser has nothing else to do. */
function page(path: string, title: string, load: Load): NonIndexRouteObject {
  loads.push(load);
  const Page = lazy(async () => {
    try {
      return { default: await load() };
    } catch {
      const why = "the server does not answer, or was brought up to date meanwhile";
      throw new Problem(`this page could not be loaded: ${why}`, null, "Reload it");
    }
  });
  return { path, element: <Page />, errorElement: <Broken />, handle: title };
}

/** Fetch the code of all pages: to go to one then asks nothing of the server. */
export const loadAllPages = () => Promise.allSettled(loads.map((load) => load()));

/** Every address of the interface. A part that fails is named in its place; the frame around it stands. */
export const routes: RouteObject[] = [
  {
    element: <Frame />,
    errorElement: <Broken />,
    children: [
      page("/", "Shelf", () => import("./shelf/Shelf").then((one) => one.Shelf)),
      page("/look-up", "Look up undescribed dockets", () =>
        import("./shelf/ShelfLookUp").then((one) => one.ShelfLookUp),
      ),
      page("/collection", "Collection", () => import("./collection/CollectionPage").then((one) => one.CollectionPage)),
      page("/collection/duplicates", "Duplicates", () =>
        import("./duplicates/DuplicatesPage").then((one) => one.DuplicatesPage),
      ),
      page("/collection/names", "Names", () => import("./headings/NamesPage").then((one) => one.NamesPage)),
      page("/collection/rules", "House rules", () => import("./house/HousePage").then((one) => one.HousePage)),
      page("/collection/reports", "Reports", () => import("./reports/ReportsPage").then((one) => one.ReportsPage)),
      page("/files", "Files", () => import("./files/FilesPage").then((one) => one.FilesPage)),
      page("/files/sheet", "Sheet", () => import("./files/SheetPage").then((one) => one.SheetPage)),
      page("/survey", "Survey", () => import("./survey/SurveyPage").then((one) => one.SurveyPage)),
      page("/fixity", "Fixity", () => import("./packages/FixityPage").then((one) => one.FixityPage)),
      page("/profiles", "Sealing profiles", () => import("./packages/ProfilesPage").then((one) => one.ProfilesPage)),
      page("/account", "Your account", () => import("./people/AccountPage").then((one) => one.AccountPage)),
      page("/access-log", "Access log", () => import("./people/AccessLogPage").then((one) => one.AccessLogPage)),
      page("/people", "People", () => import("./people/PeoplePage").then((one) => one.PeoplePage)),
      page("/ledger", "Ledger", () => import("./ledger/LedgerPage").then((one) => one.LedgerPage)),
      page("/workers", "Workers", () => import("./workers/WorkersPage").then((one) => one.WorkersPage)),
      page("/operations", "Operations", () => import("./workers/OperationsPage").then((one) => one.OperationsPage)),
      {
        ...page("/dockets/:docketId", "Docket", () => import("./docket/DocketDesk").then((one) => one.DocketDesk)),
        children: [
          { index: true, element: <Navigate to="intake" replace /> },
          page("intake", "Intake", () => import("./docket/IntakeStage").then((one) => one.IntakeStage)),
          page("transfer", "Transfer", () => import("./transfer/TransferStage").then((one) => one.TransferStage)),
          page("disc", "Disc", () => import("./disc/DiscStage").then((one) => one.DiscStage)),
          page("tracks", "Tracks", () => import("./docket/TracksStage").then((one) => one.TracksStage)),
          page("repair", "Repair", () => import("./repair/RepairStage").then((one) => one.RepairStage)),
          page("sources", "Sources", () => import("./sources/SourcesStage").then((one) => one.SourcesStage)),
          page("describe", "Describe", () => import("./docket/DescribeStage").then((one) => one.DescribeStage)),
          page("artwork", "Artwork", () => import("./docket/ArtworkStage").then((one) => one.ArtworkStage)),
          page("seal", "Seal", () => import("./docket/SealStage").then((one) => one.SealStage)),
        ],
      },
      { path: "*", element: <Nowhere /> },
    ],
  },
];
