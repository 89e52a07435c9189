import type { Entry } from "../../api/client";

/** The repairs that stand, in their order. */
export const repairsOf = <E extends Entry>(entries: E[]): E[] =>
  entries.filter((e) => e.standing && e.data.kind === "repair");

/** What was told and read of the machine as it is now: since the repair that stands last. */
export function sinceRepair<E extends Entry>(entries: E[]): E[] {
  const from = repairsOf(entries).at(-1)?.sequence ?? 0;
  return entries.filter((e) => e.sequence > from);
}
