import type { Schemas } from "../../api/client";
import { Button } from "../../ui/primitives";
import type { Behaviour } from "./told";

/** What the customer's sentence may mean: each a tap, none taken by itself. */
export function Heard({
  offers,
  onTaken,
}: {
  offers: Schemas["Offer"][];
  onTaken: (entry: Behaviour) => void;
}) {
  if (!offers.length) return null;
  return (
    <fieldset
      className="mb-3 flex flex-wrap items-center gap-1.5"
      aria-label="What the complaint may mean"
    >
      <span className="mr-1">In the complaint, if it is meant so:</span>
      {offers.map(({ phrase, words, entry }) => (
        <Button key={words} title={`“${phrase}”`} onClick={() => onTaken(entry)}>
          {words}
        </Button>
      ))}
    </fieldset>
  );
}
