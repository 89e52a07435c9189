"""Flow at several pressures as one step: a meter with its load valve, turned in bit by bit.

One flow at one pressure tells that little comes; how it falls off with pressure tells a leak that
grows with it from a relief that opens, a pump that does not fill, a drive that slips. The meter is in
line once; each further pressure takes a minute.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from umweg.core.circuit.document import Circuit, Intervention, MachineState
from umweg.core.components.base import Array
from umweg.core.diagnose.own import own_step
from umweg.core.diagnose.plan import Planner
from umweg.core.diagnose.setup import READ_MIN
from umweg.core.diagnose.steps import Step
from umweg.core.errors import UmwegError
from umweg.core.observe.kinds.base import resolve_state
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.observations import Observation

PRESSURES = 3
ROUND_BAR = 5.0
"""Nobody turns a load valve to anything finer."""
BELOW_RATING = 0.8
DRAWN = 240
"""Machines that are drawn for what all readings together tell."""


@dataclass(frozen=True)
class FlowCurve:
    """Readings at rising pressures of one meter, and what they tell together.

    ``steps`` : one for each pressure, judged by itself
    """

    loads_bar: tuple[float, ...]
    steps: tuple[Step, ...]
    minutes: float
    bits: float
    saving: float
    """Expected money saved by all of them, less the time they take."""


def meter_of(circuit: Circuit, reading: Reading) -> Intervention | None:
    """The meter in line that a flow is read at; None for any other reading."""
    if reading.quantity != "flow_lpm":
        return None
    state = resolve_state(circuit, reading.state)
    metered = (i for i in state.interventions if i.kind == "inline_flow")
    return next((i for i in metered if i.point == reading.point), None)


def loaded(circuit: Circuit, reading: Reading, load_bar: float) -> Reading:
    """The same flow with the meter's valve turned in to another pressure.

    Raises
    ------
    ValueError : there is no meter in line where it is read.
    """
    meter = meter_of(circuit, reading)
    if meter is None:
        raise ValueError(f"no meter in line at “{reading.point}”")
    if load_bar == meter.load_bar:
        return reading
    state = resolve_state(circuit, reading.state)
    for name, other in circuit.steady.items():
        if _same_but_load(other, state, reading.point, load_bar):
            return reading.model_copy(update={"state": name})
    turned = meter.model_copy(update={"load_bar": load_bar})
    others = [turned if i == meter else i for i in state.interventions]
    label = f"{state.label}; meter loaded to {load_bar:g} bar"
    named = state.model_copy(update={"interventions": others, "label": label})
    return reading.model_copy(update={"state": named})


def _same_but_load(a: MachineState, b: MachineState, point: str, load_bar: float) -> bool:
    """Whether ``a`` is ``b`` with the meter at a point loaded to so much."""

    def bare(state: MachineState) -> dict[str, object]:
        kit = [(i.point, i.kind, i.point == point or i.load_bar) for i in state.interventions]
        left_out = {"label", "cautions", "setup_min", "interventions"}
        return state.model_dump(exclude=left_out) | {"kit": kit}

    own = [i.load_bar for i in a.interventions if i.point == point]
    return own == [load_bar] and bare(a) == bare(b)


def loads_of(circuit: Circuit, reading: Reading) -> tuple[float, ...]:
    """To which pressures a meter's valve is turned in, rising to the highest that is in use there."""
    meter = meter_of(circuit, reading)
    if meter is None:
        return ()
    used = [
        i.load_bar
        for state in circuit.steady.values()
        for i in state.interventions
        if i.point == meter.point and i.kind == meter.kind
    ]
    highest = max([meter.load_bar, *used])
    if highest <= 0.0:
        net = circuit.test_point(meter.point).net
        rated = [
            bar
            for part in circuit.components
            for port, bar in part.ratings.items()
            if part.connections[port] == net
        ]
        highest = BELOW_RATING * min(rated, default=0.0)
    shares = (k / PRESSURES for k in range(1, PRESSURES + 1))
    loads = {ROUND_BAR * round(share * highest / ROUND_BAR) for share in shares}
    # What it is loaded to anyway is one of them.
    loads = {bar for bar in loads if abs(bar - meter.load_bar) > 2.0 * ROUND_BAR}
    return tuple(sorted(loads | {meter.load_bar}))


def flow_curve(
    planner: Planner,
    reading: Reading,
    observations: Sequence[Observation],
    loads_bar: Sequence[float] = (),
) -> FlowCurve | None:
    """All of it judged before it is taken; None where it is no flow at a meter, or a pressure of it
    could do harm or does not settle.

    Parameters
    ----------
    loads_bar : pressures, by default those of :func:`loads_of`
    """
    circuit = planner.circuit
    if meter_of(circuit, reading) is None:
        return None
    loads = tuple(loads_bar) or loads_of(circuit, reading)
    readings = tuple(loaded(circuit, reading, bar) for bar in loads)
    named = {id(s) for s in circuit.steady.values()}
    own = [s for r in readings if id(s := resolve_state(circuit, r.state)) not in named]
    try:
        steps = tuple(own_step(planner, r, observations) for r in readings)
        if len(steps) < 2 or any(s.refused for s in steps):
            return None
        bits, saved = _together(planner, steps)
    except UmwegError:
        return None
    finally:
        planner.predictor.forget(own)
    minutes = max(s.minutes for s in steps) + READ_MIN * (len(steps) - 1)
    saving = saved - minutes * planner.money.labour_per_min
    return FlowCurve(loads, steps, minutes, bits, saving)


def _together(planner: Planner, steps: Sequence[Step]) -> tuple[float, float]:
    """Expected bits and money of all readings together: machines are drawn from the belief, and each
    is weighed by what every candidate would have shown."""
    mean, covariance = planner.joint(steps)
    weight = planner.live_weight / planner.live_weight.sum()
    generator = np.random.default_rng(0)
    chosen = generator.choice(len(weight), size=DRAWN, p=weight)
    root = np.linalg.cholesky(covariance)
    drawn = mean[chosen] + np.einsum(
        "gij,gj->gi", root[chosen], generator.standard_normal((DRAWN, len(steps)))
    )
    inverse, (_, log_det) = np.linalg.inv(covariance), np.linalg.slogdet(covariance)
    log_fit = np.empty((len(weight), DRAWN))
    for g in range(DRAWN):
        error = drawn[g] - mean
        log_fit[:, g] = -0.5 * (np.einsum("li,lij,lj->l", error, inverse, error) + log_det)
    likelihood: Array = np.exp(log_fit - log_fit.max(axis=0))
    likelihood /= weight @ likelihood
    return planner.stakes.information(likelihood + 1e-12)
