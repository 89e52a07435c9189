import { useState } from "react";
import type { ShownEntry } from "../../api/outbox";
import { Button } from "../../ui/primitives";

/**
 * What was kept last since the page was opened, and one tap to take it back.
 *
 * Nothing is lost by it: the entry stays in the record, withdrawn.
 */
export function LastKept({
  entries,
  onUndo,
}: {
  entries: ShownEntry[];
  onUndo: (id: string) => void;
}) {
  const [opened] = useState(() => entries.at(-1)?.sequence ?? 0);
  const last = entries.filter((e) => e.sequence > opened && e.data.kind !== "withdrawal").at(-1);
  if (!last?.standing || last.onItsWay) return null;
  return (
    <p className="flex min-h-11 items-center justify-between gap-2 border-line border-b bg-card px-3 text-sm">
      <span className="min-w-0 truncate">Kept: {last.words}</span>
      <Button look="quiet" className="!px-1 text-sm" onClick={() => onUndo(last.id)}>
        Undo
      </Button>
    </p>
  );
}
