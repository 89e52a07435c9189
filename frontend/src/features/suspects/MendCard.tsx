import type { Diagnosis } from "../../api/client";
import { Notice } from "../../ui/primitives";
import { percent } from "../../units";

type Mend = NonNullable<Diagnosis["mend"]>;
type Setting = NonNullable<Mend["setting"]>;

const number = (value: number) => value.toLocaleString("en", { maximumSignificantDigits: 3 });

function done(step: Setting["on_the_way"][number]): string {
  if (step.turns !== null) {
    const quarters = Math.round(step.turns * 4) / 4;
    return `${quarters > 0 ? "+" : ""}${quarters} turns`;
  }
  return `${(step.shims ?? 0) > 0 ? "+" : ""}${step.shims} shims`;
}

/** How far the screw goes, and what the gauge shows on the way. */
function SettingTable({ setting }: { setting: Setting }) {
  const unit = setting.unit;
  // What meets its specification is its own target.
  const nothing = setting.as_found === null || setting.as_found === setting.target;
  return (
    <div className="grid gap-1.5">
      <p>
        <b>Set</b> with a gauge at <b>{setting.point_label}</b>, {setting.state_label}:{" "}
        {nothing ? (
          <>
            {setting.as_found === null ? "it should show" : "it shows"} {number(setting.target)}{" "}
            {unit}; nothing to change.
          </>
        ) : (
          <>
            {setting.as_found !== null && `from ${number(setting.as_found)} `}to{" "}
            {number(setting.target)} {unit}.
          </>
        )}
      </p>
      {!setting.within_limit && (
        <Notice tone="stop">
          It would have to go beyond the maker's limit: the spring is weak, replace it.
        </Notice>
      )}
      {!nothing && setting.on_the_way.length > 0 && (
        <table className="w-full text-left">
          <thead>
            <tr className="text-soft">
              <th className="font-normal">Turned by</th>
              <th className="font-normal">Gauge shows</th>
            </tr>
          </thead>
          <tbody>
            {setting.on_the_way.map((step) => (
              <tr key={done(step)} className="border-line border-t">
                <td>{done(step)}</td>
                <td>
                  {number(step.reading)} {unit}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {setting.never_above !== null && (
        <p>
          Never above <b>{number(setting.never_above)}</b> {unit} on this gauge. Nearest to its
          rating then: {setting.weakest}.
        </p>
      )}
      {setting.cautions.map((text) => (
        <Notice key={text} tone="warn">
          {text}
        </Notice>
      ))}
      <p className="text-soft">{setting.source}</p>
    </div>
  );
}

/** The first repair, made: what for how much, what to look for in hand, and what if it is not that. */
export function MendCard({ mend, currency }: { mend: Mend; currency: string }) {
  const money = (sum: number) => `${sum.toFixed(0)}\u00a0${currency}`;
  return (
    <section
      aria-label={`Mend ${mend.label}`}
      className="grid gap-2 rounded-lg border border-line bg-card p-3 text-sm"
    >
      <h3 className="font-bold text-base">
        Mend: {mend.label}
        {mend.location && <span className="font-normal text-soft">, {mend.location}</span>}
      </h3>
      {mend.cautions.map((text) => (
        <Notice key={text} tone="stop">
          {text}
        </Notice>
      ))}
      <ul className="grid gap-1.5">
        {mend.options.map((option) => (
          <li key={option.work} className="flex items-baseline justify-between gap-3">
            <span>
              {option.words}{" "}
              <span className="text-soft">
                parts {money(option.part_cost)}, {Math.round(option.labour_min)} min, cures it in{" "}
                {percent(option.share)} of all cases
              </span>
            </span>
            <b className="whitespace-nowrap">{money(option.cost)}</b>
          </li>
        ))}
      </ul>
      {mend.look_for.length > 0 && (
        <p>
          <b>In hand, look for:</b> {mend.look_for.join(" ")}
        </p>
      )}
      {mend.beside.length > 0 && (
        <p>
          <b>Behind the same cover:</b>{" "}
          {mend.beside
            .map((b) => `${b.label} (${percent(b.share)}, ${money(b.cost)} more)`)
            .join("; ")}
          .
        </p>
      )}
      {mend.if_not.length > 0 && (
        <p>
          <b>If it is not that:</b> {mend.if_not.join("; ")}.
        </p>
      )}
      {mend.setting && <SettingTable setting={mend.setting} />}
    </section>
  );
}
