import type { Entry, Reading } from "../../api/client";
import { repairsOf } from "./epoch";

export type ReadingEntry = Entry & { data: Reading };

const isReading = (e: Entry): e is ReadingEntry => e.standing && e.data.kind === "reading";

/** What was read, where, in which state: a stroke timed by watch is a speed. */
export const topicOf = ({ data }: ReadingEntry) =>
  [
    data.quantity === "time_s" ? "speed_mm_s" : data.quantity,
    data.point,
    JSON.stringify(data.state),
  ].join();

const within = ({ verdict }: ReadingEntry) => !verdict || verdict.word === "pass";
const fails = ({ verdict }: ReadingEntry) =>
  verdict !== null && verdict.word !== "pass" && verdict.word !== "marginal";

export interface Proof {
  before: ReadingEntry;
  after: ReadingEntry | undefined;
}
export interface Repaired {
  repaired: Entry;
  proofs: Proof[];
}

const newestOf = (readings: ReadingEntry[]) => new Map(readings.map((e) => [topicOf(e), e]));

/** Each repair of a job, with the newest of each reading before it and before the next one. */
export function repairHistory(entries: Entry[]): Repaired[] {
  const readings = entries.filter(isReading);
  return repairsOf(entries).map((repaired, i, all) => {
    const next = all[i + 1]?.sequence ?? Number.POSITIVE_INFINITY;
    const before = newestOf(readings.filter((e) => e.sequence < repaired.sequence));
    const after = newestOf(
      readings.filter((e) => e.sequence > repaired.sequence && e.sequence < next),
    );
    const proofs = [...before].map(([topic, e]) => ({ before: e, after: after.get(topic) }));
    return {
      repaired,
      proofs: proofs.sort((a, b) => Number(within(a.before)) - Number(within(b.before))),
    };
  });
}

export interface Remains {
  entry: ReadingEntry;
  why: "outside" | "not read again";
}

/**
 * What remains on a machine: what is outside its specification as it was read last, and what failed
 * before the last repair and was not read since. What was accepted with a reason is settled.
 */
export function remaining(entries: Entry[]): Remains[] {
  const accepted = new Set(
    entries.flatMap((e) => (e.standing && e.data.kind === "acceptance" ? [e.data.reading] : [])),
  );
  const last = repairsOf(entries).at(-1)?.sequence ?? 0;
  return [...newestOf(entries.filter(isReading)).values()]
    .filter((e) => !accepted.has(e.id) && (e.sequence < last ? !within(e) : fails(e)))
    .map((entry) => ({ entry, why: entry.sequence < last ? "not read again" : "outside" }));
}
