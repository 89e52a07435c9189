"""Who can it be, and why: observations weighed over the suspects of a circuit.

This is the half of a diagnosis that needs no machine played: it works on exhibits alone. Where those
come from one who can solve, the likeliest suspects are solved again where the belief stands.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations

import numpy as np

from umweg.core.components.base import Array
from umweg.core.diagnose.evidence import Belief, believe, log_not_astray, spread_band
from umweg.core.diagnose.moved import ROUNDS, SolvedAgain, settled
from umweg.core.diagnose.prior import UNKNOWN, kind_of, log_prior
from umweg.core.errors import UmwegError
from umweg.core.faults.population import PAIR_PRIOR, Fault, Hypothesis, Population
from umweg.core.network.network import Indices
from umweg.core.observe.baseline import weigh_earlier
from umweg.core.observe.exhibits import Exhibits, Suspects
from umweg.core.observe.history import Experience, History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import SEVERITIES as OWN_SEVERITIES
from umweg.core.observe.weights import Evidence, Measured, Told

SHOWN_SUSPECTS = 8
UNEXPLAINED_ABOVE = 0.5
WORTH_DRAWING = 0.2
"""Odds that all pairs of faults together must be able to reach before they are played."""
DIVIDED_FROM = 2
"""Readings from which on the severities of a fault can disagree about them."""
MOST_DIVIDED = 8
WORTH_DIVIDING = 0.02
"""Odds that a fault must be able to reach before it is played at more severities."""
HOPEFUL = 6
BEST_OF_EACH = 2
DOUBTED_ABOVE = 0.03
TAKEN_FOR_WRONG = 0.85
"""Share of the belief that treats a reading as misread, from which it is said."""
SHOWN_BY_FEW, EITHER = 0.2, 0.15
"""Two readings contradict one another where so little of the belief shows both, and at least so much
treats the one as misread, and so much the other."""
"""Share of the belief that calls a reading misread from which it is worth taking again."""
LEAST_SHARE = 1e-3
"""A suspect below this share is not shown."""
PAIR_SHARE = 0.02
"""A pair above this share is a suspect of its own …"""
SPEAKS_FOR = 1.5
"""… and one of which so much more is believed, beside the likelier of its two, than before anything
was observed: a complaint of something else that the likelier one leaves unexplained is enough for
that. Nothing speaks for all others but that two faults happen at once."""
LEAST_WEIGHT = 1e-30
"""Keeps averages over a suspect that nobody believes in defined."""


@dataclass(frozen=True)
class Band:
    """What someone would show: nine times out of ten between these, in base units."""

    key: str
    low: float
    high: float


@dataclass(frozen=True)
class Reason:
    """How one observation speaks for or against a suspect."""

    observation: str
    log10_ratio: float
    """Tens in favour (positive) or against, compared with all the others together."""
    expected: Band | None
    """What this suspect predicted, in base units; None for looks and words."""


@dataclass(frozen=True)
class Suspect:
    """A hypothesis with its share of the belief, its reasons, and whom it cannot be told from."""

    hypothesis: Hypothesis
    share: float
    """Of one fault: alone, or beside another with which it is no suspect of its own."""
    severity: float
    """Mean severity of the first fault over the belief, 0 … 1."""
    group: tuple[str, ...]
    there: float
    """Share of the belief in which one of its group is there, alone or beside another fault."""
    reasons: tuple[Reason, ...]
    experience: tuple[Experience, ...] = ()
    """The shop's with its faults, as far as it was taken over."""


@dataclass(frozen=True)
class LeftOut:
    """An observation that could not be weighed, and why; it is kept all the same."""

    observation: str
    why: str


def _bend(reading: Measured, population: Population) -> Array:
    """(C,) how far off a straight line to the neighbouring severities is, in standard deviations
    of a machine's reading: an eighth of the second difference, half way."""
    below, above = population.below[:, 0], population.above[:, 0]
    inside = np.flatnonzero(above >= 0)
    # Below the first severity lies the healthy machine, the first of all candidates.
    under, over = np.maximum(below[inside], 0), above[inside]
    mean, known = reading.mean, reading.known
    second = np.abs(mean[over] - 2.0 * mean[inside] + mean[under])
    slope = reading.slope[:-OWN_SEVERITIES, inside]
    sd = np.sqrt(np.einsum("uc,uc->c", slope, slope) + reading.noise_sd**2)
    found = np.zeros(population.count)
    found[inside] = np.where(known[inside] & known[under] & known[over], second / 8.0 / sd, 0.0)
    return found


