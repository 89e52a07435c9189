import type { ShownEntry } from "../../api/outbox";

/** The repair that stands last: with it the machine as it is now begins. */
export const lastRepair = (entries: ShownEntry[]): ShownEntry | undefined =>
  entries.filter((e) => e.standing && e.data.kind === "repair").at(-1);

/** What was told and read of the machine as it is now. */
export function sinceRepair(entries: ShownEntry[]): ShownEntry[] {
  const from = lastRepair(entries)?.sequence ?? 0;
  return entries.filter((e) => e.sequence > from);
}
