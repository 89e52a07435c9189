import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Diagnosis = Schemas["DiagnosisView"];
export type Suspect = Schemas["SuspectView"];
export type FlowCurve = Schemas["FlowCurveView"];
export type Step = Schemas["StepView"];
export type Band = Schemas["BandView"];
export type Job = Schemas["JobView"];
export type JobCard = Schemas["JobCard"];
export type Answer = Schemas["AnswerView"];
export type Plan = Schemas["PlanView"];
export type Proof = Schemas["ProofView"];
export type EntryAdded = Schemas["EntryAdded"];
export type Work = Schemas["WorkView"];
export type Entry = Schemas["EntryView"];
export type EntryData = Schemas["NewEntryRequest"]["data"];
export type Reading = Extract<EntryData, { kind: "reading" }>;
export type Schematic = Schemas["SchematicView"];
export type SolvedState = Schemas["SolvedStateView"];
export type CircuitTrace = Schemas["CircuitTrace"];
export type MoveTrace = Schemas["MoveTrace"];
export type Station = Schemas["Station"];
export type SafePlan = Schemas["SafePlan"];
export type Lack = SafePlan["lacks"][number];
export type SafeStep = Schemas["SafeStep"];
export type LiveLine = Schemas["LiveLine"];
export type Remains = Schemas["Remains"];
export type Workshop = Schemas["WorkshopView"];
export type Finding = Schemas["Finding"];
export type Draft = Schemas["DraftView"];
export type PartType = Schemas["TypeView"];
export type MachineRecord = Schemas["MachineRecordView"];
export type Instrument = Schemas["Instrument"];
export type Refill = Schemas["Refill"];
export type RefillAsked = { tank_l: number; drained_l?: number; posture: string[] };
export type Watched = Schemas["Watched"];
export type RecordedCurve = Schemas["RecordedView"];
export type Readable = Schemas["ReadableView"];
export type MachineState = Schemas["MachineState"];
export type Trend = Schemas["Trend"];
export type Fleet = Schemas["FleetView"];
export type Change = Schemas["Change"];
export type Machine = Schemas["MachineView"];

const client = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: (request) => globalThis.fetch(request),
});

/** What went wrong, in the server's own words. */
export class ApiError extends Error {
  readonly status: number;
  /** What kind of problem it is, the same whatever its words. */
  readonly code: string;
  constructor(status: number, message: string, code = "") {
    super(message);
    this.status = status;
    this.code = code;
  }
}

interface Reply<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

function messageOf(error: unknown, status: number): string {
  const body = error as { detail?: unknown; problems?: string[] } | undefined;
  const detail = typeof body?.detail === "string" ? body.detail : `The server answered ${status}.`;
  return [detail, ...(body?.problems ?? [])].join(" ");
}

function codeOf(error: unknown): string {
  const type = (error as { type?: unknown } | undefined)?.type;
  return typeof type === "string" ? type.replace(/^urn:umweg:/, "") : "";
}

async function unwrap<T>(request: Promise<Reply<T>>): Promise<T> {
  let answer: Reply<T>;
  try {
    answer = await request;
  } catch {
    throw new ApiError(0, "The server cannot be reached. Nothing was lost; try again.");
  }
  if (answer.data === undefined) {
    const { status } = answer.response;
    throw new ApiError(status, messageOf(answer.error, status), codeOf(answer.error));
  }
  return answer.data;
}

/** For requests that are answered without a body. */
async function unwrapNothing(request: Promise<Reply<unknown>>): Promise<void> {
  await unwrap(request.then((reply) => ({ ...reply, data: reply.response.ok ? {} : undefined })));
}

