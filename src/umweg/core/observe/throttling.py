"""Oil that is throttled: what of it a hand feels and an ear hears."""

from collections.abc import Sequence

import numpy as np

from umweg.core.components.base import Array, Domain, evaluate
from umweg.core.network.network import SolvableState
from umweg.core.observe.normal import normal_cdf
from umweg.core.solve.power import KW_PER_BAR_LPM
from umweg.core.solve.steady import Cases, SteadySolver

OIL_W_PER_K_LPM = 27.6
"""What a litre a minute carries away: mineral oil, 870 kg/m³ · 1.9 kJ/(kg·K)."""
HOUSING_W_PER_K = 3.0
"""What a housing gives to the air and to what it is bolted to."""
FELT_K, FELT_SPREAD = 5.0, 0.7
"""How much warmer a hand feels, half the time; the spread of it and of how heat leaves, as ln."""
HEARD_W, HEARD_SPREAD = 30.0, 1.0
HISSING_BAR, HISSING_SPREAD = 30.0, 0.5
"""A hiss wants power to be heard beside the engine, and a jet: below this drop oil runs quietly."""
STANDS: dict[Domain, float] = {"translation": 0.5, "rotation": 1.0}
"""Slower than this [mm/s, rpm] a part stands: what moves makes a noise of its own."""
LEAST = 1e-9
"""Of watts and of litres a minute, so that there is a logarithm and a quotient."""


def felt_and_heard(
    solver: SteadySolver,
    component_id: str,
    states: Sequence[SolvableState],
    cases: Cases,
    across: Array,
) -> tuple[Array, Array]:
    """(B,) chance that a part is felt to be warmer than what feeds it, and that it hisses.

    What it takes in at its ports and does not give to another one becomes heat, which the oil that
    runs through it and its housing carry away. While its shaft or rod moves, a hiss is not told
    from its running.

    Parameters
    ----------
    across : (N_all, B) solved
    """
    network = solver.network
    kind, nets, own = network.laid_out(component_id)
    parameters = solver.parameters_of(states, cases)
    viscosity = network.viscosity(states, cases.state, parameters)[0]
    at = across[nets]
    through = evaluate(kind, at[None], parameters[None, own], viscosity)[0][0]
    domains = [p.domain for p in kind.ports]
    felt, oil = (
        np.array([d != "electrical" for d in domains]),
        np.array([d == "hydraulic" for d in domains]),
    )
    watt = np.maximum(1e3 * KW_PER_BAR_LPM * (through * at)[felt].sum(axis=0), LEAST)
    flow_lpm = np.maximum(through[oil], 0.0).sum(axis=0) + LEAST
    warmer_k = watt / (OIL_W_PER_K_LPM * flow_lpm + HOUSING_W_PER_K)
    dropped_bar = watt / (1e3 * KW_PER_BAR_LPM) / flow_lpm
    hisses = normal_cdf(np.log(watt / HEARD_W) / HEARD_SPREAD)
    hisses *= normal_cdf(np.log(dropped_bar / HISSING_BAR) / HISSING_SPREAD)
    for domain, speed in zip(domains, at, strict=True):
        hisses *= np.abs(speed) < STANDS.get(domain, np.inf)
    return normal_cdf(np.log(warmer_k / FELT_K) / FELT_SPREAD), hisses
