"""The next step: the observation with the most expected information per minute, if it is safe."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.diagnose.evidence import (
    BEHAVIOURS,
    Belief,
    behaviour_probabilities,
    foam_probability,
    indicator_probability,
    noise_sd,
    spread_band,
)
from umweg.core.diagnose.hazards import (
    LIVE,
    REFUSE_TEST_ABOVE,
    Hazard,
    live_line_cautions,
    pressure_hazard,
)
from umweg.core.observe.observations import (
    Behaviour,
    IndicatorLook,
    Instrument,
    Look,
    Observation,
    Reading,
)
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import UNIT_OF_KIND, Quantity, place_label
from umweg.core.units import to_base

GRID = 48
READ_MIN = 1.0
LOOK_MIN = 2.0
INLINE_MIN = 18.0
CAP_MIN = 10.0
WARM_MIN_PER_C = 0.25
COOL_MIN_PER_C = 1.0
START_OIL_C = 20.0
COMEBACK_MIN = 90.0
RISK_AVERSION = 4.0
DETAILED = 12
DETAILED_REFUSED = 4
"""How many steps, offered and refused, are worked out in full."""


@dataclass(frozen=True)
class Band:
    """What someone would show: nine times out of ten between these, in base units."""

    key: str
    low: float
    high: float


@dataclass(frozen=True)
class Step:
    """One observation that could be made next."""

    kind: str
    point: str
    point_label: str
    quantity: str
    unit: str
    state: str
    state_label: str
    minutes: float
    bits: float
    healthy: Band | None
    by_suspect: tuple[Band, ...]
    hazard: Hazard | None
    cautions: tuple[str, ...]
    fitting: str
    instrument: Instrument | None
    highest_bar: float | None
    saving: float
    """Expected money saved by knowing, less the time it takes; below 0 it is not worth it."""
    outcomes: tuple[tuple[str, float], ...] = ()
    """For looks: each word and its probability."""
    refused: str = ""

    @property
    def bits_per_minute(self) -> float:
        """What steps are ranked by: information per minute, less where a rating is at risk."""
        risk = 0.0 if self.hazard is None else min(RISK_AVERSION * self.hazard.share, 0.9)
        return self.bits / self.minutes * (1.0 - risk)


@dataclass(frozen=True)
class Money:
    """What a repair costs, per component, and what labour costs per minute.

    A wrong one costs that, and the minutes until the machine is back and looked at again.
    """

    labour_per_min: float = 1.5
    repair_cost: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Setup:
    """What is already connected and how the machine stands, from what was done last."""

    state: MachineState | None = None
    points: frozenset[str] = frozenset()

    def minutes(self, circuit: Circuit, state: MachineState, point: str | None) -> float:
        """Minutes until a reading in ``state`` at ``point`` can be taken."""
        last = self.state
        total = READ_MIN
        same = last is not None and last.model_dump(exclude={"label"}) == state.model_dump(
            exclude={"label"}
        )
        if not same:
            total += state.setup_min
        oil_c = START_OIL_C if last is None else last.oil_c
        warmer = state.oil_c - oil_c
        total += warmer * WARM_MIN_PER_C if warmer > 0 else -warmer * COOL_MIN_PER_C
        known = set() if last is None else {(i.point, i.kind) for i in last.interventions}
        for kit in state.interventions:
            if (kit.point, kit.kind) not in known:
                total += INLINE_MIN if kit.kind == "inline_flow" else CAP_MIN
                total += (
                    0.0 if kit.point in self.points else circuit.test_point(kit.point).access_min
                )
        inline = {i.point for i in state.interventions if i.kind == "inline_flow"}
        if point is not None and point not in self.points | inline:
            total += circuit.test_point(point).access_min
        return total


def setup_after(circuit: Circuit, observations: Sequence[Observation]) -> Setup:
    """How the machine stands after the observations so far, in the order they were made."""
    state: MachineState | None = None
    points: set[str] = set()
    for observation in observations:
        if isinstance(observation, Reading):
            named = observation.state
            state = circuit.states.get(named) if isinstance(named, str) else named
            if observation.quantity in ("pressure_bar", "flow_lpm", "voltage_v"):
                points.add(observation.point)
    return Setup(state, frozenset(points))


class Planner:
    """Ranks what could be observed next for one belief."""

    def __init__(
        self,
        predictor: Predictor,
        belief: Belief,
        weight: Array,
        suspects: Sequence[str],
        instruments: Sequence[Instrument],
        money: Money,
    ) -> None:
        self.predictor = predictor
        self.circuit = predictor.circuit
        self.belief = belief
        self.weight = weight
        self.suspects = suspects
        self.instruments = instruments
        self.money = money
        self._judged: dict[str, tuple[Hazard | None, list[str]]] = {}
        self._index = {h.key: i for i, h in enumerate(predictor.population.hypotheses)}
        population = predictor.population
        self.live = np.flatnonzero(weight > LIVE)
        owners = population.hypothesis[self.live]
        self.owners, index = np.unique(owners, return_inverse=True)
        self.member = np.zeros((len(self.owners), len(self.live)))
        self.member[index, np.arange(len(self.live))] = weight[self.live]
        self.hypothesis_weight = self.member.sum(axis=1)
        self.key_of = {population.hypotheses[h].key: i for i, h in enumerate(self.owners)}
        cost = money.repair_cost
        comeback = COMEBACK_MIN * money.labour_per_min
        parts = [{f.component_id for f in population.hypotheses[h].faults} for h in self.owners]
        self.decisions = sorted({p for group in parts for p in group})
        self.wasted = np.array(
            [
                [0.0 if d in group else cost.get(d, 0.0) + comeback for group in parts]
                for d in self.decisions
            ]
        ).reshape(len(self.decisions), len(self.owners))

    def information(self, likelihood: Array) -> tuple[float, float]:
        """Expected bits about the hypothesis, and expected money saved, of an observation.

        Parameters
        ----------
        likelihood : (L, G) probability of each outcome for each live candidate
        """
        joint = self.member @ likelihood
        total = joint.sum()
        joint = joint / total
        outcome = joint.sum(axis=0)
        prior = joint.sum(axis=1)
        with np.errstate(divide="ignore", invalid="ignore"):
            terms = joint * np.log2(joint / (prior[:, None] * outcome[None]))
        bits = float(np.nansum(terms))
        if not len(self.decisions):
            return max(bits, 0.0), 0.0
        now = float((self.wasted @ prior).min())
        then = float((self.wasted @ joint).min(axis=0).sum())
        return max(bits, 0.0), now - then

    def outcomes(self, mean: Array, variance: Array) -> Array:
        """(L, G) probability of each cell of a grid over everything the live candidates show."""
        sd = np.sqrt(variance)
        centre, width = mean[self.live], sd[self.live]
        edges = np.linspace((centre - 4 * width).min(), (centre + 4 * width).max(), GRID + 1)
        middle = 0.5 * (edges[1:] + edges[:-1])
        z = (middle - centre[:, None]) / width[:, None]
        density = np.exp(-0.5 * z * z) / width[:, None]
        density += 1e-12
        result: Array = density / density.sum(axis=1, keepdims=True)
        return result

    def reading_step(
        self, quantity: Quantity, name: str, state: MachineState, setup: Setup
    ) -> Step | None:
        """Judge one reading; None when it is impossible or tells nothing."""
        table = self.predictor[state]
        row = table.row(quantity)
        mean, variance = self.belief.posterior(table.mean[row], table.slope[row])
        point = quantity.place if quantity.at_point else None
        highest = None
        instrument = None
        if quantity.kind == "pressure_bar":
            net = self.circuit.test_point(quantity.place).net
            row_of_net = self.predictor.network.net_index[net]
            pressure = table.solution.across[row_of_net]
            # A gauge must not break because the belief is wrong.
            highest = max(self._highest(pressure), float(table.healthy[row_of_net]))
            lowest = float(mean[self.live].min())
            instrument = self._gauge(highest, lowest)
        elif quantity.kind == "flow_lpm":
            instrument = self._first("flow")
        elif quantity.kind == "voltage_v":
            instrument = self._first("voltage")
        typical = float(np.average(mean[self.live], weights=self.weight[self.live]))
        variance = variance + noise_sd(quantity, typical, instrument) ** 2
        bits, saving = self.information(self.outcomes(mean, variance))
        if bits < 0.01:
            return None
        minutes = setup.minutes(self.circuit, state, point)
        hazard, live_lines = self._safety(name, state)
        refused = hazard.words if hazard is not None and hazard.refused else ""
        if point is not None and instrument is None:
            what = {"flow_lpm": "flow meter", "voltage_v": "voltmeter"}.get(
                quantity.kind, f"gauge up to {highest or 0.0:.0f} bar"
            )
            refused = refused or f"the workshop has no {what}"
        return Step(
            "reading",
            quantity.place,
            place_label(self.circuit, quantity),
            quantity.kind,
            UNIT_OF_KIND[quantity.kind],
            name,
            state.label,
            minutes,
            bits,
            None,
            (),
            hazard,
            (*state.cautions, *live_lines),
            "" if point is None else self.circuit.test_point(point).fitting,
            instrument,
            highest,
            saving - minutes * self.money.labour_per_min,
            (),
            refused,
        )

    def _first(self, measures: str) -> Instrument | None:
        return next((i for i in self.instruments if i.measures == measures), None)

    def _safety(self, name: str, state: MachineState) -> tuple[Hazard | None, list[str]]:
        """Hazard and live lines of a named state, judged once for all that is read in it."""
        if name not in self._judged:
            self._judged[name] = (
                pressure_hazard(self.predictor, state, self.weight),
                live_line_cautions(self.circuit, self.predictor, state),
            )
        return self._judged[name]

    def with_bands(self, step: Step) -> Step:
        """A reading step with what the healthy machine and each suspect would show."""
        if step.kind != "reading":
            return step
        quantity = Quantity.named(step.quantity, step.point)
        table = self.predictor[self.circuit.states[step.state]]
        row = table.row(quantity)
        mean, variance = self.belief.posterior(table.mean[row], table.slope[row])
        typical = float(np.average(mean[self.live], weights=self.weight[self.live]))
        variance = variance + noise_sd(quantity, typical, step.instrument) ** 2
        bands = (self._band(key, quantity, mean, variance) for key in self.suspects)
        return replace(
            step,
            healthy=self._band("healthy", quantity, mean, variance),
            by_suspect=tuple(b for b in bands if b is not None),
        )

    def _highest(self, pressure: Array) -> float:
        """The pressure that all but a share too small to refuse a test for stay below."""
        order = np.argsort(pressure[self.live])[::-1]
        above = np.cumsum(self.weight[self.live][order])
        first = int(np.searchsorted(above, REFUSE_TEST_ABOVE))
        return float(pressure[self.live][order[min(first, len(order) - 1)]])

    def _gauge(self, highest_bar: float, lowest_bar: float) -> Instrument | None:
        """The finest gauge whose range holds the highest pressure any live candidate could make."""
        fit = [
            i
            for i in self.instruments
            if i.measures == "pressure"
            and to_base(i.high, i.unit) >= highest_bar
            and to_base(i.low, i.unit) <= max(lowest_bar, -0.9)
        ]
        wide = [
            i
            for i in self.instruments
            if i.measures == "pressure" and to_base(i.high, i.unit) >= highest_bar
        ]
        chosen = fit or ([] if lowest_bar < -0.05 else wide)
        return min(chosen, key=lambda i: to_base(i.high, i.unit) * i.accuracy_pct, default=None)

    def _band(self, key: str, quantity: Quantity, mean: Array, variance: Array) -> Band | None:
        index = self._index.get(key)
        if index is None:
            return None
        members = self.predictor.population.members[index]
        weight = self.weight[members]
        if weight.sum() < 1e-12:
            weight = np.ones(len(members))
        low, high = spread_band(quantity, mean[members], variance[members], weight)
        return Band(key, low, high)

    def look_step(
        self,
        kind: str,
        place: str,
        label: str,
        state: tuple[str, str],
        words: Sequence[str],
        probability: Array,
        minutes: float,
    ) -> Step:
        """Judge something that is seen, not measured; ``probability (W, C)``."""
        bits, saving = self.information(probability[:, self.live].T + 1e-9)
        expected = probability[:, self.live] @ (
            self.weight[self.live] / self.weight[self.live].sum()
        )
        return Step(
            kind,
            place,
            label,
            kind,
            "",
            *state,
            minutes,
            bits,
            None,
            (),
            None,
            (),
            "",
            None,
            None,
            saving - minutes * self.money.labour_per_min,
            tuple((w, float(p)) for w, p in zip(words, expected, strict=True)),
        )


def next_steps(planner: Planner, observations: Sequence[Observation]) -> list[Step]:
    """Everything that could be observed next, best first; refused ones last, with their reason."""
    circuit, predictor = planner.circuit, planner.predictor
    setup = setup_after(circuit, observations)
    predictor.prepare(circuit.states.values())
    steps: list[Step] = []
    taken = {
        (o.quantity.replace("time_s", "speed_mm_s"), o.point, o.state)
        for o in observations
        if isinstance(o, Reading) and isinstance(o.state, str)
    }
    for name, state in circuit.states.items():
        if state.engine == "off" and circuit.prime_movers:
            continue
        for quantity in predictor.quantities:
            if (quantity.kind, quantity.place, name) in taken:
                continue
            if _readable(circuit, quantity, state):
                step = planner.reading_step(quantity, name, state, setup)
                if step is not None:
                    steps.append(step)
    steps += _looks(planner, observations, setup)
    steps.sort(key=lambda s: (bool(s.refused), -s.bits_per_minute, s.point, s.state))
    first_refused = sum(not s.refused for s in steps)
    shown = {*range(DETAILED), *range(first_refused, first_refused + DETAILED_REFUSED)}
    return [planner.with_bands(s) if i in shown else s for i, s in enumerate(steps)]


def _readable(circuit: Circuit, quantity: Quantity, state: MachineState) -> bool:
    """Can this quantity be read in this state at all."""
    if quantity.kind == "pressure_bar":
        methods = circuit.test_point(quantity.place).methods
        return "tee_gauge" in methods
    if quantity.kind == "flow_lpm":
        return any(
            i.point == quantity.place and i.kind == "inline_flow" for i in state.interventions
        )
    if quantity.kind == "voltage_v":
        return True
    if quantity.kind in ("speed_mm_s", "speed_rpm"):
        moving = quantity.place in state.moves
        return moving and state.loads.get(quantity.place) != "stalled" and not state.interventions
    if quantity.kind == "drift_mm_min":
        return quantity.place not in state.moves and state.loads.get(quantity.place) == "held"
    return False


def _looks(planner: Planner, observations: Sequence[Observation], setup: Setup) -> list[Step]:
    """Free looks: indicators, oil, and functions nobody has spoken of yet."""
    circuit, predictor = planner.circuit, planner.predictor
    steps = []
    seen = {o.component for o in observations if isinstance(o, IndicatorLook)}
    running = next(
        (
            n
            for n, s in circuit.states.items()
            if not s.moves and s.engine == "rated" and not s.interventions
        ),
        None,
    )
    if running is not None:
        state = circuit.states[running]
        for quantity in predictor.quantities:
            if quantity.kind == "filter_drop_bar" and quantity.place not in seen:
                trip = indicator_probability(predictor, quantity.place, state)
                minutes = setup.minutes(circuit, state, None)
                steps.append(
                    planner.look_step(
                        "indicator",
                        quantity.place,
                        place_label(circuit, quantity),
                        (running, state.label),
                        component_type(circuit.component(quantity.place).type).indicator_words,
                        np.stack([trip, 1.0 - trip]),
                        minutes,
                    )
                )
    if not any(isinstance(o, Look) for o in observations):
        foam = foam_probability(predictor)
        steps.append(
            planner.look_step(
                "oil",
                "tank",
                "Oil at the sight glass",
                ("", "engine off, level posture"),
                ("foamy", "not foamy"),
                np.stack([foam, 1.0 - foam]),
                LOOK_MIN,
            )
        )
    spoken = {(o.function, o.move) for o in observations if isinstance(o, Behaviour)}
    for function in circuit.functions:
        for move, call in function.moves.items():
            if (function.id, move) in spoken:
                continue
            words = behaviour_probabilities(predictor, function.id, move, "warm")
            steps.append(
                planner.look_step(
                    "behaviour",
                    f"{function.id}.{move}",
                    f"{function.label} {call.label}",
                    ("", "rated speed, warm oil, light and loaded"),
                    BEHAVIOURS,
                    words,
                    3.0,
                )
            )
    return [s for s in steps if s.bits >= 0.01]
