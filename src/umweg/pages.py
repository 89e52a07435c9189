"""Documentation pages made from the declarations: component types, and each library circuit."""

import inspect
from collections.abc import Callable
from functools import partial
from pathlib import Path

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components import ComponentType, component_types
from umweg.core.diagnose.symptoms import symptoms_of
from umweg.core.errors import SolveError
from umweg.core.observe.machine import Machine
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND, WORDS_OF_KIND
from umweg.core.solve.power import power_balance
from umweg.core.trace.level import drawn_l
from umweg.core.units import sized
from umweg.library import circuit_ids, load_circuit
from umweg.library.hand import CALCULATIONS
from umweg.validation.page import validation_page

METER = "the shop's meter"
HEATERS = 3
"""How many parts that heat the oil most are named for each state."""


Pages = dict[str, Callable[[], str]]
"""Path below ``docs/`` to what makes the page."""


def pages() -> Pages:
    """Every generated page that says the same wherever it is made."""
    found: Pages = {"components.md": components_page, "validation.md": validation_page}
    for name in circuit_ids():
        found[f"circuits/{name}.md"] = partial(_of_library, circuit_page, name)
    return found


def symptom_pages() -> Pages:
    """The pages of symptoms; which of two like readings moves most may differ between processors."""
    return {
        f"symptoms/{name}.md": partial(_of_library, symptoms_page, name) for name in circuit_ids()
    }


def _of_library(page: Callable[[Circuit], str], name: str) -> str:
    return page(load_circuit(name))


def write_pages(folder: Path) -> None:
    """Write all generated pages below a folder."""
    for name, made in {**pages(), **symptom_pages()}.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(made())


def components_page() -> str:
    """Every component type: what it is, its ports, parameters, commands and fault modes."""
    kinds = list(component_types().values())
    modes = sum(len(k.fault_modes) for k in kinds)
    parts = [
        "# Component types",
        f"Made from the declarations by `./umweg formats`: {len(kinds)} types, {modes} fault modes.",
        *(_type_section(kind) for kind in kinds),
    ]
    return "\n\n".join(parts) + "\n"


def _type_section(kind: type[ComponentType]) -> str:
    lines = [f"## {kind.label} (`{kind.type_name}`)", inspect.getdoc(kind) or ""]
    ports = ", ".join(
        f"{p.name} ({p.domain}{'' if p.line == 'working' else ', ' + p.line})" for p in kind.ports
    )
    links = [f"`{n}` moved by a linkage, if it has one" for n in kind.levers]
    links += [f"`{n}` to what it moves" for n in kind.link_names() if n not in kind.levers]
    lines.append(f"Ports: {'; '.join([ports, *links] if ports else links)}.")
    rows = []
    for name, field in kind.Parameters.model_fields.items():
        spread = kind.tolerance(name)
        adjust = ", adjustable" if name in kind.adjustable else ""
        about = f"{field.description}{adjust}"
        rows.append([f"`{name}`", kind.unit(name), _n(field.default), f"{spread:.1%}", about])
    lines.append(_table(["parameter", "unit", "default", "spread (1 σ)", "what"], rows))
    if kind.commands:
        listed = (
            f"`{c.name}` {c.low:g} … {c.high:g}, at rest {c.default:g}" for c in kind.commands
        )
        lines.append(f"Commands: {'; '.join(listed)}.")
    if kind.fault_modes:
        rows = [
            [m.label, m.family, f"{m.base_rate:g}", _severe(m.parameter, m.scale, m.severe), m.look]
            for m in kind.fault_modes
        ]
        lines.append(_table(["fault", "family", "rate", "at its worst", "confirmed by eye"], rows))
    lines.append(f"Worked example: {kind.example.source}.")
    return "\n\n".join(lines)


def _severe(parameter: str, scale: str, severe: float) -> str:
    return f"`{parameter}` × {severe:.3g}" if scale == "factor" else f"`{parameter}` to {severe:g}"


def circuit_page(circuit: Circuit) -> str:
    """A library circuit: parts, moves, hand calculations, specifications, where its power goes."""
    machine = Machine(circuit)
    parts = [
        f"# {circuit.name}",
        f"{circuit.machine_kind.capitalize()}, circuit family {', '.join(circuit.family)}; oil "
        f"{circuit.fluid.grade}. Made by `./umweg formats` from `{circuit.id}.json`; all machines, "
        "makers and numbers are made up.",
        *circuit.notes.values(),
        "## Hand calculation\n\nWhat a pencil gives beside what the solver gives.",
        _hand_table(circuit, machine),
        "## Specifications",
        _specification_table(circuit, machine),
        "## Moves",
        _moves_table(circuit),
        "## Where the power goes\n\nDriven is what engine or battery put in; it closes with load "
        "and heat.",
        _heat_table(circuit, machine),
        "## Parts",
        _table(
            ["part", "type", "where"],
            [[c.label, f"`{c.type}`", c.location] for c in circuit.components],
        ),
    ]
    return "\n\n".join(parts) + "\n"


