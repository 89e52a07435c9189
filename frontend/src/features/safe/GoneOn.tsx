import { AlertDialog } from "radix-ui";
import { useState } from "react";
import type { EntryData, SafePlan, Schematic } from "../../api/client";
import type { ShownEntry } from "../../api/outbox";
import { Button } from "../../ui/primitives";
import { doneSteps, standOf } from "./MakeSafePanel";

const GONE_ON = "unsafe/";

/** What opens the circuit, or says of it that it is in order; nothing where an entry does neither. */
export function actOf(data: EntryData, schematic: Schematic): string | null {
  if (data.kind === "repair") return "the repair is done";
  if (data.kind === "in_order") return "the machine is in order";
  if (data.kind !== "reading") return null;
  const { state } = data;
  const stood =
    typeof state === "string" ? schematic.states.find((s) => s.id === state)?.document : state;
  return stood?.interventions?.length ? "a line was opened for a reading" : null;
}

/** How far the machine is from zero, in words; nothing where every zero is read. */
export function notAtZero(plan: SafePlan | null | undefined, entries: ShownEntry[]): string | null {
  if (!plan) return "The way to zero is not worked out yet.";
  const stand = standOf(plan, doneSteps(entries));
  if (stand.holding.length) return "A line was read and is not at zero.";
  if (stand.open.length) {
    return `${stand.open.length} ${stand.open.length === 1 ? "zero is" : "zeros are"} not read.`;
  }
  return stand.done < stand.wanted ? `${stand.wanted - stand.done} steps are not done.` : null;
}

/** What was gone on with while a machine was not at zero, and why, as the record has it. */
export function goneOn(entries: { standing: boolean; data: EntryData }[]): string[] {
  return entries.flatMap(({ standing, data }) =>
    standing && data.kind === "make_safe" && data.step?.startsWith(GONE_ON) ? [data.text] : [],
  );
}

/** The entry that says so. */
export function goneOnWith(act: string, why: string, reason: string): EntryData {
  const text = `Gone on while not at zero (${act}; ${why}) because: ${reason}`;
  return { kind: "make_safe", text, step: `${GONE_ON}${act}`, zero: false };
}

interface AskWhyProps {
  act: string;
  why: string;
  onYes: (reason: string) => void;
  onNo: () => void;
}

/** A deliberate yes with its reason, where somebody goes on while the machine is not at zero. */
export function AskWhy({ act, why, onYes, onNo }: AskWhyProps) {
  const [reason, setReason] = useState("");
  return (
    <AlertDialog.Root open>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-40 bg-ink/50" />
        <AlertDialog.Content className="-translate-x-1/2 -translate-y-1/2 fixed top-1/2 left-1/2 z-50 grid w-[min(32rem,94vw)] gap-3 rounded-lg border-2 border-stop bg-card p-4 shadow-xl">
          <AlertDialog.Title className="font-bold text-lg text-stop">
            Not at zero: {act}?
          </AlertDialog.Title>
          <AlertDialog.Description className="text-sm">
            {why} Oil under pressure goes through the skin, and what is held up may fall. If it is
            right all the same, say why: it is kept in the record and stands in the report.
          </AlertDialog.Description>
          <label className="grid gap-1 text-sm">
            <b>Why it is right to go on</b>
            <textarea
              className="min-h-20 rounded-md border border-ink/40 bg-white px-2 py-1"
              value={reason}
              onChange={(e) => setReason(e.target.value)}
            />
          </label>
          <div className="flex flex-wrap justify-end gap-2">
            <Button look="main" onClick={onNo}>
              Back: make it safe first
            </Button>
            <Button disabled={reason.trim().length < 3} onClick={() => onYes(reason.trim())}>
              Yes, and this is why
            </Button>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
