/** What is told about one move: how it goes, and the words beside that. */
import type { Entry, Schemas } from "../../api/client";
import { HOW, type How, TOGETHER, type When } from "../../words";

export type Behaviour = Schemas["Behaviour"];

export type Against = NonNullable<Behaviour["against"]>;

/** What words compare with: this machine as somebody knew it, or what is written of it. */
export const AGAINST: Record<Against, string> = {
  itself: "this machine as it was",
  document: "its papers: nobody has known it in order",
};

/** What the last word that stands compares with. */
export function againstOf(entries: Entry[]): Against {
  const last = entries.findLast((e) => e.standing && e.data.kind === "behaviour");
  return (last?.data.kind === "behaviour" && last.data.against) || "itself";
}

/** A word beside how it goes; the server has the list of them. */
export type Remark = Schemas["RemarkView"]["name"];

export interface Told {
  hows: readonly How[];
  remarks: readonly Remark[];
}

export const NOTHING_TOLD: Told = { hows: [], remarks: [] };

/** The entry that stands for what was told of a move and a temperature; a later one corrects it. */
export function entryOf(entries: Entry[], functionId: string, move: string, when: When) {
  return entries.findLast(
    (e) =>
      e.standing &&
      e.data.kind === "behaviour" &&
      // What was seen for oneself after it corrects nothing of what was told.
      !e.data.told_before &&
      e.data.function === functionId &&
      e.data.move === move &&
      e.data.when === when,
  );
}

export function toldBy(entry: Entry | undefined): Told {
  if (entry?.data.kind !== "behaviour") return NOTHING_TOLD;
  const { how, also = [] } = entry.data;
  return {
    hows: (Object.keys(HOW) as How[]).filter((w) => w === how || also.includes(w)),
    remarks: also.filter((w): w is Remark => !(w in HOW)),
  };
}

/** A word is tapped: slow, weak and drifting go together, every other word stands alone. */
export function withHow(told: Told, how: How): Told {
  if (told.hows.includes(how)) {
    // The last word is not taken back by tapping it: what is left would say nothing.
    const hows = told.hows.filter((w) => w !== how);
    return hows.length ? { ...told, hows } : told;
  }
  const beside = TOGETHER.includes(how) ? told.hows.filter((w) => TOGETHER.includes(w)) : [];
  return { ...told, hows: [...beside, how] };
}

export function withRemark(told: Told, word: Remark): Told {
  const remarks = told.remarks.includes(word)
    ? told.remarks.filter((w) => w !== word)
    : [...told.remarks, word];
  return { ...told, remarks };
}

/** The observation for what is told; nothing where it is not told yet how it goes. */
export function behaviourOf(
  told: Told,
  functionId: string,
  move: string,
  when: When,
  against: Against = "itself",
): Behaviour | null {
  const [how, ...rest] = told.hows;
  if (!how) return null;
  const also = [...rest, ...told.remarks];
  return { kind: "behaviour", id: "new", function: functionId, move, how, also, when, against };
}
