"""The next step: the observation with the most expected information per minute, if it is safe."""

from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from statistics import NormalDist

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState, Timing
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.diagnose.evidence import Belief, spread_band
from umweg.core.diagnose.gauges import first_that, gauge_for, highest_bar, within_reach_bar
from umweg.core.diagnose.hazards import LIVE, Hazard, heat_caution, pressure_hazard
from umweg.core.diagnose.ladder import LOOK, Rung, rung
from umweg.core.diagnose.opening import Openings
from umweg.core.diagnose.order import CLEARLY, Order, Spread, in_order
from umweg.core.diagnose.parted import Owners, Parted, by_answer, by_reading
from umweg.core.diagnose.ranking import Band, Ranking
from umweg.core.diagnose.setup import Setup, setup_after
from umweg.core.diagnose.steps import Step
from umweg.core.diagnose.worth import Money, Stakes
from umweg.core.faults.population import Fault
from umweg.core.network.network import Indices
from umweg.core.observe.bands import variances_of
from umweg.core.observe.exhibits import Exhibits, Played
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Proposal, resolve_state
from umweg.core.observe.kinds.behaviours import told_of
from umweg.core.observe.kinds.readings import Reading, blank
from umweg.core.observe.narrow import Narrow
from umweg.core.observe.observations import OBSERVATIONS, Observation
from umweg.core.observe.predict import Predictor, state_key
from umweg.core.observe.quantities import Quantity, from_scale, place_label, quantity_of
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.core.observe.weights import noise_at

QUANTILES = 25
LEAST_BITS = 0.01
"""What tells less than this is not offered."""
LOOKED_FOR_ABOVE = 0.02
"""Share of the belief from which a fault is worth a look for it."""
TIMED_FROM_S = 2.0
"""What goes from end to end in less nobody times with a watch: a brake's piston, a latch."""
TAKEN_AT_MOST = 3
"""How often one reading is proposed that is at odds with others: then somebody has to think."""
DETAILED = 12
DETAILED_REFUSED = 4
"""How many steps, offered and refused, are worked out in full."""


