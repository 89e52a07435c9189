import type { MachineState, Schematic } from "../../api/client";
import { FIELD, Select } from "../../ui/primitives";
import { type KitTold, kitPlaces, LOAD_WORDS, standing, type Told } from "./onTheSpot";

interface LeversProps {
  schematic: Schematic;
  named: MachineState;
  told: Told;
  onTell: (told: Told) => void;
}

/** Levers, loads and what stands in the lines, each as the named state has it until told. */
export function Levers({ schematic, named: document, told, onTell }: LeversProps) {
  const named = standing(document);
  return (
    <details>
      <summary className="flex min-h-11 cursor-pointer items-center font-semibold">
        Levers, loads and shop kit
      </summary>
      <div className="grid gap-3">
        {schematic.functions.map((f) => {
          const move = told.moves?.[f.id] ?? named.moves[f.id] ?? "";
          const usual = move === "" ? "held" : "free";
          const load = told.loads?.[f.id] ?? named.loads[f.id] ?? usual;
          return (
            <fieldset key={f.id} className="grid grid-cols-2 gap-2">
              <legend className="mb-1">{f.label}</legend>
              <Select
                label={`${f.label}: lever`}
                value={move === "" ? "neutral" : move}
                onChange={(to) =>
                  onTell({
                    ...told,
                    moves: { ...told.moves, [f.id]: to === "neutral" ? "" : to },
                  })
                }
                options={[
                  { value: "neutral", label: "in neutral" },
                  ...f.moves.map((m) => ({ value: m.id, label: m.label })),
                ]}
              />
              {f.loads.length > 0 && (
                <Select
                  label={`${f.label}: load`}
                  value={load}
                  onChange={(to) =>
                    onTell({
                      ...told,
                      loads: { ...told.loads, [f.id]: to as (typeof f.loads)[number] },
                    })
                  }
                  options={f.loads.map((l) => ({ value: l, label: LOAD_WORDS[l] }))}
                />
              )}
            </fieldset>
          );
        })}
        {kitPlaces(schematic).map(({ point, kinds }) => (
          <InLine
            key={point.id}
            label={point.label}
            kinds={kinds}
            told={kitTold(named, told, point.id)}
            onTell={(kit) => onTell({ ...told, kit: { ...told.kit, [point.id]: kit } })}
          />
        ))}
      </div>
    </details>
  );
}

function kitTold(named: ReturnType<typeof standing>, told: Told, point: string): KitTold {
  const there = named.interventions.find((i) => i.point === point);
  const asNamed: KitTold = {
    kind: there?.kind ?? "",
    loadBar: there?.load_bar ? String(there.load_bar) : "",
  };
  return told.kit?.[point] ?? asNamed;
}

const KIT_WORDS = { cap: "capped", inline_flow: "flow meter in line" } as const;

interface InLineProps {
  label: string;
  kinds: ("cap" | "inline_flow")[];
  told: KitTold;
  onTell: (kit: KitTold) => void;
}

function InLine({ label, kinds, told, onTell }: InLineProps) {
  return (
    <fieldset className="grid grid-cols-2 gap-2">
      <legend className="mb-1">{label}</legend>
      <Select
        label={`${label}: in line`}
        value={told.kind === "" ? "nothing" : told.kind}
        onChange={(to) =>
          onTell({ ...told, kind: to === "nothing" ? "" : (to as KitTold["kind"]) })
        }
        options={[
          { value: "nothing", label: "nothing in line" },
          ...kinds.map((k) => ({ value: k, label: KIT_WORDS[k] })),
        ]}
      />
      {told.kind === "inline_flow" && (
        <input
          className={FIELD}
          aria-label={`${label}: load valve [bar]`}
          inputMode="decimal"
          placeholder="load valve open [bar]"
          value={told.loadBar}
          onChange={(e) => onTell({ ...told, loadBar: e.target.value })}
        />
      )}
    </fieldset>
  );
}
