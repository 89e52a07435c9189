import type { Item } from "../api/outbox";
import { wordsOf } from "../api/outbox";
import { Button, Notice } from "./primitives";

/** What could not be kept yet, and what was refused: said, never hidden, never in the way. */
export function PendingBar({
  items,
  onDismiss,
}: {
  items: readonly Item[];
  onDismiss: (key: string) => void;
}) {
  const stopped = items.find((i) => i.state === "waiting");
  // What stands behind one that waits waits too.
  const waiting = stopped ? items.filter((i) => i.state !== "refused") : [];
  const refused = items.filter((i) => i.state === "refused");
  if (!waiting.length && !refused.length) return null;
  return (
    <div className="grid gap-1.5 p-2" role="status">
      {waiting.length > 0 && (
        <Notice tone="warn">
          {waiting.length === 1 ? "One entry is" : `${waiting.length} entries are`} not kept on the
          server yet: {stopped?.error} It is tried again by itself.
        </Notice>
      )}
      {refused.map((item) => (
        <Notice key={item.key} tone="stop">
          <span className="flex items-center justify-between gap-3">
            <span>
              <b>Not kept:</b> {wordsOf(item.data)}. {item.error}
            </span>
            <Button onClick={() => onDismiss(item.key)}>Understood</Button>
          </span>
        </Notice>
      ))}
    </div>
  );
}
