"""What each candidate machine would show for everything that can be observed.

Evidence is weighed from exhibits alone. They are made by playing the machines (:class:`Played`),
or found where they were kept; whoever weighs does not know which.
"""

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.faults.population import Population, single_faults, unknowns_of
from umweg.core.network.network import Indices, Network
from umweg.core.observe.predict import Predictor, state_key
from umweg.core.observe.prediction import SEVERITIES
from umweg.core.observe.quantities import Quantity
from umweg.core.solve.respond import CONDITIONS


@dataclass(frozen=True)
class Suspects:
    """A circuit with everything that may be wrong with it: what evidence is weighed over.

    Made from the document alone, nothing is solved for it.
    """

    circuit: Circuit
    network: Network
    population: Population

    @classmethod
    def of(cls, circuit: Circuit) -> "Suspects":
        """Every single fault of a circuit."""
        network = Network(circuit)
        return cls(circuit, network, single_faults(network))

    @cached_property
    def slope_count(self) -> int:
        """How many unknowns a prediction has slopes to: machine, timings, conditions, severities."""
        own = len(unknowns_of(self.network).keys) + len(self.circuit.timings)
        return own + CONDITIONS + SEVERITIES


@dataclass(frozen=True)
class Shown:
    """One quantity in one state, for each of C candidates, on its comparison scale.

    ``mean (C,)``, ``slope (U + T + 4, C)`` per standard deviation of each unknown, ``known (C,)``
    False where the solver found no solution.
    """

    mean: Array
    slope: Array
    known: NDArray[np.bool_]


class NotPlayedError(LookupError):
    """What the candidates would show here was not worked out yet."""


class Sight(Protocol):
    """Something looked at, or asked: its answer is one of a few words.

    Its ``name`` is stable: the answer of every candidate is kept under it.
    """

    @property
    def name(self) -> str:
        """Stable name of what is seen."""
        ...

    def probability(self, predictor: Predictor) -> Array:
        """(W, C) probability of each word, from solved states."""
        ...


class Exhibits(Protocol):
    """Where evidence finds what each candidate would show."""

    @property
    def suspects(self) -> Suspects:
        """The candidates that are asked."""
        ...

    @property
    def solving(self) -> Predictor | None:
        """Who solves the candidates again; nobody where only what was kept is at hand."""
        ...

    def shown(self, quantity: Quantity, state: MachineState) -> Shown:
        """A quantity that can be measured."""
        ...

    def seen(self, sight: Sight) -> Array:
        """(W, C) probability of each word of something that is seen or said."""
        ...


def state_digest(state: MachineState) -> str:
    """A state in twenty letters: the same for states that differ only in wording."""
    return hashlib.sha256(state_key(state).encode()).hexdigest()[:20]


def shown_name(quantity: Quantity, state: MachineState) -> str:
    """Stable name of an exhibit."""
    return f"shown/{quantity.kind}/{quantity.place}/{state_digest(state)}"


class Played:
    """Exhibits made by solving the candidates; what was seen once is remembered."""

    def __init__(self, predictor: Predictor) -> None:
        self.predictor = predictor
        self.suspects = Suspects(predictor.circuit, predictor.network, predictor.population)

    @property
    def solving(self) -> Predictor | None:
        """The one that solved them."""
        return self.predictor

    def shown(self, quantity: Quantity, state: MachineState) -> Shown:
        """A quantity that can be measured."""
        if quantity.timed:
            timed = self.predictor.timed(quantity)
            return Shown(timed.mean, timed.slope, timed.known)
        table = self.predictor[state]
        row = table.row(quantity)
        return Shown(table.mean[row], table.slope[row], table.known)

    def shown_of(self, quantity: Quantity, state: MachineState, some: Indices) -> Shown:
        """The same, of some candidates alone."""
        if quantity.timed:
            timed = self.predictor.timed(quantity)
            return Shown(timed.mean[some], timed.slope[:, some], timed.known[some])
        table = self.predictor[state]
        row = table.row(quantity)
        return Shown(table.mean[row, some], table.slope.of(row, some), table.known[some])

    def seen(self, sight: Sight) -> Array:
        """(W, C) probability of each word of something that is seen or said."""
        seen = self.predictor.seen
        if sight.name not in seen:
            name = f"seen/{sight.name}"
            kept = self.predictor.kept(name)
            if kept is None:
                kept = {"probability": sight.probability(self.predictor)}
                self.predictor.keep(name, kept)
            seen[sight.name] = kept["probability"]
        return seen[sight.name]


Packed = Mapping[str, NDArray[Any]]
"""An exhibit as named arrays, as it is kept."""


SLOPE_FLOOR = 1e-3
"""Slopes below this, in the units of the comparison scale, are nothing beside any gauge's noise."""


def packed_shown(shown: Shown) -> Packed:
    """For keeping: in single precision, and only the slopes to unknowns that matter here."""
    rows = np.flatnonzero(np.abs(shown.slope).max(axis=1) > SLOPE_FLOOR)
    return {
        "mean": shown.mean,
        "rows": rows.astype(np.int32),
        "slope": shown.slope[rows].astype(np.float32),
        "known": shown.known,
    }


def unpacked_shown(arrays: Packed, slope_count: int) -> Shown:
    """The inverse of :func:`packed_shown`, slopes that do not matter being zero."""
    slope = np.zeros((slope_count, len(arrays["mean"])))
    slope[arrays["rows"]] = arrays["slope"]
    return Shown(arrays["mean"], slope, arrays["known"])
