"""Does the healthy machine do what its document says; and if not, is something turned round."""

from collections.abc import Iterator

import numpy as np

from umweg.core.circuit.document import Circuit, Component, Kind, MachineState, Specification
from umweg.core.components import component_type
from umweg.core.errors import Problem, SolveError
from umweg.core.faults.population import healthy_only
from umweg.core.observe.exhibits import Played
from umweg.core.observe.machine import Machine
from umweg.core.observe.normal import normal_cdf
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import SEVERITIES
from umweg.core.observe.quantities import Quantity, from_scale, speed_of, to_scale
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.core.shop.verdict import judge
from umweg.core.solve.respond import CONDITIONS

MET_BY = 0.99
"""Share of healthy machines that meet a specification worth writing down."""
STANDS_BELOW = 0.5
"""Slower than this [mm/s or rpm] a function that is called for does not move at all."""
_PAIRS = (("A", "B"), ("L", "R"), ("X", "Y"), ("coil_a", "coil_b"))


def unmet_specifications(circuit: Circuit) -> list[Problem]:
    """Specifications that the machine as documented does not meet, with the computed value.

    Parameters
    ----------
    circuit : a document that passed the check of its structure
    """
    machine = Machine(circuit)
    return [p for p in (_unmet(machine, s) for s in circuit.specifications) if p]


def tight_specifications(circuit: Circuit) -> list[Problem]:
    """Specifications that too many healthy machines within tolerance would fail.

    A limit inside the spread of good machines sends people after nothing. The share is that of the
    normal spread that the machine's own unknowns give the reading, conditions being as stated.
    """
    predictor = Predictor(circuit, healthy_only())
    try:
        predictor.prepare(circuit.states[s.state] for s in circuit.specifications)
    except SolveError:
        return []
    problems = []
    for spec in circuit.specifications:
        if spec.quantity == "indicator":
            continue
        quantity = Quantity(spec.quantity, spec.point)
        mean, sd = _spread(predictor, quantity, circuit.states[spec.state])
        low, high = (
            bound if v is None else float(to_scale(quantity, np.asarray(v)))
            for v, bound in ((spec.low, -np.inf), (spec.high, np.inf))
        )
        share = float(normal_cdf((high - mean) / sd) - normal_cdf((low - mean) / sd))
        if share < MET_BY:
            ends = from_scale(quantity, np.array([mean - 2.6 * sd, mean + 2.6 * sd]))
            problems.append(
                Problem(
                    "tight",
                    f"specification {spec.id}",
                    f"only {share:.1%} of healthy machines within tolerance meet it",
                    f"99 of 100 show {ends[0]:.4g} … {ends[1]:.4g} {UNIT_OF_KIND[quantity.kind]}",
                )
            )
    return problems


def _spread(predictor: Predictor, quantity: Quantity, state: MachineState) -> tuple[float, float]:
    """Mean and standard deviation among healthy machines, on the quantity's comparison scale."""
    shown = Played(predictor).shown(quantity, state)
    own = shown.slope[: -SEVERITIES - CONDITIONS, 0]
    return float(shown.mean[0]), max(float(np.sqrt((own**2).sum())), 1e-9)


def wrong_moves(circuit: Circuit) -> list[Problem]:
    """Moves that the healthy machine does not make, or makes the other way.

    Only moves that state their direction are judged, at rated speed and light load.
    """
    machine = Machine(circuit)
    return [
        problem
        for function in circuit.functions
        for move in function.moves
        if (problem := _wrong(machine, function.id, move)) is not None
    ]


def turned_round(circuit: Circuit) -> list[Problem]:
    """Connections that, turned round, would mend what the document does not meet.

    Each check valve and each pair of hoses is swapped in turn and the machine solved again; a swap
    that leaves nothing unmet, or at most a third of it, is named.
    """
    found = len(unmet_specifications(circuit)) + len(wrong_moves(circuit))
    if not found:
        return []
    problems = []
    for where, kind, swapped in _swaps(circuit):
        try:
            left = len(unmet_specifications(swapped)) + len(wrong_moves(swapped))
        except SolveError:
            continue
        if left <= found // 3:
            rest = "everything is met" if not left else f"only {left} of {found} findings are left"
            problems.append(
                Problem("turned_round", where, f"{kind}: turned round, {rest}", "swap the two nets")
            )
    return problems


def findings(circuit: Circuit) -> list[Problem]:
    """Everything the solved machine says about its document, causes first."""
    unmet = [*turned_round(circuit), *wrong_moves(circuit), *unmet_specifications(circuit)]
    return unmet or tight_specifications(circuit)


def _unmet(machine: Machine, spec: Specification) -> Problem | None:
    if spec.quantity == "indicator":
        return None
    kind: Kind = spec.quantity
    state = machine.circuit.states[spec.state]
    where = f"specification {spec.id}"
    try:
        value = machine.value(Quantity(kind, spec.point), state)
    except SolveError:
        return Problem("unmet", where, f"the healthy machine has no steady state in “{spec.state}”")
    verdict = judge(spec, value, 0.0)
    if verdict.word == "pass":
        return None
    limits = " … ".join("" if v is None else f"{v:g}" for v in (spec.low, spec.high))
    return Problem(
        "unmet",
        where,
        f"the healthy machine shows {value:.4g} {UNIT_OF_KIND[kind]} in “{spec.state}”, which is "
        f"{verdict.word} against {limits}",
        "mend the parameters or the specification",
    )


def _wrong(machine: Machine, function_id: str, move: str) -> Problem | None:
    circuit = machine.circuit
    function = circuit.function(function_id)
    direction = function.moves[move].direction
    if direction is None:
        return None
    state = MachineState(
        label=f"{function.label} {function.moves[move].label}",
        moves={function_id: move},
        loads={function_id: "free"} if "free" in function.loads else {},
    )
    where = f"function {function_id}, move {move}"
    try:
        speed = machine.signed(speed_of(circuit, function_id), state)
    except SolveError:
        return Problem("wrong_move", where, "the healthy machine has no steady state in this move")
    if abs(speed) < STANDS_BELOW:
        return Problem("wrong_move", where, "the healthy machine does not move")
    if speed * direction < 0.0:
        return Problem("wrong_move", where, "the healthy machine moves the other way")
    return None


def _swaps(circuit: Circuit) -> Iterator[tuple[str, str, Circuit]]:
    for part in circuit.components:
        kind = component_type(part.type)
        names = kind.port_names()
        if kind.one_way and names == ("inlet", "outlet"):
            label = f"{kind.label} points the wrong way"
            yield f"component {part.id}", label, _swapped(circuit, part, "inlet", "outlet")
        for one, two in _PAIRS:
            if one in names and two in names and part.connections[one] != part.connections[two]:
                label = f"connections of {one} and {two} are a reversed pair"
                yield f"component {part.id}", label, _swapped(circuit, part, one, two)


def _swapped(circuit: Circuit, part: Component, one: str, two: str) -> Circuit:
    joins = {**part.connections, one: part.connections[two], two: part.connections[one]}
    turned = part.model_copy(update={"connections": joins})
    parts = [turned if c.id == part.id else c for c in circuit.components]
    points = []
    for point in circuit.test_points:
        owner, _, port = (point.port or "").partition(".")
        moved = owner == part.id and port in (one, two)
        points.append(point.model_copy(update={"net": joins[port]}) if moved else point)
    return circuit.model_copy(update={"components": parts, "test_points": points})
