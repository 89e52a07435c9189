import { useState } from "react";
import type { Refill, SafePlan, Schematic } from "../../api/client";
import { useRefill, useSafe } from "../../api/queries";
import { Failure, FIELD, Notice, Select } from "../../ui/primitives";
import { show, sized, typedNumber, type Unit } from "../../units";

const POSTURES = [
  { value: "0", label: "in" },
  { value: "0.5", label: "half out" },
  { value: "1", label: "out" },
];

/** A volume as it is typed, or nothing. */
export function litres(text: string): number | null {
  const value = typedNumber(text);
  return Number.isFinite(value) && value >= 0 ? value : null;
}

/** What is under pressure where oil is let out: the same lines as in make safe. */
export function UnderPressure({ plan }: { plan: SafePlan | null }) {
  const live = plan?.lines.filter((l) => l.healthy_bar > 5) ?? [];
  if (plan && live.length === 0) return null;
  return (
    <Notice tone="stop">
      <b>Make safe before a plug, hose or bleeder is opened.</b>{" "}
      {plan
        ? `With the ${plan.drive} off there may still be: ${live
            .map((l) => `${l.label} ${show(l.healthy_bar)} bar`)
            .join(", ")}.`
        : "What stays under pressure is being worked out: treat every line as under pressure."}
    </Notice>
  );
}

function Planned({ refill, units }: { refill: Refill; units: Unit[] }) {
  const volume = (litres: number) => sized(litres, "volume", units);
  const fills = refill.cycles.length;
  const left = refill.cycles.at(-1) ?? 0;
  return (
    <div className="grid gap-2">
      {refill.told && (
        <Notice tone={refill.told.startsWith("as much") ? "good" : "warn"}>
          <span className="inline-block first-letter:uppercase">{refill.told}.</span>
        </Notice>
      )}
      <p>
        <b>{volume(refill.stays_l)}</b> stay behind when the tank is drained
        {refill.drawn_l > 0.05 && (
          <>
            ; in this posture the tank holds <b>{volume(refill.drawn_l)}</b> less than with all rods
            in
          </>
        )}
        . Most in:{" "}
        {refill.stays
          .slice(0, 3)
          .map((h) => `${h.label} ${volume(h.litres)}`)
          .join(", ")}
        .
      </p>
      <p>
        <b>
          {fills} {fills === 1 ? "fill" : "fills"}, {volume(refill.fresh_l)} of fresh oil
        </b>{" "}
        until {show(left * 100)} % of the old is left. Cycle every function to its ends between
        fills.
      </p>
      {refill.priming.length > 0 && (
        <div>
          <b>Fill before it turns</b>
          <ul className="list-inside list-disc">
            {refill.priming.map((p) => (
              <li key={p.pump}>
                {p.label}: {p.fill.map((h) => `${h.label} ${volume(h.litres)}`).join(", ")}
              </li>
            ))}
          </ul>
        </div>
      )}
      {refill.bleeding.length > 0 && (
        <div>
          <b>Bleed</b>
          <ul className="list-inside list-disc">
            {refill.bleeding.map((line) => (
              <li key={line.component}>
                {line.label} ({line.rise_m > 0 ? "+" : ""}
                {show(line.rise_m)} m):{" "}
                {line.rise_m < 0
                  ? `goes down; its air stays below ${sized(line.carries_from_lpm, "flow", units)}`
                  : "any flow takes its air along"}
              </li>
            ))}
          </ul>
        </div>
      )}
      <p className="text-soft">
        The maker's fluid, the posture the level is given for and local rules go before this.
      </p>
    </div>
  );
}

/** Oil for a repair: what stays where, how many fills, what is filled by hand, how it is bled. */
export function OilPlan({
  revision,
  schematic,
  units,
}: {
  revision: number;
  schematic: Schematic;
  units: Unit[];
}) {
  const [tank, setTank] = useState("");
  const [drained, setDrained] = useState("");
  const [posture, setPosture] = useState<Record<string, string>>({});
  const safe = useSafe(revision);
  const inTank = litres(tank);
  const ranOut = litres(drained);
  const planned = useRefill(
    revision,
    inTank === null || inTank === 0
      ? null
      : {
          tank_l: inTank,
          drained_l: ranOut ?? undefined,
          posture: Object.entries(posture).map(([id, share]) => `${id}=${share}`),
        },
  );
  return (
    <details className="text-sm">
      <summary className="flex min-h-11 cursor-pointer items-center font-bold">
        Oil: drain, flush, fill, bleed
      </summary>
      <div className="grid gap-2 rounded-md border border-line bg-card p-3">
        <UnderPressure plan={safe.data?.plan ?? null} />
        <div className="grid grid-cols-2 items-end gap-2">
          <label className="grid gap-1">
            In the tank at its level [L]
            <input
              className={FIELD}
              inputMode="decimal"
              value={tank}
              onChange={(e) => setTank(e.target.value)}
            />
          </label>
          <label className="grid gap-1">
            Ran out of it [L], if measured
            <input
              className={FIELD}
              inputMode="decimal"
              value={drained}
              onChange={(e) => setDrained(e.target.value)}
            />
          </label>
        </div>
        {schematic.functions.map((f) => (
          <div key={f.id} className="grid grid-cols-[1fr_9rem] items-center gap-2">
            <span>{f.label} stands</span>
            <Select
              label={`${f.label} stands`}
              value={posture[f.id] ?? "0"}
              onChange={(share) => setPosture({ ...posture, [f.id]: share })}
              options={POSTURES}
            />
          </div>
        ))}
        {planned.error && <Failure error={planned.error} />}
        {planned.data ? (
          <Planned refill={planned.data} units={units} />
        ) : (
          !planned.error && <p className="text-soft">Say how much the tank holds at its level.</p>
        )}
      </div>
    </details>
  );
}