@dataclass(frozen=True)
class Reach:
    """What some candidates (K) with each further hypothesis (H) beside them could reach.

    ``log_odds (K, H)`` against all single faults; ``beside (K, H)`` is the candidate of the other
    hypothesis that explains most of what is left.
    """

    candidates: Indices
    log_odds: Array
    beside: Indices


@dataclass(frozen=True)
class Ranking:
    """All candidates of some suspects, weighed by what was observed.

    ``inside (C,)`` is the belief among the modelled candidates and sums to 1, however little of
    the whole belief they keep; ``other_share`` is what “something not modelled” has.
    """

    suspects: Suspects
    evidence: tuple[Evidence, ...]
    belief: Belief
    inside: Array
    other_share: float
    left_out: tuple[LeftOut, ...] = ()
    history: History = UNKNOWN
    earlier: int = 0
    """How many of the machine's own readings, from when it was in order, were weighed."""

    @property
    def population(self) -> Population:
        """The candidates."""
        return self.suspects.population

    @cached_property
    def weight(self) -> Array:
        """(C,) share of the whole belief."""
        return self.inside * (1.0 - self.other_share)

    @cached_property
    def shares(self) -> Array:
        """(H,) share of the whole belief of each hypothesis."""
        return np.array([self.weight[m].sum() for m in self.population.members])

    @cached_property
    def leaders(self) -> Indices:
        """Hypotheses that are shown, the likeliest first."""
        return self._shown[0]

    @cached_property
    def _shown(self) -> tuple[Indices, Array]:
        """Who is shown, with their shares.

        A pair is a suspect of its own where something speaks for it. All others together are what
        was to be expected of two faults at once: each counts with its two, as far as each of them
        is likely alone, for they are there all the same, so that all shares together are no more
        than the whole belief.
        """
        shares, hypotheses = self.shares, self.population.hypotheses
        counted, own = shares.copy(), shares > LEAST_SHARE
        of_key = {h.key: i for i, h in enumerate(hypotheses) if len(h.faults) == 1}
        slight: dict[int, list[int]] = {}
        for i in np.flatnonzero(shares > 0.0).tolist():
            faults = hypotheses[i].faults
            if len(faults) > 1 and shares[i] < PAIR_SHARE:
                slight[i] = sorted((of_key[f.key] for f in faults), key=lambda h: -shares[h])
                likelier = slight[i][0]
                beside = hypotheses[i].prior / hypotheses[likelier].prior
                own[i] &= shares[i] >= SPEAKS_FOR * beside * shares[likelier]
        # Nor is one that there is no place for.
        placed = np.argsort(-np.where(own, shares, -1.0), kind="stable")[:SHOWN_SUSPECTS]
        for i, two in slight.items():
            if i not in placed or not own[i]:
                alone = shares[two] + LEAST_WEIGHT
                counted[two] += shares[i] * alone / alone.sum()
                own[i] = False
        order = np.argsort(-np.where(own, counted, -1.0), kind="stable")[:SHOWN_SUSPECTS]
        shown: Indices = order[own[order]]
        return shown, counted[shown]

    @property
    def keys(self) -> list[str]:
        """Names of the leaders."""
        return [self.population.hypotheses[h].key for h in self.leaders]

    @property
    def set_aside(self) -> float:
        """How many readings the belief treats as misread."""
        return float(self._doubt.sum())

    @cached_property
    def _readings(self) -> list[str]:
        """Those of this job, in the belief's order: the machine's earlier ones stand after them."""
        return sorted(e.id for e in self.evidence if isinstance(e, Measured))

    @cached_property
    def _doubt(self) -> Array:
        """(R,) share of the belief that treats each of them as misread."""
        found: Array = self.inside @ self.belief.set_aside[:, : len(self._readings)]
        return found

    @cached_property
    def doubted(self) -> frozenset[str]:
        """Readings that a good part of the belief treats as misread: worth taking again."""
        both = zip(self._readings, self._doubt, strict=True)
        return frozenset(r for r, d in both if d > DOUBTED_ABOVE)

    @cached_property
    def at_odds(self) -> tuple[tuple[str, ...], ...]:
        """Readings to be taken again before anything is made of them: two of which hardly anybody
        shows both, and one that what leads takes for wrong, where more than one speaks against it."""
        names, weight = self._readings, self.inside[:, None]
        wrong = self.belief.set_aside[:, : len(names)].astype(float)
        right = 1.0 - wrong
        both = (right * weight).T @ right
        # Where one of them is right, who is wrong then.
        then = (right * weight).T @ wrong / np.maximum(both.diagonal(), LEAST_WEIGHT)[:, None]
        alone, pairs = [], []
        for i in np.flatnonzero(self._doubt > TAKEN_FOR_WRONG).tolist():
            against = np.flatnonzero(then[i] > 0.5).tolist()
            if len(against) == 1 and both[i, i] > LEAST_WEIGHT:
                pairs.append((i, against[0]))
            else:
                alone.append((i,))
        either = np.flatnonzero(self._doubt > EITHER).tolist()
        pairs += [(i, j) for i, j in combinations(either, 2) if both[i, j] < SHOWN_BY_FEW]
        lonely = {i for (i,) in alone}
        pairs = [pair for pair in pairs if not lonely & set(pair)]
        found = [*alone, *dict.fromkeys((min(p), max(p)) for p in pairs)]
        return tuple(tuple(names[i] for i in one) for one in found)

    @property
    def explained(self) -> bool:
        """Somebody modelled leads, and explains at least two thirds of the readings."""
        most = len(self._readings) / 3
        return self.other_share <= UNEXPLAINED_ABOVE and self.set_aside <= most

    @property
    def wants_pairs(self) -> bool:
        """No single fault explains it, or a second one might well: two are worth drawing."""
        if not self.evidence:
            return False
        if self.other_share > UNEXPLAINED_ABOVE or self.set_aside > 0.5:
            return True
        if all(isinstance(e, Told) and e.story for e in self.evidence):
            # The story alone: what is seen first will tell more of a second fault than it does.
            return False
        return bool(np.exp(np.minimum(self.hopes.log_odds, 0.0)).sum() > WORTH_DRAWING)

    @cached_property
    def divisible(self) -> Indices:
        """Hypotheses worth looking at between the severities of their grid, the likeliest first.

        A fault with a cliff may explain every reading at some severity, and none of the grid's
        explains all: each reading counts as if its best severity were there, from what the likeliest
        of the grid weighs with all of them together, or each by itself. (Readings that share an
        unknown weigh more together: by itself alone the true one was given up at the tenth.) It is
        worth it where what is shown bends so much that a straight line between two of the grid's
        is no answer.
        """
        readings = [e for e in self.evidence if isinstance(e, Measured)]
        if len(readings) < DIVIDED_FROM:
            return np.zeros(0, dtype=np.intp)
        population = self.population
        fit, weight = self._fit, self.belief.log_weight
        total = np.logaddexp.reduce(np.append(weight, self.belief.log_other))
        most = np.full(len(population.hypotheses), -np.inf)
        for h, rows in enumerate(population.members):
            if population.hypotheses[h].key in self.bent:
                prior = np.logaddexp.reduce(population.log_prior[rows])
                of_each = fit[:, rows].max(axis=1)
                likeliest = rows[np.argmax(weight[rows])]
                together = weight[likeliest] + (of_each - fit[:, likeliest]).sum()
                most[h] = max(of_each.sum() + prior, together)
        order = np.argsort(-most, kind="stable")[:MOST_DIVIDED]
        found: Indices = np.sort(order[most[order] > total + np.log(WORTH_DIVIDING)])
        return found

    @cached_property
    def hopeful(self) -> Indices:
        """(L,) single faults that lead, or explain some observation best: one of two may be there."""
        population = self.population
        single = np.array([len(h.faults) == 1 for h in population.hypotheses])
        leading = np.argsort(-self.shares, kind="stable")[:HOPEFUL]
        score = self._fit + population.log_prior
        best = population.hypothesis[np.argsort(-score, axis=1, kind="stable")[:, :BEST_OF_EACH]]
        found: Indices = np.array(
            [h for h in dict.fromkeys([*leading, *best.T.ravel()]) if single[h]], dtype=np.intp
        )
        return found

    @cached_property
    def bent(self) -> frozenset[str]:
        """Single faults of which a straight line between two of their severities is no answer to
        one of the readings."""
        population, found = self.population, np.zeros(self.population.count, dtype=bool)
        for reading in self.evidence:
            if isinstance(reading, Measured):
                found |= _bend(reading, population) > 1.0
        bent = (population.hypotheses[h] for h in np.unique(population.hypothesis[found]))
        return frozenset(h.key for h in bent if len(h.faults) == 1)

    @cached_property
    def hopes(self) -> Reach:
        """What each of the ``hopeful`` with each further hypothesis could reach."""
        members = (self.population.members[h] for h in self.hopeful)
        best = [m[np.argmax(self.belief.log_weight[m])] for m in members]
        return self.reach(np.array(best, dtype=np.intp))

    def reach(self, candidates: Indices) -> Reach:
        """What two faults could reach at the best, against all single faults.

        Of each of some candidates with each further hypothesis: as if each observation were
        explained by whichever of the two explains it better, at the price of both being there.
        """
        population = self.population
        total = np.logaddexp.reduce(np.append(self.belief.log_weight, self.belief.log_other))
        fit = self._fit
        single = np.array([len(h.faults) == 1 for h in population.hypotheses])
        price = np.log(2 * PAIR_PRIOR * np.array([h.prior for h in population.hypotheses]))
        starts = np.array([m[0] for m in population.members])
        # A leader that a story speaks against lives on the chance that the story is wrong; what a
        # second fault explains of it cannot be gained on top of that chance.
        alone = self.belief.log_weight + log_not_astray(self.evidence, population)
        hopes = np.full((len(candidates), len(population.hypotheses)), -np.inf)
        beside = np.zeros(hopes.shape, dtype=np.intp)
        for row, c in enumerate(candidates):
            gain = np.maximum(fit - fit[:, [c]], 0.0).sum(axis=0)
            most = np.maximum.reduceat(gain, starts)
            hopes[row] = alone[c] - total + most + price
            hopes[row, [population.hypothesis[c], *np.flatnonzero(~single)]] = -np.inf
            best = np.flatnonzero(gain == most[population.hypothesis])
            # Of several severities that gain as much the first is taken.
            beside[row, population.hypothesis[best[::-1]]] = best[::-1]
        return Reach(candidates, hopes, beside)

    @cached_property
    def _fit(self) -> Array:
        """(N, C) log likelihood of each observation alone under each candidate."""
        return np.stack([item.marginal() for item in self.evidence])

    def nearest(self, fault: Fault, severity: float) -> int:
        """The candidate with one fault alone whose severity is nearest."""
        members = self.population.members[self.population.place_of[fault.key]]
        return int(members[np.argmin(np.abs(self.population.severity[members, 0] - severity))])

    def listed(self, groups: Mapping[str, tuple[str, ...]] | None = None) -> tuple[Suspect, ...]:
        """The leaders with their reasons; alone in their groups where none are given."""
        groups = groups or {}
        return tuple(
            Suspect(
                self.population.hypotheses[h],
                float(share),
                self._mean_severity(h),
                groups.get(key, (key,)),
                self._there(groups.get(key, (key,))),
                self._reasons(h),
                self._experience(h),
            )
            for h, share, key in zip(*self._shown, self.keys, strict=True)
        )

    def _there(self, group: Sequence[str]) -> float:
        named = {name for key in group for name in key.split("+")}
        hypotheses = self.population.hypotheses
        found = [not named.isdisjoint(h.key.split("+")) for h in hypotheses]
        return float(self.shares[found].sum())

    def _experience(self, h: int) -> tuple[Experience, ...]:
        circuit = self.suspects.circuit
        kinds = {kind_of(circuit, f) for f in self.population.hypotheses[h].faults}
        return tuple(e for e in self.history.experience if (e.type, e.mode) in kinds)

    def _mean_severity(self, h: int) -> float:
        members = self.population.members[h]
        total = self.inside[members].sum()
        if total <= 0:
            return 0.0
        severity = self.population.severity[members, 0]
        return float((self.inside[members] * severity).sum() / total)

    def spoke_for(self, component: str, mode: str, least_log10: float) -> set[str]:
        """Observations that spoke for a fault of a part, or for any of its faults where none is named,
        by so many tens at the least."""
        named = [
            h
            for h, hypothesis in enumerate(self.population.hypotheses)
            if any(
                f.component_id == component and mode in ("", f.mode.name) for f in hypothesis.faults
            )
        ]
        # Of many faults of one part only those count that are believed.
        named = [h for h in named if len(named) == 1 or self.shares[h] > LEAST_SHARE]
        return {
            reason.observation
            for h in named
            for reason in self._reasons(h)
            if reason.log10_ratio >= least_log10
        }

    def _reasons(self, h: int) -> tuple[Reason, ...]:
        """For each observation: how much better this suspect predicts it than all others together."""
        members = self.population.members[h]
        own = self.inside[members] + LEAST_WEIGHT
        mine = self._likelihood[:, members] @ own / own.sum()
        # The others are weighed by what was believed without counting this one twice: the prior.
        prior = np.exp(self.population.log_prior)
        prior[members] = 0.0
        rest = self._likelihood @ prior / prior.sum()
        ratio = np.log10((mine + LEAST_WEIGHT) / (rest + LEAST_WEIGHT))
        return tuple(
            Reason(item.id, float(tens), self._expected(item, h, members, own))
            for item, tens in zip(self.evidence, ratio, strict=True)
        )

    def _expected(self, item: Evidence, h: int, members: Indices, own: Array) -> Band | None:
        if not isinstance(item, Measured):
            return None
        slope = item.slope[:, members]
        variance = np.einsum("uc,uc->c", slope, slope) + item.noise_sd**2
        low, high = spread_band(item.quantity, item.mean[members], variance, own)
        return Band(self.population.hypotheses[h].key, low, high)

    @cached_property
    def _likelihood(self) -> Array:
        """(N, C) of each observation under each candidate, the best candidate's being 1."""
        if not self.evidence:
            return np.zeros((0, len(self.inside)))
        likelihood: Array = np.exp(self._fit - self._fit.max(axis=1, keepdims=True))
        return likelihood

    def bands(self, reading: Measured) -> tuple[Band, tuple[Band, ...]]:
        """What the healthy machine and each leader would show for a further reading."""
        population = self.population
        mean, variance = self.belief.posterior(reading.mean, reading.slope)
        variance = variance + reading.noise_sd**2
        found = []
        for h in [0, *np.argsort(-self.shares, kind="stable")[:SHOWN_SUSPECTS]]:
            members = population.members[h]
            own = self.inside[members] + LEAST_WEIGHT
            low, high = spread_band(reading.quantity, mean[members], variance[members], own)
            found.append(Band(population.hypotheses[h].key, low, high))
        return found[0], tuple(found[1:])


