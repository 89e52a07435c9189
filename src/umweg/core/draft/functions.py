"""Functions found by trying: which command moves which actuator, which way, and what turns by itself."""

import itertools
from collections.abc import Iterator, Sequence, Set
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from umweg.core.circuit.document import Circuit, Function
from umweg.core.draft.actuators import (
    Actuator,
    Call,
    calls_of,
    kind_of,
    speeds,
)
from umweg.core.solve.steady import SteadySolver

MOVES_MM_S, MOVES_RPM = 2.0, 5.0
"""Slower is no move."""
MOST_PAIRS = 3000
"""Of commands that are tried together."""
RUNS = "run"
"""The move of what turns without a command."""

Moves = dict[str, dict[str, Any]]


@dataclass(frozen=True)
class Found:
    """Functions as a document has them, and what is to be said of them."""

    functions: tuple[dict[str, Any], ...]
    notes: tuple[str, ...]


def functions_of(
    circuit: Circuit,
    solver: SteadySolver,
    everyone: Sequence[Actuator],
    moved: Set[str] = frozenset(),
) -> Found:
    """Functions of what no function moves yet.

    What no single command moves is tried with two at once: a valve and what lets its oil through.
    What turns while nobody commands anything is a function, too. Twins, on one rod or moved by the
    same commands, are one function.

    Parameters
    ----------
    everyone : what oil moves on it
    moved : actuators that have a function
    """
    actuators = [a for a in everyone if a.part.id not in moved]
    if not actuators:
        return Found((), ())
    trial = _Trial(solver, actuators)
    calls = calls_of(circuit)
    alone = trial.moves_of([(c,) for c in calls])
    moves = alone
    if not all(alone):
        pairs = [(a, b) for a, b in itertools.combinations(calls, 2) if a.part != b.part]
        together = trial.moves_of(pairs[:MOST_PAIRS])
        moves = [one or two for one, two in zip(alone, together, strict=True)]
    twins = [(t, m) for t, m in _together(zip(actuators, moves, strict=True)) if m]
    held = [_stays(solver, of_one) for of_one, _ in twins]
    functions = tuple(_function(t, m, h) for (t, m), h in zip(twins, held, strict=True))
    notes = [n for (t, m), h in zip(twins, held, strict=True) for n in _notes(t, m, h)]
    if not moved:
        # A function that was given may well use what those that were found do not.
        used = {key for f in functions for m in f["moves"].values() for key in m["commands"]}
        notes += _unused(calls, used)
    return Found(functions, tuple(notes))


def with_loads(function: Function, everyone: Sequence[Actuator]) -> dict[str, Any]:
    """A function that was given, with the usual loads where it has none."""
    given = function.model_dump(mode="json", exclude_unset=True)
    if "loads" in given:
        return given
    for actuator in everyone:
        if actuator.part.id == function.actuator and actuator.port.name == function.actuator_port:
            load = function.load or actuator.load.id
            return {**given, "load": load, "loads": actuator.loads()}
    return given


class _Trial:
    """A machine whose actuators move lightly, to be given one command after the other."""

    def __init__(self, solver: SteadySolver, actuators: Sequence[Actuator]) -> None:
        self._solver = solver
        self._actuators = actuators
        self._light = {
            f"{a.load.id}.{name}": value
            for a in actuators
            for name, value in a.loads().get("free", {}).items()
        }

    def moves_of(self, tried: Sequence[tuple[Call, ...]]) -> list[Moves]:
        """Moves of each actuator by the commands that were given together."""
        light = self._light
        given = [light, *(light | {c.name: c.value for c in together} for together in tried)]
        found = speeds(self._solver, given, self._actuators)
        return [
            self._of(actuator, tried, found[:, column])
            for column, actuator in enumerate(self._actuators)
        ]

    @staticmethod
    def _of(actuator: Actuator, tried: Sequence[tuple[Call, ...]], speed: Any) -> Moves:
        turns, least = actuator.port.domain == "rotation", _least(actuator)
        rest = float(speed[0])
        # A load that comes down by itself is held by nothing; who turns against his load is driven.
        runs = turns and not actuator.carries and abs(rest) >= least
        moves: Moves = {}
        if runs:
            moves[RUNS] = {"label": "running", "commands": {}, "direction": 1 if rest > 0.0 else -1}
        for together, now in zip(tried, speed[1:], strict=True):
            if not np.isfinite(now) or abs(now) < least or abs(now - rest) < least:
                continue
            way = 1 if now > 0.0 else -1
            if runs and way * rest > 0.0:
                continue  # slower or faster, not another move
            name = _move_name(actuator, way)
            if name in moves:
                if len(together) > 1:
                    continue  # the first two that do it are enough
                name = f"{name}_{together[0].part}"[:60]
            moves[name] = {
                "label": name.replace("_", " "),
                "commands": {c.name: c.value for c in together},
                "direction": way,
            }
        return moves


