"""One diagnosis: circuit and observations in; suspects, reasons, groups, next steps out."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.diagnose.groups import groups_of
from umweg.core.diagnose.plan import Planner, next_steps
from umweg.core.diagnose.prior import UNKNOWN, noticed, with_pairs
from umweg.core.diagnose.ranking import LeftOut, Ranking, Suspect, rank
from umweg.core.diagnose.steps import Step
from umweg.core.diagnose.worth import Money, Repair, repairs_of
from umweg.core.faults.population import (
    PAIR_SEVERITIES,
    SEVERITIES,
    Fault,
    all_pairs,
    fault_pairs,
    single_faults,
)
from umweg.core.network.network import Network
from umweg.core.observe.exhibits import Played
from umweg.core.observe.history import History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Joined, Predictor
from umweg.core.observe.weights import Evidence
from umweg.core.solve.steady import SteadySolver

PAIR_LEADERS = 10
FINE_PAIRS = 8
HOPEFUL_PAIRS = 24
PAIRS_AT_HAND = 2
"""Populations with pairs that are kept: the coarse and the fine one of the last question."""


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
    """No step is worth its minutes against repairing now."""
    expected_cost: float
    """Of the cheapest sequence of repairs from here, nothing more being observed."""


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
        """The suspects weighed, pairs of faults among them where no single one explains it."""
        ranking = ranking or rank(
            self.exhibits, observations, self.instruments, self._noticed, self.history
        )
        if not ranking.wants_pairs:
            return ranking, self.predictor
        coarse = self._with_pairs(self._hopeful(ranking), PAIR_SEVERITIES)
        best = self._best_pairs(self._ranked(coarse, observations))
        finer = self._with_pairs(best, SEVERITIES)
        return self._ranked(finer, observations), finer

    def _ranked(self, predictor: Predictor, observations: Sequence[Observation]) -> Ranking:
        seen = with_pairs(self._noticed, predictor.population.count)
        return rank(Played(predictor), observations, self.instruments, seen, self.history)

    @cached_property
    def _noticed(self) -> Array:
        return noticed(self.exhibits)

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
        steps: list[Step] = []
        groups: dict[str, tuple[str, ...]] = {}
        expected_cost = 0.0
        if with_steps:
            planner = Planner(predictor, ranking, self.instruments, self.money)
            steps = next_steps(planner, observations)
            groups = groups_of(ranking, steps, planner)
            expected_cost = planner.stakes.now
        offered = [s for s in steps if not s.refused]
        return Diagnosis(
            ranking.listed(groups),
            ranking.other_share,
            ranking.explained,
            predictor is not self.predictor,
            ranking.left_out,
            tuple(steps),
            repairs_of(ranking, self.money),
            with_steps and all(s.saving <= 0 for s in offered),
            expected_cost,
        )

    def _hopeful(self, ranking: Ranking) -> list[tuple[Fault, Fault]]:
        """Pairs that could explain it: of those that explain best each part, and the hopeful ones."""
        pairs = all_pairs(self._leaders(ranking.evidence))
        known = {frozenset((a.key, b.key)) for a, b in pairs}
        hypotheses = ranking.population.hypotheses
        single = [
            h for h in np.argsort(-ranking.shares, kind="stable") if len(hypotheses[h].faults) == 1
        ]
        for flat in np.argsort(-ranking.hopes, axis=None, kind="stable")[:HOPEFUL_PAIRS]:
            row, other = np.unravel_index(flat, ranking.hopes.shape)
            a, b = hypotheses[single[row]].faults[0], hypotheses[other].faults
            if b and a.slot != b[0].slot and frozenset((a.key, b[0].key)) not in known:
                known.add(frozenset((a.key, b[0].key)))
                pairs.append((a, b[0]))
        return sorted(pairs, key=lambda p: (p[0].key, p[1].key))

    def _leaders(self, evidence: Sequence[Evidence]) -> list[Fault]:
        """Faults that explain best what was seen: each part of it, and all of it."""
        singles = self.predictor.population
        scores = [e.marginal() for e in evidence]
        scores.append(np.sum(scores, axis=0))
        orders = [np.argsort(-(score + singles.log_prior), kind="stable") for score in scores]
        leaders: dict[str, Fault] = {}
        for rank_ in range(singles.count):
            for order in orders:
                faults = singles.hypotheses[int(singles.hypothesis[order[rank_]])].faults
                if faults and len(leaders) < PAIR_LEADERS:
                    leaders[faults[0].key] = faults[0]
            if len(leaders) >= PAIR_LEADERS:
                break
        return sorted(leaders.values(), key=lambda f: f.key)

    def _best_pairs(self, ranking: Ranking) -> list[tuple[Fault, Fault]]:
        """The pairs that lead on the coarse grid: they are looked at on the fine one."""
        order = np.argsort(-ranking.shares, kind="stable")
        both = [ranking.population.hypotheses[h].faults for h in order]
        return [(f[0], f[1]) for f in both if len(f) == 2][:FINE_PAIRS]

    def _with_pairs(self, pairs: Sequence[tuple[Fault, Fault]], grid: Sequence[float]) -> Predictor:
        """A predictor of every single fault and some pairs; the last few are kept."""
        key = " ".join([str(len(grid)), *(f"{a.key}+{b.key}" for a, b in pairs)])
        if key not in self._pairs:
            population = fault_pairs(self.predictor.population, pairs, grid)
            both = Predictor(self.circuit, population, self.predictor.solver)
            while len(self._pairs) >= PAIRS_AT_HAND:
                del self._pairs[next(iter(self._pairs))]
            self._pairs[key] = Joined(self.predictor, both)
        return self._pairs[key]
