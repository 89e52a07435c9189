"""Is a step safe: the worst pressure over all live candidates against the parts' ratings."""

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np

from umweg.core.circuit.document import MachineState
from umweg.core.components.base import Array
from umweg.core.observe.predict import Predictor, state_key
from umweg.core.solve.power import power_balance

REFUSE_TEST_ABOVE = 0.002
"""A step with shop kit in the circuit is refused when this share of the belief breaks a rating."""
REFUSE_OPERATION_ABOVE = 0.5
"""Operating the machine as it is built to be operated, as its operator does every day, is refused
only above this share; below it the hazard is shown as a caution and the step is put back."""
WARN_OPERATION_ABOVE = 0.02
LIVE = 1e-4
HEATS_ABOVE_KW = 4.0
"""Power throttled away that makes a test a matter of seconds."""
HOLD_KJ = 150.0
"""Heat that a valve and the oil about it take before they are too hot: about two litres by 40 K."""
LEAST_HOLD_S = 3.0
NOT_KNOWN = "for {share:.1%} of the belief it is not known what this test would do to the parts"


@dataclass(frozen=True)
class Hazard:
    """What could break, under whom, and how likely."""

    port: str
    pressure_bar: float
    rating_bar: float
    suspect: str
    share: float
    refused: bool
    words: str


def pressure_hazard(
    predictor: Predictor, state: MachineState, weight: Array, tried: bool = False
) -> Hazard | None:
    """The worst rated port in a state over the live candidates; None when there is nothing to say.

    A candidate that found no steady state counts as one that may break a rating: with shop kit in
    the circuit it refuses the step like one that does. Ordinary operation is cautioned only from
    ``WARN_OPERATION_ABOVE`` on: a caution at every step is read by nobody.

    Parameters
    ----------
    tried : something is done in it that the machine's own controls would not: judged as strictly as
        with kit in the circuit
    """
    table = predictor[state]
    live, strictly = weight > LIVE, tried or bool(state.interventions)
    over = live & table.known & (table.overload.ratio > 1.0)
    share = float(weight[over].sum())
    unknown = float(weight[live & ~table.known].sum())
    if strictly:
        if unknown > REFUSE_TEST_ABOVE and share <= REFUSE_TEST_ABOVE:
            return Hazard("", 0.0, 0.0, "", unknown, True, NOT_KNOWN.format(share=unknown))
        if not over.any():
            return None
    elif share < WARN_OPERATION_ABOVE:
        return None
    worst = int(np.where(over, table.overload.ratio, 0.0).argmax())
    port = table.rated_ports[int(table.overload.port[worst])]
    component_id, _, port_name = port.partition(".")
    component = predictor.circuit.component(component_id)
    rating = component.ratings[port_name]
    pressure = float(table.overload.pressure_bar[worst])
    limit = REFUSE_TEST_ABOVE if strictly else REFUSE_OPERATION_ABOVE
    population = predictor.population
    words = (
        f"{component.label} would see {pressure:.0f} bar at port {port_name}, rated "
        f"{rating:.0f} bar, with: {cause_words(predictor, worst)}"
    )
    key = population.hypotheses[int(population.hypothesis[worst])].key
    return Hazard(port, pressure, rating, key, share, share > limit, words)


def cause_words(predictor: Predictor, candidate: int) -> str:
    """What is wrong with a candidate machine, in words."""
    population = predictor.population
    faults = population.hypotheses[int(population.hypothesis[candidate])].faults
    named = (f"{predictor.circuit.component(f.component_id).label}: {f.mode.label}" for f in faults)
    return " and ".join(named) or "a healthy machine"


def heat_caution(predictor: Predictor, state: MachineState) -> str | None:
    """How long a stalled load or a loaded meter may be held, where its heat bounds that.

    What the healthy machine throttles away goes into the oil near the valve that throttles it.
    """
    stalled = "stalled" in state.loads.values()
    if not stalled and not state.interventions:
        return None
    heat_kw = _heat_kw(predictor, state)
    if heat_kw < HEATS_ABOVE_KW:
        return None
    seconds = max(LEAST_HOLD_S, 5 * round(HOLD_KJ / heat_kw / 5))
    return (
        f"{seconds:.0f} seconds at a time at the most: {heat_kw:.0f} kW heat the oil, "
        "hoses and valve get hot"
    )


_HEAT_KW: WeakKeyDictionary[Predictor, dict[str, float]] = WeakKeyDictionary()


def _heat_kw(predictor: Predictor, state: MachineState) -> float:
    """Heat of the healthy machine in a state: the same for every belief, so worked out once."""
    known = _HEAT_KW.setdefault(predictor, {})
    key = state_key(state)
    if key not in known:
        network = predictor.network
        found = power_balance(network, network.state(state), predictor[state].healthy[:, None])
        known[key] = float(found.heat_kw[0])
    return known[key]