class Planner:
    """Ranks what could be observed next for one belief.

    Parameters
    ----------
    predictor : everybody that was weighed
    narrow : makes the predictor of the few that are planned for
    """

    def __init__(
        self,
        predictor: Predictor,
        ranking: Ranking,
        instruments: Sequence[Instrument],
        money: Money,
        narrow: Callable[[Predictor, Indices], Predictor] = Narrow,
    ) -> None:
        population = predictor.population
        self.circuit = predictor.circuit
        self.ranking = ranking
        self.belief = ranking.belief
        self.weight = ranking.inside
        self.instruments = instruments
        self.money = money
        self._spreads: dict[tuple[Quantity, str], Spread] = {}
        self._judged: dict[str, tuple[Hazard | None, tuple[str, ...]]] = {}
        self._index = population.place_of
        self.live = np.flatnonzero(self.weight > LIVE)
        self.everybody = Played(predictor)
        wanted = (self.live, population.gone[self.live], self._told_of)
        self._wanted = np.unique(np.concatenate(wanted))
        self.predictor = narrow(predictor, self._wanted)
        self.exhibits = Played(self.predictor)
        self.openings = Openings(self.predictor, ranking.inside)
        self.live_weight = self.weight[self.live]
        self._live_share = self.live_weight / self.live_weight.sum()
        # Most of the candidates are out of the question: what is asked of all readings in all
        # states is asked of the live ones only.
        self._live_belief = ranking.belief.part(self.live)
        gone = population.gone[self.live]
        self._wandering = gone != self.live
        self._gone = gone[self._wandering]
        self.stakes = Stakes(ranking, self.live, money)

    def reading_steps(
        self, readings: Sequence[Reading], setup: Setup, least_bits: float = LEAST_BITS
    ) -> list[Step]:
        """Judge readings, all at once; those that tell less than so much are left out."""
        if not readings:
            return []
        quantities = [Quantity.named(r.quantity, r.point) for r in readings]
        states = [resolve_state(self.circuit, r.state) for r in readings]
        asked = list(zip(quantities, states, strict=True))
        found = [self.instrument_for(q, s) for q, s in asked]
        spreads = self.spreads(asked, [instrument for instrument, _ in found])
        mean, sd = np.array([s.mean for s in spreads]), np.array([s.sd for s in spreads])
        bits, saved = self.stakes.readings(mean, sd, least_bits)
        for quantity, reading, spread in zip(quantities, readings, spreads, strict=True):
            self._spreads[quantity, str(reading.state)] = spread
        return [
            self._reading_step(reading, quantities[i], found[i], setup, bits[i], saved[i])
            for i, reading in enumerate(readings)
            if bits[i] >= least_bits
        ]

    def _reading_step(
        self,
        reading: Reading,
        quantity: Quantity,
        found: tuple[Instrument | None, float | None],
        setup: Setup,
        bits: float,
        saved: float,
    ) -> Step:
        name = str(reading.state)
        state = resolve_state(self.circuit, reading.state)
        instrument, highest = found
        timing = self.circuit.timing(quantity.place) if quantity.timed else None
        point = quantity.place if quantity.at_point else timing.point if timing else None
        minutes = setup.minutes(self.circuit, state, point, quantity.of.any_oil)
        if timing is not None:
            minutes += timing.setup_min + sum(p.seconds for p in timing.phases) / 60.0
        # A timing leads through every one of its states: each has to be safe, not the last alone.
        passed = [name] if timing is None else list(dict.fromkeys(p.state for p in timing.phases))
        judged = [self._safety(n, self.circuit.states.get(n, state)) for n in passed]
        hazard = _worst(h for h, _ in judged)
        cautions = tuple(dict.fromkeys(words for _, found in judged for words in found))
        opened = {i.point for i in state.interventions} | ({point} if point is not None else set())
        refused = _refused(hazard)
        worth = float(saved) - minutes * self.money.labour_per_min
        if point is not None and instrument is None and not refused:
            what = quantity.of.instrument_words or f"gauge up to {highest or 0.0:.0f} bar"
            refused = f"the workshop has no {what}"
            if worth > CLEARLY:
                refused += f"; with one, this reading would save about {worth:.0f} in all"
        return Step(
            kind=reading.kind,
            point=quantity.place,
            point_label=place_label(self.circuit, quantity),
            quantity=quantity.kind,
            unit=UNIT_OF_KIND[quantity.kind],
            state=name if isinstance(reading.state, str) else "",
            state_label=state.label if timing is None else steps_of(self.circuit, timing),
            minutes=minutes,
            bits=float(bits),
            healthy=None,
            by_suspect=(),
            hazard=hazard,
            cautions=tuple(
                dict.fromkeys(
                    (
                        *quantity.of.cautions,
                        *self.openings.cautions(opened),
                        *cautions,
                        *(timing.cautions if timing is not None else ()),
                    )
                )
            ),
            fitting="" if point is None else self.circuit.test_point(point).fitting,
            instrument=instrument,
            highest_bar=highest,
            saving=worth,
            asks=reading,
            refused=refused,
            gauge_point=point or "",
        )

    def instrument_for(
        self, quantity: Quantity, state: MachineState
    ) -> tuple[Instrument | None, float | None]:
        """The shop's instrument for a reading, and the highest pressure it must hold."""
        measured_by = quantity.of.measured_by
        if measured_by is not None and measured_by != "pressure":
            return first_that(self.instruments, measured_by), None
        timing = self.circuit.timing(quantity.place) if quantity.timed else None
        place = timing.point if timing is not None else quantity.place
        if place is None or (timing is None and quantity.kind != "pressure_bar"):
            return None, None
        net = self.circuit.test_point(place).net
        row = self.predictor.network.net_index[net]
        passed = [state]
        if timing is not None:
            passed = [self.circuit.states[p.state] for p in timing.phases]
        tables = [self.predictor[s] for s in passed if not s.passing]
        pressure = np.max([t.solution.across[row][self.live] for t in tables], axis=0, initial=-1.0)
        if quantity.kind == "peak_bar":
            pressure = np.maximum(pressure, self.predictor.timed(quantity).mean[self.live])
        # A gauge must break neither because the belief is wrong nor because a lever is touched.
        reach = (float(within_reach_bar(self.predictor, s)[row]) for s in passed)
        healthy = max(0.0, *(float(t.healthy[row]) for t in tables), *reach)
        highest = max(highest_bar(pressure, self.live_weight), healthy)
        if any(s.passing for s in passed):
            # What stands there for a moment is not solved: as much as the parts there may bear.
            highest = max(highest, self._rated_bar(net))
        lowest = min((float(t.solution.across[row][self.live].min()) for t in tables), default=0.0)
        return gauge_for(self.instruments, highest, lowest), highest

    def _rated_bar(self, net: str) -> float:
        rated = [
            bar
            for part in self.circuit.components
            for port, bar in part.ratings.items()
            if part.connections[port] == net
        ]
        return min(rated, default=0.0)

    def bits_of_unknown(self, row: int) -> float:
        """Expected information of learning one of the machine's own unknowns, by its row."""
        slope = np.zeros((self.exhibits.suspects.slope_count, len(self.live)))
        slope[row] = 1.0
        mean, variance = self._live_belief.posterior(np.zeros(len(self.live)), slope)
        bits, _ = self.stakes.readings(mean[None], np.sqrt(variance)[None])
        return float(bits[0])

    def _of_live(self, asked: Sequence[tuple[Quantity, MachineState]]) -> tuple[Array, Array]:
        """(R, L) mean and variance of what the live candidates show, given what was read.

        A fault that comes and goes is there every other time: what it shows is as likely what the
        machine shows without it.
        """
        mean, variance = self.posteriors(asked, self._live_belief, self.live)
        if self._wandering.any():
            usual, spread = self.posteriors(asked, self._belief_gone, self._gone)
            w = self._wandering
            apart = mean[:, w] - usual
            mean[:, w] = 0.5 * (mean[:, w] + usual)
            variance[:, w] = 0.5 * (variance[:, w] + spread) + 0.25 * apart**2
        return mean, variance

    @cached_property
    def _belief_gone(self) -> Belief:
        return self.belief.part(self._gone)

    def posteriors(
        self,
        asked: Sequence[tuple[Quantity, MachineState]],
        belief: Belief,
        rows: Indices,
        of: Played | None = None,
    ) -> tuple[Array, Array]:
        """(R, L) mean and variance of what some candidates show for each of R quantities.

        Parameters
        ----------
        belief : about those candidates alone
        rows : (L,) which they are
        of : where what they show is found, default the planner's own, of those it plans for
        """
        of = self.exhibits if of is None else of
        shown = [of.shown_of(quantity, state, rows) for quantity, state in asked]
        mean = np.array([s.mean for s in shown]).reshape(len(shown), len(rows))
        return belief.posteriors(mean, [s.slope for s in shown])

    def _safety(
        self, name: str, state: MachineState, tried: bool = False
    ) -> tuple[Hazard | None, tuple[str, ...]]:
        """Hazard and cautions of a state by its name, judged once for all that is read in it."""
        if state.passing:
            # It has no steady pressures to judge; what it warns of holds all the same.
            return None, tuple(state.cautions)
        if name not in self._judged:
            heat = heat_caution(self.predictor, state)
            self._judged[name] = (
                pressure_hazard(self.predictor, state, self.weight, tried),
                tuple(state.cautions) if heat is None else (*state.cautions, heat),
            )
        return self._judged[name]

    def state_of(self, step: Step) -> MachineState:
        """The state in which a reading is taken, named or put together."""
        return resolve_state(self.circuit, _asked(step).state)

    def spread(self, step: Step) -> Spread:
        """What a reading would show on each live candidate, its noise included."""
        quantity = Quantity.named(step.quantity, step.point)
        key = quantity, str(_asked(step).state)
        if key not in self._spreads:
            (spread,) = self.spreads([(quantity, self.state_of(step))], [step.instrument])
            self._spreads[key] = spread
        return self._spreads[key]

    def spreads(
        self,
        asked: Sequence[tuple[Quantity, MachineState]],
        read_with: Sequence[Instrument | None],
    ) -> list[Spread]:
        """What each reading would show on each live candidate, its instrument's noise included."""
        mean, variance = self._of_live(asked)
        return [
            Spread(m, np.sqrt(self._within(*of, v) + self._noise(of[0], m, instrument) ** 2))
            for of, m, v, instrument in zip(asked, mean, variance, read_with, strict=True)
        ]

    def _within(self, quantity: Quantity, state: MachineState, variance: Array) -> Array:
        """(L,) variance of a reading at least as large as the maker's band makes it."""
        least = self._bands.get((quantity.kind, quantity.place, state_key(state)), 0.0)
        return np.maximum(variance, least)

    @cached_property
    def _bands(self) -> dict[tuple[str, str, str], float]:
        return variances_of(self.circuit)

    def _noise(self, quantity: Quantity, mean: Array, instrument: Instrument | None) -> float:
        return noise_at(quantity, float(mean @ self._live_share), instrument)

    def covariance(self, first: Step, second: Step) -> Array:
        """(L,) covariance of two readings by the machine's own unknowns that they share."""
        slopes = [
            self.exhibits.shown_of(
                Quantity.named(s.quantity, s.point), self.state_of(s), self.live
            ).slope
            for s in (first, second)
        ]
        return self._live_belief.covariance(*slopes)

    def rung(self, step: Step) -> Rung:
        """Where a step stands in the order of the trade: a look needs no gauge and comes first."""
        if step.kind != "reading" or not step.state:
            return LOOK
        return rung(self.predictor, step.state, Quantity.named(step.quantity, step.point))

    def joint(self, steps: Sequence[Step]) -> tuple[Array, Array]:
        """(L, R) mean and (L, R, R) covariance of several readings, their noise included."""
        spreads = [self.spread(step) for step in steps]
        covariance = np.empty((len(self.live), len(steps), len(steps)))
        for a, first in enumerate(steps):
            for b, second in enumerate(steps):
                covariance[:, a, b] = self.covariance(first, second)
            covariance[:, a, a] = spreads[a].sd ** 2
        return np.stack([s.mean for s in spreads], axis=1), covariance

    def outlook(self, step: Step) -> tuple[Array, Array]:
        """Everything a reading could show, in its base unit, and how likely each value is, (G,)."""
        quantity = Quantity.named(step.quantity, step.point)
        spread = self.spread(step)
        places = [NormalDist().inv_cdf(share) for share in np.linspace(0.01, 0.99, QUANTILES)]
        values = (spread.mean[:, None] + spread.sd[:, None] * places).ravel()
        share = np.repeat(self._live_share / QUANTILES, QUANTILES)
        order = np.argsort(values, kind="stable")
        return from_scale(quantity, values[order]), share[order]

    def with_bands(self, step: Step) -> Step:
        """A step with whom it parts, of a reading with what the healthy machine and each suspect
        would show."""
        if step.chances is not None:
            return replace(step, parts=by_answer(self._owners, step.chances))
        quantity = Quantity.named(step.quantity, step.point)
        asked, rows = [(quantity, self.state_of(step))], self._told_of
        mean, variance = np.zeros((2, self.predictor.population.count))
        (mean[rows],), (variance[rows],) = self.posteriors(asked, self._belief_told_of, rows)
        variance[rows] += self._noise(quantity, self.spread(step).mean, step.instrument) ** 2
        bands = (self.band(key, quantity, mean, variance) for key in self.ranking.keys)
        return replace(
            step,
            healthy=self.band("healthy", quantity, mean, variance),
            by_suspect=tuple(b for b in bands if b is not None),
            parts=self._parted(quantity, self.spread(step)),
        )

    def _parted(self, quantity: Quantity, spread: Spread) -> tuple[Parted, ...]:
        def base(limit: float | None) -> float | None:
            return None if limit is None else float(from_scale(quantity, np.asarray(limit)))

        found = by_reading(self._owners, spread.mean, spread.sd)
        return tuple(replace(p, low=base(p.low), high=base(p.high)) for p in found)

    @cached_property
    def _owners(self) -> Owners:
        population = self.ranking.population
        return Owners(population.hypotheses, population.hypothesis[self.live], self.live_weight)

    @cached_property
    def _told_of(self) -> Indices:
        """Candidates whose readings are shown: the leaders' and the healthy machine's."""
        members = self.ranking.population.members
        named = [self._index.get(key) for key in ("healthy", *self.ranking.keys)]
        return np.concatenate([members[i] for i in named if i is not None])

    @cached_property
    def _belief_told_of(self) -> Belief:
        return self.belief.part(self._told_of)

    def band_of(self, key: str, quantity: Quantity, state: MachineState) -> Band | None:
        """What one hypothesis would show in a state, by its name, the noise of the shop's most
        likely gauge included; None where it is not among them."""
        index = self._index.get(key)
        if index is None:
            return None
        rows = self.predictor.population.members[index]
        mean, variance = np.zeros((2, self.predictor.population.count))
        of = self.exhibits if np.isin(rows, self._wanted).all() else self.everybody
        asked = [(quantity, state)]
        (mean[rows],), (variance[rows],) = self.posteriors(asked, self.belief.part(rows), rows, of)
        variance[rows] += noise_at(quantity, float(mean[rows].mean()), None) ** 2
        return self.band(key, quantity, mean, variance)

    def band(self, key: str, quantity: Quantity, mean: Array, variance: Array) -> Band | None:
        """What one hypothesis would show, by its name; None where it is not among them."""
        index = self._index.get(key)
        if index is None:
            return None
        members = self.predictor.population.members[index]
        weight = self.weight[members]
        if weight.sum() < 1e-12:
            weight = np.ones(len(members))
        low, high = spread_band(quantity, mean[members], variance[members], weight)
        return Band(key, low, high)

    def look_step(self, proposal: Proposal) -> Step:
        """Judge something that is seen or said, not measured."""
        judged = [self._safety(state_key(s), s, tried=True) for s in proposal.tried_in]
        hazard = _worst(h for h, _ in judged)
        probability = proposal.probability[:, self.live]
        if not proposal.lasting:
            usual, w = proposal.probability[:, self._gone], self._wandering
            probability[:, w] = 0.5 * (probability[:, w] + usual)
        chances = probability.T + 1e-9
        bits, saving = self.stakes.information(chances)
        expected = probability @ self._live_share
        return Step(
            kind=proposal.kind,
            point=proposal.place,
            point_label=proposal.label,
            quantity=proposal.kind,
            unit="",
            state=proposal.state,
            state_label=proposal.state_label,
            minutes=proposal.minutes,
            bits=bits,
            healthy=None,
            by_suspect=(),
            hazard=hazard,
            refused=_refused(hazard),
            cautions=(*proposal.cautions, *self.openings.of_components(proposal.opens)),
            fitting="",
            instrument=None,
            highest_bar=None,
            saving=saving - proposal.minutes * self.money.labour_per_min,
            asks=proposal.answers[0].observation,
            outcomes=tuple(zip(proposal.answers, expected.tolist(), strict=True)),
            chances=chances / chances.sum(axis=1, keepdims=True),
        )


