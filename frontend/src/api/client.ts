import createClient from "openapi-fetch";

import type { components, operations, paths } from "./schema";

export type Schemas = components["schemas"];
export type Docket = Schemas["DocketView"];
export type DocketLine = Schemas["DocketLine"];
export type Side = Schemas["SideView"];
export type Take = Schemas["TakeView"];
export type PlanView = Schemas["PlanView"];
export type Plan = Schemas["Plan"];
export type TrackSpan = Schemas["TrackSpan"];
export type TrackLine = Schemas["TrackLine"];
export type Job = Schemas["JobView"];
export type Worker = Schemas["WorkerView"];
export type Workers = Schemas["WorkersView"];
export type Operations = Schemas["OperationsView"];
export type OperationsMoment = Schemas["Moment"];
export type LaneState = Schemas["LaneView"];
export type Upload = Schemas["UploadView"];
export type Package = Schemas["PackageView"];
export type Artwork = Schemas["ArtworkView"];
export type Transfer = Schemas["TransferView"];
export type TransferSettings = Schemas["TransferSettings"];
export type RecordingView = Schemas["RecordingView"];
export type LiveNews = Schemas["LiveNews"];
export type MeterWindow = Schemas["MeterWindow"];
export type Carrier = Schemas["CarrierView"];
export type Disc = Schemas["DiscView"];
export type DiscTrack = Schemas["DiscTrackView"];
export type DiscRead = Schemas["DiscReadView"];
export type Drive = Schemas["DriveView"];
export type Drives = Schemas["DrivesView"];
export type Strip = Schemas["StripView"];
export type Comparison = Schemas["Comparison"];
export type Fault = Schemas["Fault"];
export type Evidence = Schemas["Evidence"];
export type Knowledge = Schemas["Knowledge"];
export type FoundTracks = Schemas["FoundTracks"];
export type HearingState = Schemas["HearingView"];
export type Restoration = Schemas["Restoration"];
export type Repairs = Schemas["RepairsView"];
export type Listed = Schemas["Listed"];
export type RepairsWanted = NonNullable<paths["/api/v1/sides/{side_id}/repairs"]["get"]["parameters"]["query"]>;
export type RepairState = NonNullable<RepairsWanted["states"]>[number];
export type SourcesState = Schemas["SourcesView"];
export type Candidate = Schemas["CandidateView"];
export type Pair = Schemas["PairView"];
export type Reconcile = Schemas["ReconcileView"];
export type ReconcileRow = Schemas["Row"];
export type Taking = Schemas["Take"];
export type ArtOffer = Schemas["ArtView"];
export type ShelfLookUpLine = Schemas["ShelfLookUpLine"];
export type Bundle = Schemas["BundleView"];
export type Row = Schemas["RowView"];
export type SheetField = Schemas["FieldView"];
export type Proposed = Schemas["Proposed"];
export type ProposedCells = Schemas["ProposedView"];
export type FileStep = Schemas["StepView"];
export type WordingRule = Schemas["WordingRule"];
export type WordingStep = WordingRule["steps"][number];
export type Naming = Schemas["Naming"];
export type ArtRule = Schemas["ArtRule"];
export type Profile = Schemas["Profile"];
export type ProfileView = Schemas["ProfileView"];
export type CopyOrder = Schemas["CopyOrder"];
export type CopyForm = Schemas["CopyForm"];
export type Session = Schemas["SessionView"];
export type Account = Schemas["AccountView"];
export type Role = Account["role"];
export type Token = Schemas["TokenView"];
export type AccessKind = Schemas["AccessLine"]["kind"];
export type CollectionFound = Schemas["CollectionView"];
export type Found = Schemas["FoundView"];
export type Cover = Schemas["CoverView"];
export type SearchWanted = Omit<
  NonNullable<paths["/api/v1/collection"]["get"]["parameters"]["query"]>,
  "start" | "most"
>;
export type CopySet = Schemas["SetView"];
export type SoundCopy = Schemas["CopyView"];
export type Difference = Schemas["EditDifference"];
export type MergeWanted = Schemas["Merge"];
export type HeadingKind = MergeWanted["kind"];
export type House = Schemas["HouseView"];
export type TagRule = Schemas["TagRule"];
export type HouseRule = "artwork" | "tags" | "filing";
export type Report = Schemas["ReportView"];
export type Finding = Schemas["FindingView"];
export type Check = Schemas["CheckView"];
export type LedgerFilter = NonNullable<paths["/api/v1/ledger"]["get"]["parameters"]["query"]>;
export type LedgerLine = Schemas["LedgerLine"];
export type TakenBack = Schemas["TakenBackView"];
export type Fixity = Schemas["FixityOverview"];
export type BurnDisc = Schemas["BurnView"];
export type PackageFixity = Schemas["PackageFixity"];
export type PlanEdit = operations["editPlan"]["requestBody"]["content"]["application/json"];

export const api = createClient<paths>();

export type DocumentValue =
  string | number | boolean | null | readonly DocumentValue[] | { readonly [name: string]: DocumentValue };

export interface ChangedValue {
  name: string;
  yours: DocumentValue;
  now: DocumentValue;
}

/** A refusal as the server words it (RFC 9457): what is wrong, where, and what to do. */
export class Problem extends Error {
  constructor(
    readonly what: string,
    readonly where: string | null = null,
    readonly remedy: string | null = null,
    readonly status = 0,
    /** The values that somebody else has changed meanwhile, as they were wanted and as they are now. */
    readonly changed: readonly ChangedValue[] = [],
  ) {
    super(what);
  }

  static of(body: unknown, status: number): Problem {
    const detail = (body ?? {}) as { detail?: unknown; where?: string; remedy?: string; changed?: ChangedValue[] };
    const what = typeof detail.detail === "string" ? detail.detail : "the server gave no reason";
    return new Problem(what, detail.where ?? null, detail.remedy ?? null, status, detail.changed);
  }

  static readonly away = new Problem("the server does not answer", null, "Look whether it runs: ./inkwell status");
}

/** The data of an answer; a refusal or a dead connection is thrown as a Problem. */
export async function answer<T>(asked: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result;
  try {
    result = await asked;
  } catch {
    throw Problem.away;
  }
  if (!result.response.ok) throw Problem.of(result.error, result.response.status);
  return result.data as T;
}

/** Whether a request may outlive its page, so that what was typed arrives: browsers allow it for 64 KiB at a time. */
export const outlivesPage = (body: unknown): boolean => JSON.stringify(body).length < 30_000;

export function problemOf(error: unknown): Problem {
  return error instanceof Problem ? error : new Problem(String(error));
}
