"""What each candidate machine would show for everything that can be observed.

Evidence is weighed from exhibits alone. They are made by playing the machines (:class:`Played`),
or found where they were kept; whoever weighs does not know which.
"""

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol, get_args

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.errors import ObservationError
from umweg.core.faults.population import Population, single_faults, unknowns_of
from umweg.core.network.network import Network
from umweg.core.observe.observations import (
    OIL_C_OF_WHEN,
    Behaviour,
    How,
    IndicatorLook,
    Observation,
    OilLook,
    Reading,
    measured,
    resolve_state,
)
from umweg.core.observe.predict import Predictor, state_key
from umweg.core.observe.quantities import (
    STANDS_SHARE,
    Quantity,
    check_quantity,
    drift_of,
    moved_net,
    speed_of,
    to_scale,
)

BEHAVIOURS: tuple[How, ...] = get_args(How)
OIL_LOOKS: tuple[OilLook, ...] = get_args(OilLook)


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
        """How many unknowns a prediction has slopes to: the machine's own, and the severity."""
        return len(unknowns_of(self.network).keys) + 1


@dataclass(frozen=True)
class Shown:
    """One quantity in one state, for each of C candidates, on its comparison scale.

    ``mean (C,)``, ``slope (U + 1, C)`` per standard deviation of each unknown, ``known (C,)``
    False where the solver found no solution.
    """

    mean: Array
    slope: Array
    known: NDArray[np.bool_]


class NotPlayedError(LookupError):
    """What the candidates would show here was not worked out yet."""


class Exhibits(Protocol):
    """Where evidence finds what each candidate would show."""

    @property
    def suspects(self) -> Suspects:
        """The candidates that are asked."""
        ...

    def shown(self, quantity: Quantity, state: MachineState) -> Shown:
        """A quantity that can be measured."""
        ...

    def words(self, function_id: str, move: str, when: str) -> Array:
        """(6, C) probability of each word of ``BEHAVIOURS``."""
        ...

    def tripped(self, component_id: str, state: MachineState) -> Array:
        """(C,) probability that a filter's indicator is seen tripped."""
        ...

    def foamy(self) -> Array:
        """(C,) probability that the oil looks foamy."""
        ...


def state_digest(state: MachineState) -> str:
    """A state in twenty letters: the same for states that differ only in wording."""
    return hashlib.sha256(state_key(state).encode()).hexdigest()[:20]


def shown_name(quantity: Quantity, state: MachineState) -> str:
    """Stable name of an exhibit."""
    return f"shown/{quantity.kind}/{quantity.place}/{state_digest(state)}"


def words_name(function_id: str, move: str, when: str) -> str:
    """Stable name of an exhibit."""
    return f"words/{function_id}/{move}/{when}"


def tripped_name(component_id: str, state: MachineState) -> str:
    """Stable name of an exhibit."""
    return f"tripped/{component_id}/{state_digest(state)}"


FOAMY_NAME = "foamy"