def _worst(hazards: Iterable[Hazard | None]) -> Hazard | None:
    found = (h for h in hazards if h is not None)
    return max(found, key=lambda h: (h.refused, h.share), default=None)


def _refused(hazard: Hazard | None) -> str:
    return hazard.words if hazard is not None and hazard.refused else ""


def _asked(step: Step) -> Reading:
    assert isinstance(step.asks, Reading)
    return step.asks


@dataclass(frozen=True)
class Asker:
    """What kinds of observation are told when they are asked for proposals."""

    planner: Planner
    setup: Setup
    observed: Sequence[Observation] = ()
    unsuspecting: bool = False
    """Whoever suspects nobody looks for no particular fault."""

    @property
    def circuit(self) -> Circuit:
        return self.planner.circuit

    @property
    def exhibits(self) -> Exhibits:
        return self.planner.exhibits

    @property
    def predictor(self) -> Predictor:
        return self.planner.predictor

    @property
    def suspected(self) -> list[Fault]:
        if self.unsuspecting:
            return []
        ranking = self.planner.ranking
        hypotheses = ranking.population.hypotheses
        leading = [hypotheses[h] for h in np.flatnonzero(ranking.shares > LOOKED_FOR_ABOVE)]
        return list({f.key: f for h in leading for f in h.faults}.values())

    def tells(self, probability: Array) -> float:
        planner = self.planner
        return planner.stakes.information(probability[:, planner.live].T + 1e-9)[0]

    def minutes(self, state: MachineState, point: str | None = None) -> float:
        return self.setup.minutes(self.circuit, state, point)


