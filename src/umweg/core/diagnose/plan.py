"""The next step: the observation with the most expected information per minute, if it is safe."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.diagnose.evidence import noise_sd, spread_band
from umweg.core.diagnose.gauges import first_that, gauge_for, highest_bar
from umweg.core.diagnose.hazards import LIVE, Hazard, live_line_cautions, pressure_hazard
from umweg.core.diagnose.ranking import Band, Ranking
from umweg.core.diagnose.setup import Setup, setup_after
from umweg.core.diagnose.steps import Step
from umweg.core.diagnose.worth import Money, Stakes
from umweg.core.observe.exhibits import BEHAVIOURS, Played
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

GRID = 48
LOOK_MIN = 2.0
WORD_MIN = 3.0
LEAST_BITS = 0.01
"""What tells less than this is not offered."""
DETAILED = 12
DETAILED_REFUSED = 4
"""How many steps, offered and refused, are worked out in full."""


class Planner:
    """Ranks what could be observed next for one belief."""

    def __init__(
        self,
        predictor: Predictor,
        ranking: Ranking,
        instruments: Sequence[Instrument],
        money: Money,
    ) -> None:
        self.predictor = predictor
        self.circuit = predictor.circuit
        self.ranking = ranking
        self.belief = ranking.belief
        self.weight = ranking.inside
        self.instruments = instruments
        self.money = money
        self.exhibits = Played(predictor)
        self._judged: dict[str, tuple[Hazard | None, list[str]]] = {}
        self._index = {h.key: i for i, h in enumerate(predictor.population.hypotheses)}
        self.live = np.flatnonzero(self.weight > LIVE)
        self._live_weight = self.weight[self.live]
        # Most of the candidates are out of the question: what is asked of all readings in all
        # states is asked of the live ones only.
        self._live_belief = ranking.belief.part(self.live)
        self.stakes = Stakes(ranking, self.live, money)

    def outcomes(self, mean: Array, variance: Array) -> Array:
        """(L, G) probability of each cell of a grid over everything the live candidates show."""
        sd = np.sqrt(variance)
        edges = np.linspace((mean - 4 * sd).min(), (mean + 4 * sd).max(), GRID + 1)
        middle = 0.5 * (edges[1:] + edges[:-1])
        z = (middle - mean[:, None]) / sd[:, None]
        density = np.exp(-0.5 * z * z) / sd[:, None]
        density += 1e-12
        result: Array = density / density.sum(axis=1, keepdims=True)
        return result

    def reading_step(
        self, quantity: Quantity, name: str, state: MachineState, setup: Setup
    ) -> Step | None:
        """Judge one reading; None when it is impossible or tells nothing."""
        table = self.predictor[state]
        row = table.row(quantity)
        live = self.live
        mean, variance = self._live_belief.posterior(
            table.mean[row, live], table.slope[row][:, live]
        )
        point = quantity.place if quantity.at_point else None
        highest = None
        instrument = None
        if quantity.kind == "pressure_bar":
            net = self.circuit.test_point(quantity.place).net
            row_of_net = self.predictor.network.net_index[net]
            pressure = table.solution.across[row_of_net]
            # A gauge must not break because the belief is wrong.
            highest = max(
                highest_bar(pressure[live], self._live_weight),
                float(table.healthy[row_of_net]),
            )
            lowest = float(mean.min())
            instrument = gauge_for(self.instruments, highest, lowest)
        elif quantity.kind == "flow_lpm":
            instrument = first_that(self.instruments, "flow")
        elif quantity.kind == "voltage_v":
            instrument = first_that(self.instruments, "voltage")
        typical = float(np.average(mean, weights=self._live_weight))
        variance = variance + noise_sd(quantity, typical, instrument) ** 2
        bits, saving = self.stakes.information(self.outcomes(mean, variance))
        if bits < LEAST_BITS:
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
        bands = (self._band(key, quantity, mean, variance) for key in self.ranking.keys)
        return replace(
            step,
            healthy=self._band("healthy", quantity, mean, variance),
            by_suspect=tuple(b for b in bands if b is not None),
        )

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
        bits, saving = self.stakes.information(probability[:, self.live].T + 1e-9)
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
                trip = planner.exhibits.tripped(quantity.place, state)
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
        foam = planner.exhibits.foamy()
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
            words = planner.exhibits.words(function.id, move, "warm")
            steps.append(
                planner.look_step(
                    "behaviour",
                    f"{function.id}.{move}",
                    f"{function.label} {call.label}",
                    ("", "rated speed, warm oil, light and loaded"),
                    BEHAVIOURS,
                    words,
                    WORD_MIN,
                )
            )
    return [s for s in steps if s.bits >= LEAST_BITS]