class Played:
    """Exhibits made by solving the candidates."""

    def __init__(self, predictor: Predictor) -> None:
        self.predictor = predictor
        self.suspects = Suspects(predictor.circuit, predictor.network, predictor.population)

    def shown(self, quantity: Quantity, state: MachineState) -> Shown:
        """A quantity that can be measured."""
        table = self.predictor[state]
        row = table.row(quantity)
        return Shown(table.mean[row], table.slope[row], table.known)

    def words(self, function_id: str, move: str, when: str) -> Array:
        """(6, C) probability of each word of ``BEHAVIOURS``, from solved speeds and drift.

        Light speed below an eighth of the healthy one is “dead”, or “reversed” where the function
        goes the other way, light or loaded; light but not loaded is “weak”; below 85 % is “slow”;
        a held load that moves more than 10 mm/min “drifts”. The limits are soft, by the spread of
        the prediction and of the operator's eye.
        """
        predictor = self.predictor
        *moving, held = behaviour_states(predictor.circuit, function_id, move, when)
        can_drift = "held" in predictor.circuit.function(function_id).loads
        predictor.prepare([*moving, held] if can_drift else moving)
        speed = speed_of(predictor.circuit, function_id)
        net = predictor.network.net_index[moved_net(predictor.circuit, function_id)]
        ratios, spreads = [], []
        for state in moving:
            table = predictor[state]
            row = table.row(speed)
            healthy = max(float(table.mean[row, 0]), 1e-3)
            along = np.sign(table.solution.across[net] * table.healthy[net])
            ratios.append(along * table.mean[row] / healthy)
            spread = np.sqrt((table.slope[row] ** 2).sum(axis=0)) / healthy
            spreads.append(np.hypot(np.minimum(spread, 0.3), 0.06))
        light, loaded = ratios[0], ratios[-1]
        drifts = self._drifts(held, function_id) if can_drift else 0.0 * light
        stands = ndtr((STANDS_SHARE - light) / 0.05)
        back = ndtr((-STANDS_SHARE - np.minimum(light, loaded)) / 0.05)
        weak = ndtr((0.45 - loaded / np.maximum(light, 0.05)) / spreads[-1])
        slow = ndtr((0.85 - np.minimum(light, loaded)) / spreads[-1])
        words: dict[How, Array] = {
            "as_usual": (1.0 - stands) * (1.0 - weak) * (1.0 - slow),
            "slow": (1.0 - stands) * (1.0 - weak) * slow,
            "weak": (1.0 - stands) * weak,
            "dead": stands * (1.0 - back),
            "reversed": stands * back,
        }
        told = np.stack([words[word] for word in BEHAVIOURS[:-1]])
        result: Array = np.vstack([told * (1.0 - drifts), drifts[None]])
        return result

    def _drifts(self, held: MachineState, function_id: str) -> Array:
        """(C,) probability that an operator sees a held function move by itself."""
        table = self.predictor[held]
        drift, limit = drift_of(self.predictor.circuit, function_id)
        row = table.row(drift)
        spread = np.hypot(np.sqrt((table.slope[row] ** 2).sum(axis=0)), 0.3)
        mean = np.abs(table.mean[row])
        result: Array = ndtr((mean - float(to_scale(drift, np.asarray(limit)))) / spread)
        return result

    def tripped(self, component_id: str, state: MachineState) -> Array:
        """(C,) probability that a filter's indicator is seen tripped."""
        table = self.predictor[state]
        row = table.row(Quantity("filter_drop_bar", component_id))
        limit = indicator_limit_bar(self.predictor.network, component_id)
        spread = np.hypot(np.sqrt((table.slope[row] ** 2).sum(axis=0)), 0.12 * limit)
        result: Array = ndtr((table.mean[row] - limit) / spread)
        return result

    def foamy(self) -> Array:
        """(C,) probability of foam: air drawn where the pick-up falls low, or by a fault itself."""
        predictor = self.predictor
        table = predictor[LOOKED_AT]
        network, population = predictor.network, predictor.population
        foam = np.zeros(population.count)
        for part in network.parts:
            if part.type == "reservoir":
                pressure = table.solution.across[network.net_index[part.connections["suction"]]]
                foam = np.maximum(foam, ndtr((-0.08 - pressure) / 0.03))
        for index, hypothesis in enumerate(population.hypotheses):
            for w, fault in enumerate(hypothesis.faults):
                if fault.mode.foams:
                    rows = population.members[index]
                    foam[rows] = np.maximum(
                        foam[rows], np.minimum(1.5 * population.severity[rows, w], 1)
                    )
        result: Array = 0.03 + 0.8 * foam
        return result


LOOKED_AT = MachineState(label="neutral at rated speed", engine="rated", oil_c=50)
"""How the machine has run before its oil is looked at."""


def indicator_limit_bar(network: Network, component_id: str) -> float:
    """Pressure drop at which a filter's indicator trips."""
    slot = network.slot[f"{component_id}.indicator_bar"]
    return network.parameters[slot].value


def behaviour_states(
    circuit: Circuit, function_id: str, move: str, when: str
) -> list[MachineState]:
    """The states in which an operator judges a function: light, loaded, held."""
    function = circuit.function(function_id)
    oil_c = OIL_C_OF_WHEN[when]
    states = []
    for load in ("free", "working"):
        if load in function.loads:
            states.append(
                MachineState(
                    label=f"{function.label} {function.moves[move].label}, {load}",
                    engine="rated",
                    oil_c=oil_c,
                    moves={function_id: move},
                    loads={function_id: load},
                )
            )
    states.append(
        MachineState(
            label=f"{function.label} held", engine="idle", oil_c=oil_c, loads={function_id: "held"}
        )
    )
    return states


def check_behaviour(circuit: Circuit, function_id: str, move: str) -> None:
    """Refuse a move that this machine does not have.

    Raises
    ------
    ObservationError : names the moves that there are.
    """
    if not any(f.id == function_id and move in f.moves for f in circuit.functions):
        known = ", ".join(f"{f.id}.{m}" for f in circuit.functions for m in f.moves)
        raise ObservationError(
            f"there is no function “{function_id}.{move}”; the machine has {known}"
        )


def check_indicator(circuit: Circuit, component_id: str) -> None:
    """Refuse an indicator that this machine does not have."""
    check_quantity(circuit, Quantity("filter_drop_bar", component_id))


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


def check_observation(suspects: Suspects, observation: Observation) -> None:
    """Refuse an observation that could never be weighed on this machine.

    Raises
    ------
    ObservationError : it names something the circuit lacks, or its unit or value cannot be.
    StateError : it was made in a state that the circuit cannot be in.
    """
    circuit = suspects.circuit
    if isinstance(observation, Behaviour):
        check_behaviour(circuit, observation.function, observation.move)
    if isinstance(observation, IndicatorLook):
        check_indicator(circuit, observation.component)
    if isinstance(observation, Reading):
        measured(circuit, observation)
    if isinstance(observation, IndicatorLook | Reading):
        suspects.network.state(resolve_state(circuit, observation.state))