def next_steps(planner: Planner, observations: Sequence[Observation]) -> Order:
    """Everything that could be observed next, best first; refused ones last, with their reason."""
    circuit, predictor = planner.circuit, planner.predictor
    setup = setup_after(circuit, observations)
    predictor.prepare(circuit.steady.values())
    readings: list[Reading] = []
    doubted = _doubted(planner.ranking, observations)
    told_dead = told_of(observations, "dead")
    asked = {o.topic() for o in observations if o.id not in doubted}
    for name, quantity in readings_of(predictor):
        moved = quantity.place if quantity.of.at_work else None
        if quantity.kind == "within_s":
            moved = circuit.timing(quantity.place).function
        if moved in told_dead:
            # Nobody times what does not move.
            continue
        reading = blank(quantity, name)
        if reading.topic() in asked:
            continue
        readings.append(reading)
    odd = {o.topic() for o in observations if any(o.id in ids for ids in planner.ranking.at_odds)}
    steps = [
        *planner.reading_steps([r for r in readings if r.topic() not in odd], setup),
        *planner.reading_steps([r for r in readings if r.topic() in odd], setup, least_bits=0.0),
    ]
    asking = Asker(planner, setup, observations)
    for kind in OBSERVATIONS:
        looks = (p for p in kind.proposals(asking) if p.topic not in asked)
        steps += [s for p in looks if (s := planner.look_step(p)).bits >= LEAST_BITS]
    order = in_order(steps, planner, observations)
    if any(not s.refused and s.asks.topic() in odd for s in order.steps):
        # Nothing is made of what contradicts itself, however sure: it is read again before all else.
        again = sorted(order.steps, key=lambda s: (bool(s.refused), s.asks.topic() not in odd))
        order = Order(tuple(again), pays=True)
    first_refused = sum(not s.refused for s in order.steps)
    shown = {*range(DETAILED), *range(first_refused, first_refused + DETAILED_REFUSED)}
    detailed = (planner.with_bands(s) if i in shown else s for i, s in enumerate(order.steps))
    return replace(order, steps=tuple(detailed))


