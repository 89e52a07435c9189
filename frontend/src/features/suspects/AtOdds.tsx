import type { Diagnosis } from "../../api/client";
import { Notice } from "../../ui/primitives";

/** Readings to be taken again before anything is made of them. */
export function AtOdds({ diagnosis }: { diagnosis: Diagnosis }) {
  return diagnosis.at_odds.map((odd) => (
    <Notice key={odd.words} tone="stop">
      {odd.words}
    </Notice>
  ));
}
