import type { Suspect } from "../../api/client";

/** A suspect in few words: of two faults, whose names begin alike, which parts they are on. */
export function shortTitle({ title, faults }: Pick<Suspect, "title" | "faults">): string {
  const [one, other] = faults;
  if (!one || !other) return title;
  return one.component === other.component
    ? `${one.component_label}: ${one.mode_label} + ${other.mode_label}`
    : `${one.component_label} + ${other.component_label}`;
}