def readings_of(predictor: Predictor) -> Iterator[tuple[str, Quantity]]:
    """Every named state with what is read in it, then what is read in time."""
    for name, state in predictor.circuit.steady.items():
        if not anything_read(predictor.circuit, state):
            continue
        for quantity in predictor.quantities:
            if _taken(predictor.circuit, quantity, state) and _watched(predictor, quantity, state):
                yield name, quantity
    for timing in predictor.in_time:
        yield timing.state, quantity_of(timing)


def _watched(predictor: Predictor, quantity: Quantity, state: MachineState) -> bool:
    """Does a rod that is timed with watch and rule take long enough from end to end for a hand."""
    if quantity.kind != "speed_mm_s" or quantity.place is None:
        return True
    stroke_mm = predictor.circuit.function(quantity.place).stroke_mm
    if stroke_mm <= 0.0:
        return True
    usual = abs(float(from_scale(quantity, np.asarray(predictor.sound(quantity, state)))))
    return usual * TIMED_FROM_S <= stroke_mm


def steps_of(circuit: Circuit, timing: Timing) -> str:
    """What the machine goes through for a timing, in words."""
    if timing.of == "settled_c":
        cycle = "; ".join(
            f"{circuit.states[p.state].label}, {_lasts(p.seconds)}" for p in timing.phases
        )
        return f"again and again for an hour: {cycle}; air at {timing.ambient_c:g} °C"
    *before, last = [(circuit.states[p.state].label, _lasts(p.seconds)) for p in timing.phases]
    gone = "".join(f"{label}, {seconds}; then " for label, seconds in before)
    return f"{gone}{last[0]}, watched for {last[1]} at most"


