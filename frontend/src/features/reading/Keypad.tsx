import { Button } from "../../ui/primitives";

const KEYS = ["7", "8", "9", "4", "5", "6", "1", "2", "3", "−", "0", "."];

/** What one key does to the text typed so far. */
export function press(text: string, key: string): string {
  if (key === "−") return text.startsWith("-") ? text.slice(1) : `-${text}`;
  if (key === "." && text.includes(".")) return text;
  if (text.replace(/[-.]/g, "").length >= 6) return text;
  return text + key;
}

export function Keypad({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  return (
    <fieldset className="grid grid-cols-3 gap-1.5" aria-label="Keypad">
      {KEYS.map((key) => (
        <Button
          key={key}
          className="min-h-14 text-2xl"
          aria-label={key === "−" ? "Change sign" : key}
          onClick={() => onChange(press(value, key))}
        >
          {key}
        </Button>
      ))}
      <Button className="col-span-3 min-h-12" onClick={() => onChange(value.slice(0, -1))}>
        Delete
      </Button>
    </fieldset>
  );
}