def _move_name(actuator: Actuator, way: int) -> str:
    if actuator.port.domain == "translation":
        return "out" if way > 0 else "in"
    return "forward" if way > 0 else "back"


def _together(
    found: Iterator[tuple[Actuator, Moves]],
) -> Iterator[tuple[list[Actuator], Moves]]:
    """Actuators with their moves, twins in one."""
    groups: list[tuple[list[Actuator], Moves]] = []
    for actuator, moves in found:
        for others, theirs in groups:
            if theirs == moves and _twins(others[0], actuator, moves):
                others.append(actuator)
                break
        else:
            groups.append(([actuator], moves))
    yield from groups


def _twins(one: Actuator, other: Actuator, moves: Moves) -> bool:
    """On one rod or shaft; or, of one kind and size, moved by the same commands."""
    if one.net == other.net:
        return True
    commanded = bool(moves) and RUNS not in moves
    alike = (one.part.type, one.part.parameters) == (other.part.type, other.part.parameters)
    return commanded and alike and one.load.type == other.load.type


def _loads(actuators: Sequence[Actuator], held: bool) -> dict[str, dict[str, float]]:
    """Of twins on one rod their common load; held only where something holds it."""
    first = actuators[0]
    on_one = sum(a.strength for a in actuators if a.net == first.net)
    loads = replace(first, strength=on_one).loads()
    return loads if held else {name: of for name, of in loads.items() if name != "held"}


def _more_loads(actuators: Sequence[Actuator]) -> list[str]:
    first, *others = actuators
    return list(dict.fromkeys(a.load.id for a in others if a.load.id != first.load.id))


def _function(actuators: Sequence[Actuator], moves: Moves, held: bool) -> dict[str, Any]:
    first = actuators[0]
    found: dict[str, Any] = {
        "id": first.part.id,
        "label": " and ".join(dict.fromkeys(a.part.label for a in actuators)),
        "actuator": first.part.id,
        "actuator_port": first.port.name,
        "stroke_mm": 500 if first.port.domain == "translation" else 0,
        "moves": moves,
        "load": first.load.id,
        "loads": _loads(actuators, held),
    }
    more = _more_loads(actuators)
    return found | ({"more_loads": more} if more else {})


def _stays(solver: SteadySolver, actuators: Sequence[Actuator]) -> bool:
    """Whether the load stays where it is while nobody moves anything."""
    first = actuators[0]
    held = _loads(actuators, True).get("held", {})
    names = [first.load.id, *_more_loads(actuators)]
    on = {f"{load}.{name}": value for load in names for name, value in held.items()}
    return abs(float(speeds(solver, [on], [first])[0, 0])) < _least(first)


def _least(actuator: Actuator) -> float:
    return MOVES_RPM if actuator.port.domain == "rotation" else MOVES_MM_S


def _notes(actuators: Sequence[Actuator], moves: Moves, held: bool) -> Iterator[str]:
    """What was taken for granted, each with how it is said otherwise."""
    first, *others = actuators
    of, load = first.part.id, first.load.id
    if others:
        joined = "”, “".join(a.part.id for a in actuators)
        yield f"“{joined}” move together: one function"
    if RUNS in moves:
        yield f"“{of}” turns while nobody moves anything: a function without a lever"
    elif first.carries:
        yield f"“{load}” is taken to weigh on “{of}” (if it only resists: carries=no in its line)"
        if not held:
            yield (
                f"“{load}” runs away while nobody moves “{of}”: "
                "is what holds it missing, or set too low?"
            )
    elif kind_of(first.load).carried_by:
        yield f"“{load}” is taken to resist only (if it hangs or weighs: carries=yes in its line)"


def _unused(calls: Sequence[Call], used: Set[str]) -> Iterator[str]:
    """Commands that move nothing: joined wrong, or without what they work."""
    for name in dict.fromkeys(c.name for c in calls if c.given):
        if name not in used:
            yield f"“{name}” moves nothing by itself: is what it works joined as on the paper?"