def symptoms_page(circuit: Circuit) -> str:
    """What each fault of a circuit shows at three severities, and who looks alike."""
    predictor = Predictor.of(circuit)
    parts = [
        f"# Symptoms: {circuit.name}",
        "What each fault moves most, healthy → faulted, and in brackets how many standard "
        "deviations of what healthy machines show that is. Severities run from 0 to 1. Made by "
        "`./umweg formats` with the solver that diagnoses.",
    ]
    for fault in symptoms_of(predictor):
        rows = [
            [
                f"{shown.severity:.2f}",
                "; ".join(f"{what}: {word}" for what, word in shown.said) or "nothing",
                "; ".join(
                    f"{WORDS_OF_KIND[m.quantity.kind]} at {m.quantity.place} in `{m.state}` "
                    f"{_n(m.healthy)} → {_n(m.faulted)} {UNIT_OF_KIND[m.quantity.kind]} "
                    f"({m.widths:+.0f})"
                    for m in shown.moved[:2]
                    if abs(m.widths) >= 1.0
                )
                or "nothing",
            ]
            for shown in fault.shown
        ]
        parts += [f"## {fault.label} (`{fault.key}`)"]
        parts += [_table(["severity", "the operator says", "moved most"], rows)]
        alike = f" Looks like {', '.join(f'`{a}`' for a in fault.alike)}." if fault.alike else ""
        parts += [f"By eye: {fault.look}{alike}"]
    return "\n\n".join(parts) + "\n"


def _hand_table(circuit: Circuit, machine: Machine) -> str:
    rows = []
    for hand in CALCULATIONS.get(circuit.id, ()):
        state = circuit.states[hand.state]
        solved = machine.value(Quantity(hand.kind, hand.place), state)
        unit = UNIT_OF_KIND[hand.kind]
        what = f"{WORDS_OF_KIND[hand.kind]} at {hand.place}, {state.label}"
        rows.append([what, hand.formula, f"{_n(hand.value)} {unit}", f"{_n(solved)} {unit}"])
    return _table(["reading", "reckoned", "by hand", "solved"], rows)


def _specification_table(circuit: Circuit, machine: Machine) -> str:
    rows = []
    for spec in circuit.specifications:
        if spec.quantity == "indicator":
            continue
        state = circuit.states[spec.state]
        solved = machine.value(Quantity(spec.quantity, spec.point), state)
        limits = " … ".join("" if v is None else f"{v:g}" for v in (spec.low, spec.high))
        unit = UNIT_OF_KIND[spec.quantity]
        what = f"{WORDS_OF_KIND[spec.quantity]} at {spec.point}"
        rows.append([what, state.label, f"{limits} {unit}", f"{_n(solved)} {unit}"])
    return _table(["reading", "state", "specified", "healthy machine"], rows)


def _moves_table(circuit: Circuit) -> str:
    rows = []
    for function in circuit.functions:
        posture = dict.fromkeys([function.id], 1.0)
        oil = drawn_l(circuit, posture) if function.stroke_mm else 0.0
        for move in function.moves.values():
            commands = ", ".join(f"`{k}` = {v:g}" for k, v in move.commands.items()) or "none"
            drawn = sized(oil, "volume") if oil else ""
            rows.append([f"{function.label} {move.label}", commands, drawn])
    return _table(["move", "commands", "oil drawn by the whole stroke"], rows)


def _heat_table(circuit: Circuit, machine: Machine) -> str:
    rows = []
    labels = {c.id: c.label for c in circuit.components}
    for state in circuit.states.values():
        balance = _balance(machine, state)
        if balance is None or max(abs(power) for power in balance[:3]) < 0.05:
            continue
        driven, load, stored, heat, by_part = balance
        worst = sorted(by_part.items(), key=lambda item: -item[1])[:HEATERS]
        named = ", ".join(f"{labels.get(k, METER)} {_n(v)}" for k, v in worst if v > 0.01)
        rows.append([state.label, _n(driven), _n(load), _n(stored), _n(heat), named])
    header = ["state", "driven kW", "load kW", "stored kW", "heat kW", "most of it in [kW]"]
    return _table(header, rows)


def _balance(
    machine: Machine, state: MachineState
) -> tuple[float, float, float, float, dict[str, float]] | None:
    network = machine.network
    solvable = network.state(state)
    try:
        across = machine.across(state)
    except SolveError:
        return None
    found = power_balance(network, solvable, across[:, None])
    by_part = {part: float(kw[0]) for part, kw in found.heat_by_part_kw.items()}
    sums = (found.driven_kw, found.load_kw, found.stored_kw, found.heat_kw)
    driven, load, stored, heat = (float(kw[0]) for kw in sums)
    return driven, load, stored, heat, by_part


def _n(value: float) -> str:
    """Three figures, and no sign on what is nothing."""
    text = f"{value:.3g}" if abs(value) < 1000 else f"{value:.0f}"
    return "0" if abs(value) < 5e-4 and "e" in text else text


def _table(header: list[str], rows: list[list[str]]) -> str:
    lines = [header, ["---"] * len(header), *rows]
    return "\n".join(f"| {' | '.join(cells)} |" for cells in lines)
