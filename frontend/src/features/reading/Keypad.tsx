import { Button } from "../../ui/primitives";

const KEYS = ["7", "8", "9", "4", "5", "6", "1", "2", "3", "0", ".", "−"];

/** The sign and the point stand in the fourth column, below Delete. */
const PLACE: Record<string, string> = {
  ".": "col-start-4 row-start-4",
  "−": "col-start-4 row-start-3",
  "0": "col-span-3",
};

/** What one key does to the text typed so far. */
export function press(text: string, key: string): string {
  if (key === "−") return text.startsWith("-") ? text.slice(1) : `-${text}`;
  if (key === "." && text.includes(".")) return text;
  if (text.replace(/[-.]/g, "").length >= 6) return text;
  return text + key;
}

export function Keypad({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  return (
    <fieldset className="grid grid-cols-[1fr_1fr_1fr_1fr] gap-1.5" aria-label="Keypad">
      {KEYS.map((key) => (
        <Button
          key={key}
          className={`min-h-13 text-2xl ${PLACE[key] ?? ""}`}
          aria-label={key === "−" ? "Change sign" : key}
          onClick={() => onChange(press(value, key))}
        >
          {key}
        </Button>
      ))}
      <Button
        className="col-start-4 row-span-2 row-start-1 !px-1"
        onClick={() => onChange(value.slice(0, -1))}
      >
        Delete
      </Button>
    </fieldset>
  );
}