def _lasts(seconds: float) -> str:
    return f"{seconds:.3g} s" if seconds < 120 else f"{seconds / 60:.3g} min"


def _doubted(ranking: Ranking, observations: Sequence[Observation]) -> set[str]:
    """Readings worth taking again: doubted and taken once, or at odds and taken twice."""
    again: dict[Hashable, int] = {}
    for o in observations:
        again[o.topic()] = again.get(o.topic(), 0) + 1
    odd = {name for ids in ranking.at_odds for name in ids}
    return {
        o.id
        for o in observations
        if (o.id in ranking.doubted and again[o.topic()] < 2)
        or (o.id in odd and again[o.topic()] < TAKEN_AT_MOST)
    }


def _drawn(circuit: Circuit, state: MachineState) -> bool:
    """Is a store drawn upon: the only thing at rest that is read for its own sake."""
    return any(
        state.settings.get(f"{part.id}.{component_type(part.type).drawn_by}", 0.0) > 0.0
        for part in circuit.components
    )


def anything_read(circuit: Circuit, state: MachineState) -> bool:
    """Does anybody read anything in this state: of a machine at rest, only what a store gives."""
    return circuit.runs(state) or _drawn(circuit, state)


def readable(circuit: Circuit, quantity: Quantity, state: MachineState) -> bool:
    """Can this quantity be read in this state at all, and does anybody do it."""
    return anything_read(circuit, state) and _taken(circuit, quantity, state)


def _taken(circuit: Circuit, quantity: Quantity, state: MachineState) -> bool:
    if quantity.kind == "pressure_bar":
        methods = circuit.test_point(quantity.place).methods
        return "tee_gauge" in methods
    if quantity.kind == "flow_lpm":
        return any(
            i.point == quantity.place and i.kind == "inline_flow" for i in state.interventions
        )
    if quantity.kind in ("voltage_v", "shaft_rpm"):
        return True
    if quantity.of.at_work:
        moving = quantity.place in state.moves
        return moving and state.loads.get(quantity.place) != "stalled" and not state.interventions
    if quantity.kind == "drift_mm_min":
        # While something else moves nobody stands beside it with a rule, unless it is never still.
        still = (s for s in circuit.steady.values() if not s.moves and anything_read(circuit, s))
        return _held(quantity, state) and not (
            state.moves and any(_held(quantity, s) for s in still)
        )
    return False


def _held(quantity: Quantity, state: MachineState) -> bool:
    return quantity.place not in state.moves and state.loads.get(quantity.place) == "held"
