import { describe, expect, it } from "vitest";
import { ApiError, type Entry, type EntryAdded, type EntryData } from "./client";
import { type Item, Outbox, withPending } from "./outbox";
import { withEntry } from "./queries";

const note = (text: string): EntryData => ({ kind: "note", text });
const asked = (key: string, supersedes: string | null = null, jobId = "job") => ({
  key,
  jobId,
  data: note(key),
  supersedes,
  seen: null,
});

class Shelf {
  text: string | null = null;
  getItem = () => this.text;
  setItem = (_: string, text: string) => {
    this.text = text;
  };
}

/** A server that is told how to answer, and notes what it was sent. */
function server(answers: (Error | "kept")[] = [], sequences: number[] = []) {
  const sent: Item[] = [];
  const waits: number[] = [];
  const refused: string[] = [];
  const transport = {
    send: async (item: Item) => {
      sent.push(item);
      const answer = answers.shift() ?? "kept";
      if (answer !== "kept") throw answer;
      const sequence = sequences.shift() ?? sent.length;
      return { entry: { id: `id-${item.key}`, sequence } } as EntryAdded;
    },
    kept: () => {},
    refused: (item: Item) => refused.push(item.key),
    wait: async (ms: number) => {
      waits.push(ms);
    },
  };
  return { sent, waits, refused, transport };
}

const settled = () => new Promise((done) => setTimeout(done, 5));

describe("Outbox", () => {
  it("sends in order, one after the other, and forgets what is kept", async () => {
    const { sent, transport } = server();
    const box = new Outbox(transport, null);
    for (const key of ["a", "b", "c"]) box.put(asked(key));
    expect(box.all().map((i) => i.key)).toEqual(["a", "b", "c"]);
    await settled();
    expect(sent.map((i) => i.key)).toEqual(["a", "b", "c"]);
    expect(box.all()).toEqual([]);
  });

  it("counts its own entries as seen, and nobody else's", async () => {
    const own = server([], [8, 9]);
    const box = new Outbox(own.transport, null);
    box.put(asked("reading"));
    box.put({ ...asked("decision"), seen: 7 });
    await settled();
    expect(own.sent[1]?.seen).toBe(8);
    const other = server([], [9, 10]);
    const second = new Outbox(other.transport, null);
    second.put(asked("reading"));
    second.put({ ...asked("decision"), seen: 7 });
    await settled();
    expect(other.sent[1]?.seen, "somebody wrote the eighth").toBe(7);
  });

  it("tries a lost one again with longer and longer waits, and nothing overtakes it", async () => {
    const lost = new ApiError(0, "no network");
    const { sent, waits, transport } = server([lost, new ApiError(503, "busy"), lost, "kept"]);
    const box = new Outbox(transport, null);
    box.put(asked("a"));
    box.put(asked("b"));
    await settled();
    expect(sent.map((i) => i.key)).toEqual(["a", "a", "a", "a", "b"]);
    expect(waits).toEqual([1000, 2000, 4000]);
    expect(box.all()).toEqual([]);
  });

  it("corrects an entry that was on its way by the id that it got", async () => {
    const { sent, transport } = server();
    const box = new Outbox(transport, null);
    box.put(asked("a"));
    box.put(asked("b", "a"));
    await settled();
    expect(sent[1]?.supersedes).toBe("id-a");
  });

  it("marks what is refused, goes on with the rest, and mends what was to correct it", async () => {
    const { sent, refused, transport } = server([new ApiError(409, "somebody was faster")]);
    const box = new Outbox(transport, null);
    box.put(asked("a", "old"));
    box.put(asked("b", "a"));
    await settled();
    expect(refused).toEqual(["a"]);
    expect(sent[1]).toMatchObject({ key: "b", supersedes: "old" });
    expect(box.all()).toMatchObject([{ key: "a", state: "refused", error: "somebody was faster" }]);
    box.dismiss("a");
    expect(box.all()).toEqual([]);
  });

  it("goes on after the page was closed, with the same keys", async () => {
    const shelf = new Shelf();
    const never = { ...server().transport, send: () => new Promise<EntryAdded>(() => {}) };
    new Outbox(never, shelf).put(asked("a"));
    const { sent, transport } = server();
    const again = new Outbox(transport, shelf);
    await settled();
    expect(sent.map((i) => i.key)).toEqual(["a"]);
    expect(again.all()).toEqual([]);
  });

  it("corrects by the id also when the page was closed between the two", async () => {
    const shelf = new Shelf();
    const first = server().transport;
    const send = (item: Item) =>
      item.key === "a" ? first.send(item) : new Promise<EntryAdded>(() => {});
    const box = new Outbox({ ...first, send }, shelf);
    box.put(asked("a"));
    box.put(asked("b", "a"));
    await settled();
    const { sent, transport } = server();
    new Outbox(transport, shelf);
    await settled();
    expect(sent).toMatchObject([{ key: "b", supersedes: "id-a" }]);
  });

  it("does not let one job wait for another", async () => {
    const { transport } = server();
    const kept: string[] = [];
    const box = new Outbox(
      {
        ...transport,
        send: (item) =>
          item.jobId === "slow" ? new Promise<EntryAdded>(() => {}) : transport.send(item),
        kept: (item) => kept.push(item.key),
      },
      null,
    );
    box.put(asked("a", null, "slow"));
    box.put(asked("b", null, "other"));
    await settled();
    expect(kept).toEqual(["b"]);
  });

  it("starts empty when its store holds nonsense", () => {
    const shelf = new Shelf();
    shelf.text = "{not json";
    expect(new Outbox(server().transport, shelf).all()).toEqual([]);
  });
});

const entry = (id: string, sequence: number, more: Partial<Entry> = {}) =>
  ({ id, sequence, data: note(id), standing: true, supersedes: null, ...more }) as Entry;

describe("the record while entries are on their way", () => {
  it("shows them last, and what they correct as corrected", () => {
    const item: Item = { ...asked("new", "one"), state: "sending", error: null };
    const shown = withPending([entry("one", 1), entry("two", 2)], [item]);
    expect(shown.map((e) => [e.id, e.sequence, e.standing, e.onItsWay])).toEqual([
      ["one", 1, false, false],
      ["two", 2, true, false],
      ["new", 3, true, true],
    ]);
  });

  it("does not count what was refused", () => {
    const item: Item = { ...asked("new", "one"), state: "refused", error: "no" };
    expect(withPending([entry("one", 1)], [item]).map((e) => e.standing)).toEqual([true]);
  });

  it("takes an answered entry in once, in its place", () => {
    const job = { entries: [entry("one", 1), entry("two", 2)], decision: null, in_order: null };
    const added = entry("two", 2, { supersedes: "one" });
    const after = withEntry(job as never, added);
    expect(after.entries.map((e) => [e.id, e.standing])).toEqual([
      ["one", false],
      ["two", true],
    ]);
  });
});
