"""One diagnosis: circuit and observations in; suspects, reasons, groups, next steps out."""

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.diagnose.doubts import meant_otherwise
from umweg.core.diagnose.groups import groups_of
from umweg.core.diagnose.guesses import Guess, guesses_of
from umweg.core.diagnose.pairs import Drawn, Grids, chosen_grids, chosen_pairs
from umweg.core.diagnose.plan import Planner, next_steps
from umweg.core.diagnose.prior import UNKNOWN, noticed, with_pairs
from umweg.core.diagnose.ranking import LeftOut, Ranking, Suspect, rank
from umweg.core.diagnose.steps import Step
from umweg.core.diagnose.worth import Money, Repair, gives_back, repairs_of
from umweg.core.errors import SolveError, UmwegError
from umweg.core.faults.population import (
    Population,
    between,
    fault_pairs,
    healthy_only,
    left_alone,
    merged,
)
from umweg.core.network.network import Indices
from umweg.core.observe.composed import Divided, Joined, Paired, Screened
from umweg.core.observe.exhibits import Exhibits, Played
from umweg.core.observe.history import History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.narrow import Narrow
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor
from umweg.core.observe.solved import SolvedBefore

BETWEEN_AT_HAND = 40
"""Faults that are kept at the severities between the grid's."""
DIVIDED_AT_HAND = 3
"""Populations with some of them that are kept."""
PAIRS_AT_HAND = 5
"""Populations of pairs that were screened which are kept: as many as one question asks for."""


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
    at_odds: tuple[tuple[str, ...], ...] = ()
    """Readings to be taken again first: alone, or two that contradict one another."""
    meant: tuple[tuple[str, str], ...] = ()
    """Of readings that nobody believable shows: their names, and what they may have been."""
    gives_back: bool = False
    """The cheapest sequence begins with mending nothing."""

    @property
    def do_first(self) -> Repair | None:
        """What is mended first; nothing where the machine is given back as it is."""
        return None if self.gives_back or not self.repairs else self.repairs[0]


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
        self._pairs: dict[str, Screened] = {}
        self._solved = SolvedBefore()
        self._chosen: tuple[str, Paired] | None = None
        self._joined: Joined | None = None
        self._between: dict[int, Predictor] = {}
        self._divided: dict[tuple[int, ...], tuple[Predictor, Array]] = {}
        self._narrow: tuple[Predictor, Indices, Narrow] | None = None

    @classmethod
    def of(
        cls,
        circuit: Circuit,
        instruments: Sequence[Instrument],
        labour_per_min: float = 1.5,
        history: History = UNKNOWN,
    ) -> "Diagnostician":
        """One for all single faults of a circuit."""
        return cls(Predictor.of(circuit), instruments, labour_per_min, history)

    @property
    def circuit(self) -> Circuit:
        """The circuit this one answers for."""
        return self.predictor.circuit

    def rank(
        self, observations: Sequence[Observation], ranking: Ranking | None = None
    ) -> tuple[Ranking, Predictor]:
        """The suspects weighed: those that may explain it at more severities than the grid's, and
        pairs of faults among them where no single one explains it."""
        if ranking is None:
            ranking = self._ranked(self.predictor, self._noticed, observations, self.exhibits)
        predictor, seen = self.predictor, self._noticed
        bent = ranking.bent
        if len(ranking.divisible):
            predictor, seen = self._with_divided(ranking.divisible)
            ranking = self._ranked(predictor, seen, observations)
        if not ranking.wants_pairs:
            return ranking, predictor

        def weighed(pairs: Sequence[Drawn], grids: Grids) -> list[tuple[Drawn, float]]:
            return self._weighed(pairs, grids, predictor, observations)

        pairs = chosen_pairs(ranking, bent, weighed)
        predictor = self._with_pairs(pairs, chosen_grids(pairs, bent), predictor)
        return self._ranked(predictor, seen, observations), predictor

    def _ranked(
        self,
        predictor: Predictor,
        seen: Array,
        observations: Sequence[Observation],
        exhibits: Exhibits | None = None,
        again: bool = True,
    ) -> Ranking:
        _solve_together(predictor, observations)
        exhibits = exhibits or Played(predictor)
        seen = with_pairs(seen, predictor.population.count)
        return rank(exhibits, observations, self.instruments, seen, self.history, again)

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
            while len(self._divided) >= DIVIDED_AT_HAND:
                self._divided.pop(next(iter(self._divided)))[0].clear()
            self._divided[key] = finer, noticed(Played(finer))
        return self._divided[key]

    @cached_property
    def _noticed(self) -> Array:
        return noticed(self.exhibits)

    def prepare(self) -> None:
        """Solve every named state of all single faults, for who plans again and again: a single
        question needs but few of them.

        Raises
        ------
        SolveError : the healthy machine has no steady state in one of them.
        """
        self.predictor.prepare(self.circuit.steady.values())

    def planner(self, observations: Sequence[Observation]) -> Planner:
        """What could be observed next after these, judged step by step."""
        return self._planner(*self.rank(observations))

    def _planner(self, ranking: Ranking, predictor: Predictor) -> Planner:
        return Planner(predictor, ranking, self.instruments, self.money, self._narrowed)

    def _narrowed(self, whole: Predictor, wanted: Indices) -> Narrow:
        """The few that are planned for; who plans for the same ones again finds them solved."""
        last = self._narrow
        if last is not None:
            if last[0] is whole and np.array_equal(last[1], wanted):
                return last[2]
            last[2].clear()
        self._narrow = whole, wanted, Narrow(whole, wanted)
        return self._narrow[2]

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
        if not with_steps:
            return _answer(ranking, self.money)
        return self._planned(self._planner(ranking, predictor), observations)

    def diagnose_and_plan(self, observations: Sequence[Observation]) -> tuple[Diagnosis, Planner]:
        """The same, and the planner that the steps were judged by, to judge others."""
        planner = self.planner(observations)
        return self._planned(planner, observations), planner

    def _planned(self, planner: Planner, observations: Sequence[Observation]) -> Diagnosis:
        ranking, order = planner.ranking, next_steps(planner, observations)
        return replace(
            _answer(ranking, planner.money, groups_of(ranking, order.steps, planner)),
            steps=order.steps,
            enough=not order.pays,
            expected_cost=planner.stakes.now,
            guesses=tuple(guesses_of(planner)),
            meant=meant_otherwise(planner.everybody, ranking, observations, self.instruments),
        )

    def put_aside(self) -> None:
        """Throw away what was solved for pairs and finer severities; what the single faults show
        stays. Who asks again waits a little longer.
        """
        finer = (p for p, _ in self._divided.values())
        for predictor in (*self._pairs.values(), *finer, *self._between.values()):
            predictor.clear()
        for kept in (self._joined, self._chosen and self._chosen[1]):
            if kept is not None:
                kept.clear()
        if self._narrow is not None:
            self._narrow[2].clear()
        self._pairs.clear()
        self._solved.clear()
        self._divided.clear()
        self._between.clear()
        self._joined = self._chosen = self._narrow = None

    def _weighed(
        self,
        pairs: Sequence[Drawn],
        grids: Grids,
        singles: Predictor,
        observations: Sequence[Observation],
    ) -> list[tuple[Drawn, float]]:
        """Some pairs at their likeliest severities, best first, by their log weights."""
        if not pairs:
            return []
        predictor = self._screened(pairs, grids, singles)
        population = predictor.population
        # Chosen at a quick look, weighed for good among all others.
        quick = self._ranked(predictor, np.zeros(0), observations, again=False)
        weight = quick.belief.log_weight
        # A pair's candidates stand behind one another, after the machine in order and the others.
        starts = np.array([rows[0] for rows in population.members[-len(pairs) :]])
        whole = np.logaddexp.reduceat(weight, starts)
        others = np.full(len(population.hypotheses) - len(pairs), np.nan)
        most = np.append(others, np.maximum.reduceat(weight, starts))
        best = np.flatnonzero(weight == most[population.hypothesis])
        likeliest = best[np.unique(population.hypothesis[best], return_index=True)[1]]
        found = [
            (Drawn(pair.faults, (a, b)), log_weight)
            for pair, (a, b), log_weight in zip(
                pairs, population.severity[likeliest].tolist(), whole.tolist(), strict=True
            )
        ]
        return sorted(found, key=lambda f: -f[1])

    def _screened(self, pairs: Sequence[Drawn], grids: Grids, singles: Predictor) -> Predictor:
        """What some pairs show at a quick look; those asked for last are kept."""
        key = _key(pairs, grids)
        if key not in self._pairs:
            while len(self._pairs) >= PAIRS_AT_HAND:
                self._pairs.pop(next(iter(self._pairs))).clear()
            # Words and warmth are told by how the machine in order moves: it stands first. Then
            # what is left of those pairs of which one fault comes and goes.
            left = left_alone([p.faults for p in pairs], grids)
            population = merged(merged(healthy_only(), left), self._drawn(pairs, grids))
            self._pairs[key] = Screened(singles, population, self._solved)
        return self._pairs[key]

    def _drawn(self, pairs: Sequence[Drawn], grids: Grids) -> Population:
        return fault_pairs(self.predictor.population, [p.faults for p in pairs], grids=grids)

    def _with_pairs(self, pairs: Sequence[Drawn], grids: Grids, singles: Predictor) -> Predictor:
        """A predictor of every single fault and some pairs; their slopes are a state's megabytes by
        the dozen, so only the last ones are kept."""
        key = _key(pairs, grids)
        if self._chosen is None or self._chosen[0] != key:
            if self._chosen is not None:
                self._chosen[1].clear()
            self._chosen = key, Paired(singles, self._drawn(pairs, grids))
        both = self._chosen[1]
        if self._joined is None or self._joined.parts != (singles, both):
            if self._joined is not None:
                self._joined.clear()
            self._joined = Joined(singles, both)
        return self._joined


def _solve_together(predictor: Predictor, observations: Sequence[Observation]) -> None:
    """Solve in one batch what some observations are weighed by: one by one, most lanes of the
    compiled code would wait for the slowest few candidates of each."""
    states: list[MachineState] = []
    for observation in observations:
        # Who weighs them says what cannot be weighed, and why.
        with suppress(UmwegError):
            states.extend(observation.solved_in(predictor.circuit))
    with suppress(SolveError):
        predictor.prepare(states)


def _key(pairs: Sequence[Drawn], grids: Grids) -> str:
    return repr(([(p.faults[0].key, p.faults[1].key) for p in pairs], grids))


def _answer(
    ranking: Ranking, money: Money, groups: Mapping[str, tuple[str, ...]] | None = None
) -> Diagnosis:
    return Diagnosis(
        suspects=ranking.listed(groups),
        other_share=ranking.other_share,
        explained=ranking.explained,
        pairs_drawn=ranking.population.paired,
        left_out=ranking.left_out,
        steps=(),
        repairs=repairs_of(ranking, money),
        gives_back=gives_back(ranking, money),
        enough=False,
        expected_cost=0.0,
        earlier_readings=ranking.earlier,
        at_odds=ranking.at_odds,
    )