def rank(
    exhibits: Exhibits,
    observations: Sequence[Observation],
    instruments: Sequence[Instrument],
    seen: Array | None = None,
    history: History = UNKNOWN,
    again: bool = True,
) -> Ranking:
    """Weigh the suspects by everything that was observed.

    An observation that cannot be weighed is left out, and said.

    Parameters
    ----------
    seen : (C,) how likely each candidate is noticed, where it is known already
    history : of this machine; what it showed while it was in order tells what to expect of it
    again : whether the likeliest are solved where their own numbers are believed to be, if anybody
        can

    Raises
    ------
    NotPlayedError : what the candidates would show for one of them was not worked out yet.
    """
    evidence, left_out = [], []
    for observation in observations:
        try:
            evidence.append(observation.weigh(exhibits, instruments))
        except UmwegError as error:
            left_out.append(LeftOut(observation.id, error.message))
    earlier = []
    for reading in history.baseline:
        try:
            earlier.append(weigh_earlier(reading, history.hours, exhibits, instruments))
        except UmwegError:
            # The machine has another circuit now: there is nothing left to go by.
            continue
    prior = log_prior(exhibits, seen, history)
    belief = believe(exhibits.suspects, evidence, prior=prior, earlier=earlier)
    if again and (solving := exhibits.solving) is not None:
        belief = _solved_again(solving, belief, evidence, prior, earlier)
    best = float(belief.log_weight.max())
    scaled = np.exp(belief.log_weight - best)
    modelled = best + float(np.log(scaled.sum()))
    other = float(np.exp(belief.log_other - np.logaddexp(modelled, belief.log_other)))
    return Ranking(
        exhibits.suspects,
        tuple(evidence),
        belief,
        scaled / scaled.sum(),
        other,
        tuple(left_out),
        history,
        len(earlier),
    )


def _solved_again(
    predictor: Predictor,
    belief: Belief,
    evidence: Sequence[Evidence],
    prior: Array,
    earlier: Sequence[Measured],
) -> Belief:
    """The belief once the likeliest candidates are solved where it stands, words and all."""
    suspects = Suspects(predictor.circuit, predictor.network, predictor.population)
    again = SolvedAgain(predictor, evidence)
    for _ in range(ROUNDS):
        moved = again.round(belief)
        if moved is None:
            break
        before = belief.log_weight
        belief = believe(suspects, moved, prior=prior, earlier=earlier)
        if settled(before, belief.log_weight) and not again.halving:
            break
    if not again.somebody:
        return belief
    heard = again.heard(belief)
    return believe(suspects, heard, prior=prior - again.toll(belief), earlier=earlier)
