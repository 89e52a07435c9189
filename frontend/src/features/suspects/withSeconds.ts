import type { Suspect } from "../../api/client";

/** Two faults that are believed less than this are folded below the one of them that leads. */
const FOLDED_BELOW = 0.1;

interface Second {
  second: Suspect;
  /** The fault that comes to the leading one. */
  besides: string;
}

export interface WithSeconds {
  suspect: Suspect;
  seconds: Second[];
}

/** Faults of a suspect that are not among some others, in words. */
export const besideFaults = (suspect: Suspect, others: readonly string[]): string[] =>
  suspect.faults
    .filter((f) => !others.includes(`${f.component}:${f.mode}`))
    .map((f) => `${f.component_label}: ${f.mode_label}`);

/** Suspects in their order; small pairs below a likelier single fault that is one of their two. */
export function withSeconds(suspects: readonly Suspect[]): WithSeconds[] {
  const rows: WithSeconds[] = [];
  for (const suspect of suspects) {
    const faults = suspect.key.split("+");
    const single =
      faults.length > 1 && suspect.share < FOLDED_BELOW
        ? rows.find((row) => faults.includes(row.suspect.key))
        : undefined;
    if (!single) {
      rows.push({ suspect, seconds: [] });
      continue;
    }
    const besides = besideFaults(suspect, [single.suspect.key]).join(" and ");
    single.seconds.push({ second: suspect, besides });
  }
  return rows;
}
