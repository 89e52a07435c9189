import type { Suspect } from "../../api/client";
import { besideFaults } from "./withSeconds";

interface PeersProps {
  suspect: Suspect;
  suspects: readonly Suspect[];
}

/** Whom a suspect cannot be told from; of two faults that it is one of, only the other is named. */
export function Peers({ suspect, suspects }: PeersProps) {
  const own = suspect.key.split("+");
  const instead: string[] = [];
  const beside: string[] = [];
  for (const key of suspect.group) {
    if (key === suspect.key) continue;
    const names = key.split("+");
    const peer = suspects.find((s) => s.key === key);
    if (!own.every((name) => names.includes(name))) {
      instead.push(peer?.title ?? key);
      continue;
    }
    if (peer) beside.push(...besideFaults(peer, own));
  }
  return (
    <>
      {instead.length > 0 && (
        <p className="mt-1 text-sm text-warn">
          No offered test tells it from: {instead.join("; ")}
        </p>
      )}
      {beside.length > 0 && (
        <p className="mt-1 text-sm text-warn">
          No offered test tells whether there is also: {beside.join("; ")}
        </p>
      )}
    </>
  );
}
