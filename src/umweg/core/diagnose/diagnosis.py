"""One diagnosis: circuit and observations in; suspects, reasons, groups, next steps out."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.diagnose.groups import groups_of
from umweg.core.diagnose.guesses import Guess, guesses_of
from umweg.core.diagnose.order import Order
from umweg.core.diagnose.plan import Planner, next_steps
from umweg.core.diagnose.prior import UNKNOWN, noticed, with_pairs
from umweg.core.diagnose.ranking import LeftOut, Ranking, Suspect, rank
from umweg.core.diagnose.steps import Step
from umweg.core.diagnose.worth import Money, Repair, repairs_of
from umweg.core.faults.population import (
    PAIR_SEVERITIES,
    SEVERITIES,
    Fault,
    Population,
    between,
    fault_pairs,
    single_faults,
)
from umweg.core.network.network import Indices, Network
from umweg.core.observe.exhibits import Played
from umweg.core.observe.history import History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Divided, Joined, Paired, Predictor, Screened
from umweg.core.solve.steady import SteadySolver

COARSE_PAIRS = 32
"""Pairs that are screened at once."""
FINE_PAIRS = 8
BESIDE = 3
"""Of so many of the best pairs, what could stand beside either fault is looked for."""
BETWEEN_AT_HAND = 40
"""Faults that are kept at the severities between the grid's."""
PAIRS_AT_HAND = 3
"""Populations with pairs that are kept: two that were screened, and those that were chosen."""

Pair = tuple[Fault, Fault]


@dataclass(frozen=True)
class Diagnosis:
    """The answer at one moment of a job."""

    suspects: tuple[Suspect, ...]
    other_share: float
    explained: bool
    pairs_drawn: bool
    left_out: tuple[LeftOut, ...]
    steps: tuple[Step, ...]
    repairs: tuple[Repair, ...]
    enough: bool
    """No step is worth its minutes against repairing now, nor any two of them together."""
    expected_cost: float
    """Of the cheapest sequence of repairs from here, nothing more being observed."""
    guesses: tuple[Guess, ...] = ()
    """Numbers nobody has measured that would tell most."""
    earlier_readings: int = 0
    """Of this machine's own baseline, weighed along."""


