/**
 * Entries on their way to the server, in order, each with its key.
 *
 * What a person taps counts at once and is sent behind their back. Until the server has answered it
 * lies here and in the browser's store, so that neither a lost network nor a closed page loses it; the
 * key makes sending it twice harmless. Framework-free: React only listens.
 */
import { WARMTH } from "../words";
import { ApiError, type Entry, type EntryAdded, type EntryData } from "./client";

export interface Item {
  key: string;
  jobId: string;
  data: EntryData;
  /** The entry it corrects: its id, or the key of one that is still on its way. */
  supersedes: string | null;
  /** Up to which sequence the writer had seen the record; null where it does not matter. */
  seen: number | null;
  state: "sending" | "waiting" | "refused";
  /** Why it waits or was refused, in the server's words. */
  error: string | null;
}

export interface Transport {
  send(item: Item): Promise<EntryAdded>;
  /** The server keeps it: its entry, and what is known with it. */
  kept(item: Item, added: EntryAdded): void;
  /** It was refused: what stands on the server may have changed. */
  refused(item: Item): void;
  wait(ms: number): Promise<void>;
}

const STORE = "umweg-outbox-1";
const FIRST_WAIT_MS = 1000;
const LONGEST_WAIT_MS = 15_000;

/** Sending it again may help: the network, the database, a busy server. */
function isPassing(error: unknown): boolean {
  return !(error instanceof ApiError) || error.status === 0 || error.status >= 500;
}

export class Outbox {
  private items: readonly Item[] = [];
  private readonly listeners = new Set<() => void>();
  private readonly working = new Set<string>();
  /** Ids of the entries that items became, by key: later corrections refer to them. */
  private readonly became = new Map<string, string>();

  constructor(
    private readonly transport: Transport,
    private readonly store: Pick<Storage, "getItem" | "setItem"> | null,
  ) {
    this.items = this.restored();
    for (const jobId of new Set(this.items.map((i) => i.jobId))) void this.work(jobId);
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** Everything that is not kept yet; the same array until something changes. */
  all = (): readonly Item[] => this.items;

  put(item: Omit<Item, "state" | "error">): void {
    this.change([...this.items, { ...item, state: "sending", error: null }]);
    void this.work(item.jobId);
  }

  /** Forget an item that was refused. */
  dismiss(key: string): void {
    this.change(this.items.filter((i) => i.key !== key || i.state !== "refused"));
  }

  private async work(jobId: string): Promise<void> {
    if (this.working.has(jobId)) return;
    this.working.add(jobId);
    let wait = FIRST_WAIT_MS;
    for (;;) {
      const next = this.items.find((i) => i.jobId === jobId && i.state !== "refused");
      if (!next) break;
      try {
        const supersedes = next.supersedes && (this.became.get(next.supersedes) ?? next.supersedes);
        const added = await this.transport.send({ ...next, supersedes });
        this.became.set(next.key, added.entry.id);
        this.transport.kept(next, added);
        const reached = added.entry.sequence;
        this.change(
          this.items
            .filter((i) => i.key !== next.key)
            // Whoever wrote this has seen it; what somebody else wrote between is not seen.
            .map((i) =>
              i.jobId === jobId && i.seen !== null && reached === i.seen + 1
                ? { ...i, seen: reached }
                : i,
            )
            // A page that is closed now knows no more what became of the key.
            .map((i) => (i.supersedes === next.key ? { ...i, supersedes: added.entry.id } : i)),
        );
        wait = FIRST_WAIT_MS;
      } catch (error) {
        const message = error instanceof Error ? error.message : String(error);
        if (isPassing(error)) {
          this.update(next.key, { state: "waiting", error: message });
          await this.transport.wait(wait);
          wait = Math.min(2 * wait, LONGEST_WAIT_MS);
        } else {
          this.refuse(next, message);
        }
      }
    }
    this.working.delete(jobId);
  }

  private refuse(item: Item, error: string): void {
    const corrected = this.items.map((i) =>
      // What was to correct a refused entry corrects what that one would have corrected.
      i.supersedes === item.key ? { ...i, supersedes: item.supersedes } : i,
    );
    this.change(
      corrected.map((i) => (i.key === item.key ? { ...i, state: "refused" as const, error } : i)),
    );
    this.transport.refused(item);
  }

  private update(key: string, change: Partial<Item>): void {
    this.change(this.items.map((i) => (i.key === key ? { ...i, ...change } : i)));
  }

  private change(items: readonly Item[]): void {
    this.items = items;
    try {
      this.store?.setItem(STORE, JSON.stringify(items));
    } catch {
      // A full store costs only what a closed page would have kept.
    }
    for (const listener of this.listeners) listener();
  }

  private restored(): Item[] {
    try {
      const items = JSON.parse(this.store?.getItem(STORE) ?? "[]") as Item[];
      return items.map((i) => (i.state === "refused" ? i : { ...i, state: "sending" as const }));
    } catch {
      return [];
    }
  }
}

export interface ShownEntry extends Entry {
  /** It is not kept on the server yet. */
  onItsWay: boolean;
}

/** The record as the person who writes it sees it: what is kept, and what is on its way. */
export function withPending(entries: Entry[], items: readonly Item[]): ShownEntry[] {
  const waiting = items.filter((i) => i.state !== "refused");
  const corrected = new Set(waiting.map((i) => i.supersedes));
  const last = entries.at(-1)?.sequence ?? 0;
  return [
    ...entries.map((e) => ({
      ...e,
      standing: e.standing && !corrected.has(e.id),
      onItsWay: false,
    })),
    ...waiting.map((i, n) => ({
      id: i.key,
      sequence: last + n + 1,
      data: i.data,
      words: wordsOf(i.data),
      looked: false,
      supersedes: i.supersedes,
      standing: i.data.kind !== "withdrawal" && !corrected.has(i.key),
      value_base: null,
      unit_base: null,
      verdict: null,
      author: "",
      created_at: "",
      onItsWay: true,
    })),
  ];
}

/** A few words until the server has said it better. */
export function wordsOf(data: EntryData): string {
  switch (data.kind) {
    case "reading":
      return `Reading: ${data.value} ${data.unit}`;
    case "behaviour":
      return `${data.function} ${data.move}: ${[data.how, ...(data.also ?? [])].join(", ").replaceAll("_", " ")}`;
    case "indicator":
      return data.tripped ? "Indicator tripped" : "Indicator not tripped";
    case "confirm":
      return `${data.component}: ${data.seen.replace("_", " ")}`;
    case "swap":
      return `${data.component} changed with ${data.other_component}: ${data.went.replace("_", " ")}`;
    case "trial":
      return `${data.function} ${data.move}, ${data.component} ${data.trial}: ${data.how}`.replaceAll(
        "_",
        " ",
      );
    case "caught":
      return `${data.component}, past its piston: ${data.amount}`;
    case "hand_ear":
      return `${data.component}, hand and ear: ${data.noticed}`;
    case "oil":
      return `Oil looks ${data.look}`;
    case "warmth":
      return `At work the oil gets ${WARMTH[data.warmth].toLowerCase()}`;
    case "withdrawal":
      return "Withdrawn";
    case "decision":
      return `Isolated: ${data.action}`;
    case "repair":
      return `Repaired: ${data.text}`;
    case "in_order":
      return `In order: ${data.text}`;
    case "acceptance":
      return `Accepted outside specification: ${data.reason}`;
    default:
      return data.text;
  }
}
