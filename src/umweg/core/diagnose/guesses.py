"""What it would tell to know a number that nobody has measured: the plate, the sheet, a rule."""

from dataclasses import dataclass

import numpy as np

from umweg.core.components import component_type
from umweg.core.diagnose.plan import Planner

LEAST_BITS = 0.05
MOST_GUESSES = 3


@dataclass(frozen=True)
class Guess:
    """A number that stands as a typical one or a guess, and what knowing it would tell."""

    component_id: str
    parameter: str
    value: float
    unit: str
    bits: float
    """Expected information about what is wrong."""


def guesses_of(planner: Planner) -> list[Guess]:
    """The few guesses that cost most.

    A number's own value is a quantity like any other: each live candidate believes it to lie
    somewhere after what was read, and where they differ, knowing it tells them apart.
    """
    predictor = planner.predictor
    found = []
    rows = {key: row for row, key in enumerate(predictor.unknowns.keys)}
    for part in planner.circuit.components:
        for name in part.typical:
            row = rows.get(f"{part.id}.{name}")
            if row is None:
                continue
            bits = planner.bits_of_unknown(row)
            if bits >= LEAST_BITS:
                slot = predictor.network.slot[f"{part.id}.{name}"]
                value = predictor.network.parameters[slot].value
                unit = component_type(part.type).unit(name)
                found.append(Guess(part.id, name, float(value), unit, bits))
    order = np.argsort([-g.bits for g in found], kind="stable")
    return [found[i] for i in order[:MOST_GUESSES]]
