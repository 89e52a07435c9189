import type { Proof, SafePlan } from "../../api/client";
import type { ShownEntry } from "../../api/outbox";
import { doneSteps, standOf } from "../safe/MakeSafePanel";

/** ``open``: something in it waits for somebody. ``later``: nothing is asked of it yet. */
export type Stand = "done" | "open" | "later";

/** What is known of a job when its parts are told. */
export interface Seen {
  entries: ShownEntry[];
  safe: SafePlan | null;
  /** How far the last repair is proved; nothing where none was made. */
  proof: Proof["word"] | null;
  /** No further reading is worth its minutes. */
  enough: boolean;
}

export interface JobPart {
  id: string;
  label: string;
  /** A page of its own, or a tab of the bench. */
  place: { page: string } | { tab: string };
  stand: (seen: Seen) => Stand;
}

const has = (seen: Seen, ...kinds: ShownEntry["data"]["kind"][]) =>
  seen.entries.some((e) => e.standing && kinds.includes(e.data.kind));

/** What the job came to, as it stands last: a part, or nothing wrong. */
function concluded({ entries }: Seen): "decision" | "in_order" | null {
  const kinds = entries.flatMap(({ standing, data }) =>
    standing && (data.kind === "decision" || data.kind === "in_order") ? [data.kind] : [],
  );
  return kinds.at(-1) ?? null;
}

function proved(seen: Seen): Stand {
  if (!has(seen, "repair")) return "later";
  return seen.proof === "proved" ? "done" : "open";
}

/** The parts of a job in the order in which people work; each is there at any time. */
export const PARTS: JobPart[] = [
  {
    id: "complaint",
    label: "Complaint",
    place: { page: "complaint" },
    stand: (seen) => (has(seen, "behaviour") ? "done" : "open"),
  },
  {
    id: "safe",
    label: "Make safe",
    place: { tab: "safe" },
    stand: (seen) => {
      if (!seen.safe) return "later";
      const { open, blind, wanted, done } = standOf(seen.safe, doneSteps(seen.entries));
      if (!open.length && !blind.length && done === wanted) return "done";
      return done > 0 ? "open" : "later";
    },
  },
  { id: "trace", label: "Trace", place: { tab: "trace" }, stand: () => "later" },
  {
    id: "test",
    label: "Test",
    place: { tab: "next" },
    stand: (seen) => {
      if (concluded(seen) || seen.enough) return "done";
      return has(seen, "behaviour", "reading") ? "open" : "later";
    },
  },
  {
    id: "repair",
    label: "Repair",
    place: { tab: "suspects" },
    stand: (seen) => {
      if (has(seen, "repair")) return "done";
      if (concluded(seen) === "in_order") return "later";
      return concluded(seen) || seen.enough ? "open" : "later";
    },
  },
  { id: "prove", label: "Prove", place: { tab: "record" }, stand: proved },
  {
    id: "report",
    label: "Report",
    place: { page: "report" },
    stand: (seen) => (proved(seen) === "done" || concluded(seen) === "in_order" ? "open" : "later"),
  },
];

/** Where a part is, as an address. */
export function addressOf(jobId: string, part: JobPart): string {
  return "page" in part.place
    ? `/jobs/${jobId}/${part.place.page}`
    : `/jobs/${jobId}?part=${part.place.tab}`;
}
