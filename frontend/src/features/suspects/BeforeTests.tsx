import type { Diagnosis } from "../../api/client";
import { Notice } from "../../ui/primitives";

/** What comes before any further test: oil that must not be run, readings to be taken again. */
export function BeforeTests({ diagnosis }: { diagnosis: Diagnosis }) {
  return [...diagnosis.before_tests, ...diagnosis.at_odds.map((odd) => odd.words)].map((words) => (
    <Notice key={words} tone="stop">
      {words}
    </Notice>
  ));
}