export const api = {
  workshop: () => unwrap(client.GET("/api/workshop")),
  changeWorkshop: (body: Schemas["WorkshopChange"]) =>
    unwrap(client.PATCH("/api/workshop", { body })),
  keepInstrument: (body: Instrument) =>
    unwrap(
      client.PUT("/api/workshop/instruments/{key}", { params: { path: { key: body.id } }, body }),
    ),
  experience: () => unwrap(client.GET("/api/workshop/experience")),
  takeExperienceOver: () => unwrap(client.POST("/api/workshop/experience")),
  leaveExperience: () => unwrapNothing(client.DELETE("/api/workshop/experience")),
  types: () => unwrap(client.GET("/api/types")),
  foundTypes: (text: string) =>
    unwrap(client.GET("/api/types/found", { params: { query: { text } } })),
  checkListing: (text: string) => unwrap(client.POST("/api/listings/check", { body: { text } })),
  draftListing: (text: string, beside: string | null) =>
    unwrap(client.POST("/api/listings/draft", { body: { text, beside } })),
  circuits: () => unwrap(client.GET("/api/circuits")),
  listingOf: (id: string, skeleton = false) =>
    unwrap(
      client.GET("/api/listings/{circuit_id}", {
        params: { path: { circuit_id: id }, query: { skeleton } },
      }),
    ),
  keepMachines: (text: string) => unwrap(client.POST("/api/machines/list", { body: { text } })),
  changeCircuit: (id: number, text: string, beside: string | null) =>
    unwrap(
      client.PUT("/api/machines/{machine_id}/circuit", {
        params: { path: { machine_id: id } },
        body: { text, beside },
      }),
    ),
  fleet: (circuit: string) =>
    unwrap(client.GET("/api/fleets/{circuit_id}", { params: { path: { circuit_id: circuit } } })),
  changesOf: (job: string) =>
    unwrap(client.GET("/api/jobs/{job_id}/changes", { params: { path: { job_id: job } } })),
  addMachine: (body: Schemas["NewMachine"]) => unwrap(client.POST("/api/machines", { body })),
  machineRecord: (id: number) =>
    unwrap(client.GET("/api/machines/{machine_id}", { params: { path: { machine_id: id } } })),
  changeMachine: (id: number, body: Schemas["MachineChange"]) =>
    unwrap(
      client.PATCH("/api/machines/{machine_id}", { params: { path: { machine_id: id } }, body }),
    ),
  jobs: (search: string, decided: boolean | null, offset: number) =>
    unwrap(client.GET("/api/jobs", { params: { query: { search, decided, offset } } })),
  job: (id: string) =>
    unwrap(client.GET("/api/jobs/{job_id}", { params: { path: { job_id: id } } })),
  answer: (id: string) =>
    unwrap(client.GET("/api/jobs/{job_id}/diagnosis", { params: { path: { job_id: id } } })),
  tree: (id: string, depth: number) =>
    unwrap(
      client.GET("/api/jobs/{job_id}/tree", {
        params: { path: { job_id: id }, query: { depth } },
      }),
    ),
  openJob: (machineId: number, complaint: string, key: string) =>
    unwrap(
      client.POST("/api/jobs", {
        params: { header: { "idempotency-key": key } },
        body: { machine_id: machineId, complaint },
      }),
    ),
  readIn: (bundle: Schemas["Bundle"], keepMine: boolean) =>
    unwrap(
      client.POST("/api/jobs/bundle", { body: bundle, params: { query: { keep_mine: keepMine } } }),
    ),
  addEntry: (
    id: string,
    data: EntryData,
    key: string,
    supersedes: string | null,
    expected: number | null,
  ) =>
    unwrap(
      client.POST("/api/jobs/{job_id}/entries", {
        params: { path: { job_id: id }, header: { "idempotency-key": key } },
        body: { data, supersedes, expected_sequence: expected },
      }),
    ),
  doubts: (id: string, reading: Reading) =>
    unwrap(
      client.POST("/api/jobs/{job_id}/doubts", {
        params: { path: { job_id: id } },
        body: reading,
      }),
    ),
  judged: (id: string, reading: Reading) =>
    unwrap(
      client.POST("/api/jobs/{job_id}/judged", {
        params: { path: { job_id: id } },
        body: reading,
      }),
    ),
  curve: (revision: number, timing: string, fault: string) =>
    unwrap(
      client.GET("/api/circuits/{revision_id}/timings/{timing_id}/curve", {
        params: { path: { revision_id: revision, timing_id: timing }, query: { fault } },
      }),
    ),
  writeAll: () => unwrap(client.POST("/api/exports")),
  linesOfBill: (text: string) => unwrap(client.POST("/api/listings/bill", { body: { text } })),
  recorded: (revision: number, timing: string, text: string, unit: string) =>
    unwrap(
      client.POST("/api/circuits/{revision_id}/timings/{timing_id}/recorded", {
        params: { path: { revision_id: revision, timing_id: timing } },
        body: { text, unit },
      }),
    ),
  refill: (revision: number, query: RefillAsked) =>
    unwrap(
      client.GET("/api/circuits/{revision_id}/refill", {
        params: { path: { revision_id: revision }, query },
      }),
    ),
  heard: (revision: number, text: string) =>
    unwrap(
      client.GET("/api/circuits/{revision_id}/heard", {
        params: { path: { revision_id: revision }, query: { text } },
      }),
    ),
  readable: (revision: number) =>
    unwrap(
      client.GET("/api/circuits/{revision_id}/readable", {
        params: { path: { revision_id: revision } },
      }),
    ),
  work: () => unwrap(client.GET("/api/queue")),
  stopWork: (id: number) =>
    unwrapNothing(
      client.POST("/api/queue/{work_id}/cancel", { params: { path: { work_id: id } } }),
    ),
  strip: (id: string, entry: string) =>
    unwrap(
      client.GET("/api/jobs/{job_id}/entries/{entry_id}/strip", {
        params: { path: { job_id: id, entry_id: entry } },
      }),
    ),
  schematic: (revision: number) =>
    unwrap(
      client.GET("/api/circuits/{revision_id}/schematic", {
        params: { path: { revision_id: revision } },
      }),
    ),
  trace: (revision: number) =>
    unwrap(
      client.GET("/api/circuits/{revision_id}/trace", {
        params: { path: { revision_id: revision } },
      }),
    ),
  safe: (revision: number, lack: Lack[]) =>
    unwrap(
      client.GET("/api/circuits/{revision_id}/safe", {
        params: { path: { revision_id: revision }, query: { lack } },
      }),
    ),
  state: (revision: number, state: string, suspect: string | null) =>
    unwrap(
      client.GET("/api/circuits/{revision_id}/states/{state_id}", {
        params: { path: { revision_id: revision, state_id: state }, query: { suspect } },
      }),
    ),
};

export type Tree = Awaited<ReturnType<typeof api.tree>>;
export type Place = NonNullable<Tree["place"]>;

/** A key that makes a repeated request harmless. */
export function newKey(): string {
  return crypto.randomUUID();
}