class Diagnostician:
    """Answers for one circuit; predictions are kept between questions."""

    def __init__(
        self,
        predictor: Predictor,
        instruments: Sequence[Instrument],
        labour_per_min: float = 1.5,
        history: History = UNKNOWN,
    ) -> None:
        self.predictor = predictor
        self.instruments = tuple(instruments)
        self.history = history
        self.money = Money.of(predictor.circuit, labour_per_min)
        self.exhibits = Played(predictor)
        self._pairs: dict[str, Predictor] = {}
        self._joined: Joined | None = None
        self._between: dict[int, Predictor] = {}
        self._divided: dict[tuple[int, ...], tuple[Predictor, Array]] = {}

    @classmethod
    def of(
        cls,
        circuit: Circuit,
        instruments: Sequence[Instrument],
        labour_per_min: float = 1.5,
        history: History = UNKNOWN,
    ) -> "Diagnostician":
        """One for all single faults of a circuit."""
        solver = SteadySolver(Network(circuit))
        predictor = Predictor(circuit, single_faults(solver.network), solver)
        return cls(predictor, instruments, labour_per_min, history)

    @property
    def circuit(self) -> Circuit:
        """The circuit this one answers for."""
        return self.predictor.circuit

    def rank(
        self, observations: Sequence[Observation], ranking: Ranking | None = None
    ) -> tuple[Ranking, Predictor]:
        """The suspects weighed: those that may explain it at more severities than the grid's, and
        pairs of faults among them where no single one explains it."""
        ranking = ranking or rank(
            self.exhibits, observations, self.instruments, self._noticed, self.history
        )
        predictor, seen = self.predictor, self._noticed
        if len(ranking.divisible):
            predictor, seen = self._with_divided(ranking.divisible)
            ranking = self._ranked(predictor, seen, observations)
        if not ranking.wants_pairs:
            return ranking, predictor
        predictor = self._with_pairs(self._chosen_pairs(ranking, observations), predictor)
        return self._ranked(predictor, seen, observations), predictor

    def _ranked(
        self, predictor: Predictor, seen: Array, observations: Sequence[Observation]
    ) -> Ranking:
        seen = with_pairs(seen, predictor.population.count)
        return rank(Played(predictor), observations, self.instruments, seen, self.history)

    def _with_divided(self, hypotheses: Indices) -> tuple[Predictor, Array]:
        """A predictor with some faults at more severities, and who of them is noticed."""
        key = tuple(hypotheses.tolist())
        if key not in self._divided:
            for h in key:
                # Moved to the end: those asked for last are kept.
                known = self._between.pop(h, None)
                self._between[h] = known or Predictor(
                    self.circuit, between(self.predictor.population, h), self.predictor.solver
                )
            while len(self._between) > BETWEEN_AT_HAND:
                self._between.pop(next(iter(self._between))).clear()
            finer = Divided(self.predictor, [self._between[h] for h in key])
            while len(self._divided) >= PAIRS_AT_HAND:
                self._divided.pop(next(iter(self._divided)))[0].clear()
            self._divided[key] = finer, noticed(Played(finer))
        return self._divided[key]

    @cached_property
    def _noticed(self) -> Array:
        return noticed(self.exhibits)

    def planner(self, observations: Sequence[Observation]) -> Planner:
        """What could be observed next after these, judged step by step."""
        ranking, predictor = self.rank(observations)
        return Planner(predictor, ranking, self.instruments, self.money)

    def diagnose(
        self,
        observations: Sequence[Observation],
        with_steps: bool = True,
        ranking: Ranking | None = None,
    ) -> Diagnosis:
        """Rank the suspects, say why, and plan the next step.

        Parameters
        ----------
        ranking : of the single faults by these observations, where it was made already
        """
        ranking, predictor = self.rank(observations, ranking)
        order = Order((), pays=True)
        groups: dict[str, tuple[str, ...]] = {}
        expected_cost = 0.0
        guesses: list[Guess] = []
        if with_steps:
            planner = Planner(predictor, ranking, self.instruments, self.money)
            order = next_steps(planner, observations)
            groups = groups_of(ranking, order.steps, planner)
            expected_cost = planner.stakes.now
            guesses = guesses_of(planner)
        return Diagnosis(
            ranking.listed(groups),
            ranking.other_share,
            ranking.explained,
            predictor.population.paired,
            ranking.left_out,
            order.steps,
            repairs_of(ranking, self.money),
            not order.pays,
            expected_cost,
            tuple(guesses),
            ranking.earlier,
        )

    def _chosen_pairs(self, ranking: Ranking, observations: Sequence[Observation]) -> list[Pair]:
        """The pairs that explain most, as far as a quick look tells.

        Those that could by what each of the two explains alone; then what could stand beside either
        fault of the best of them: beside a second one the first has another severity than alone.
        """
        drawn = self._hopeful(ranking, ranking.hopes, ranking.hopeful)
        found = self._weighed(drawn, observations)
        beside: list[int] = []
        for pair, _, severities in found[:BESIDE]:
            beside += [ranking.nearest(f, s) for f, s in zip(pair, severities, strict=True)]
        around = np.array(list(dict.fromkeys(beside)), dtype=np.intp)
        owners = ranking.population.hypothesis[around]
        more = self._hopeful(ranking, ranking.reach(around), owners)
        known = {_names(p) for p in drawn}
        found += self._weighed([p for p in more if _names(p) not in known], observations)
        best = sorted(found, key=lambda f: -f[1])[:FINE_PAIRS]
        return [pair for pair, _, _ in best]

    def _weighed(
        self, pairs: Sequence[Pair], observations: Sequence[Observation]
    ) -> list[tuple[Pair, float, Array]]:
        """Some pairs by what was observed, best first: log weight, and the likeliest severities."""
        if not pairs:
            return []
        predictor = self._kept(
            pairs, PAIR_SEVERITIES, lambda drawn: Screened(self.predictor, drawn)
        )
        population = predictor.population
        ranking = self._ranked(predictor, np.zeros(0), observations)
        weight = ranking.belief.log_weight
        found = []
        for pair, rows in zip(pairs, population.members, strict=True):
            whole = float(np.logaddexp.reduce(weight[rows]))
            found.append((pair, whole, population.severity[rows[np.argmax(weight[rows])]]))
        return sorted(found, key=lambda f: -f[1])

    @staticmethod
    def _hopeful(ranking: Ranking, hopes: Array, leaders: Indices) -> list[Pair]:
        """The pairs that could explain most: of each of the leaders (L,) by its hopes (L, H)."""
        hypotheses = ranking.population.hypotheses
        pairs: dict[frozenset[str], Pair] = {}
        for flat in np.argsort(-hopes, axis=None, kind="stable"):
            row, other = np.unravel_index(flat, hopes.shape)
            if len(pairs) == COARSE_PAIRS or not np.isfinite(hopes[row, other]):
                break
            (a,), (b,) = hypotheses[leaders[row]].faults, hypotheses[other].faults
            if a.slot != b.slot:
                pairs.setdefault(_names((a, b)), (a, b))
        return sorted(pairs.values(), key=lambda p: (p[0].key, p[1].key))

    def _kept(
        self,
        pairs: Sequence[Pair],
        grid: Sequence[float],
        predictor: Callable[[Population], Predictor],
    ) -> Predictor:
        """What some pairs alone show; those asked for last are kept."""
        key = " ".join([str(len(grid)), *(f"{a.key}+{b.key}" for a, b in pairs)])
        if key not in self._pairs:
            while len(self._pairs) >= PAIRS_AT_HAND:
                self._pairs.pop(next(iter(self._pairs))).clear()
            self._pairs[key] = predictor(fault_pairs(self.predictor.population, pairs, grid))
        return self._pairs[key]

    def _with_pairs(self, pairs: Sequence[Pair], singles: Predictor) -> Predictor:
        """A predictor of every single fault and some pairs."""
        both = self._kept(pairs, SEVERITIES, lambda drawn: Paired(self.predictor, drawn))
        if self._joined is None or self._joined.parts != (singles, both):
            if self._joined is not None:
                self._joined.clear()
            self._joined = Joined(singles, both)
        return self._joined


def _names(pair: Pair) -> frozenset[str]:
    return frozenset(f.key for f in pair)
