import { ALWAYS_CAUTIONS } from "../words";

/** The usual cautions, wherever a screen leads to work on the machine. */
export function BeforeOpening() {
  return (
    <details className="rounded-md border border-warn/40 bg-warn-soft px-3 py-2 text-sm text-warn">
      <summary className="min-h-6 cursor-pointer font-semibold">Before anything is opened</summary>
      <ul className="mt-1 list-disc pl-5">
        {ALWAYS_CAUTIONS.map((text) => (
          <li key={text}>{text}</li>
        ))}
      </ul>
    </details>
  );
}
