"""Hypotheses about a machine, and candidate machines at severities of each."""

import itertools
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache, cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from umweg.core.components import component_type
from umweg.core.components.base import WORKS, Array, FaultMode, WorkKind
from umweg.core.components.shop_kit import TestKit, Voltmeter
from umweg.core.errors import StateError
from umweg.core.network.network import Indices, Network
from umweg.core.solve.steady import Cases

SEVERITIES = tuple(k / 7 for k in range(1, 8))
PAIR_SEVERITIES = (0.2, 0.4, 0.6, 0.8, 1.0)
BETWEEN = (0.25, 0.5, 0.75)
"""Where a step of the grid is divided for a fault that is looked at more finely."""
FINEST = len(SEVERITIES) * (len(BETWEEN) + 1)
"""Steps in which a fault's severity is looked at, at the closest."""
Grid = tuple[float, ...]
"""Severities, the least first."""
HEALTHY = "healthy"
HEALTHY_PRIOR = 0.07
"""Share of complaints that turn out to be no hydraulic fault at all (operator, interlock)."""
PAIR_PRIOR = 0.15
"""Two faults at once, before anything is known: common on old machines, says the trade; one in seven of
those that are brought in."""


@dataclass(frozen=True)
class Fault:
    """One fault mode of one component of this circuit."""

    component_id: str
    mode: FaultMode
    slot: int
    healthy: float
    rate: float

    @cached_property
    def key(self) -> str:
        """``component:mode``, the fault's stable name."""
        return f"{self.component_id}:{self.mode.name}"

    def cured_by(self, component_id: str, work: WorkKind) -> bool:
        """Does some work on a part cure it: what it asks for, or another part in its place."""
        whole = WORKS[work].part_share == 1.0
        return component_id == self.component_id and (whole or work == self.mode.work)


@dataclass(frozen=True)
class Hypothesis:
    """No fault, one fault, or two at once."""

    faults: tuple[Fault, ...]
    prior: float

    @cached_property
    def key(self) -> str:
        """Stable name: ``healthy``, ``component:mode`` or two of them joined by ``+``."""
        return "+".join(f.key for f in self.faults) or HEALTHY


def faults_of(network: Network) -> tuple[Fault, ...]:
    """Every fault mode of every component that may have it, in a fixed order."""
    found = []
    for part in sorted(network.circuit.components, key=lambda c: c.id):
        for mode in component_type(part.type).fault_modes:
            if mode.own_lever and mode.own_lever in part.connections:
                continue
            if mode.name in part.rules_out:
                continue
            slot = network.slot[f"{part.id}.{mode.parameter}"]
            rate = mode.base_rate * part.fault_weight
            found.append(Fault(part.id, mode, slot, network.parameters[slot].value, rate))
    return tuple(found)


def parse_fault(network: Network, text: str) -> tuple[Fault, float]:
    """Read ``COMPONENT:MODE=SEVERITY``.

    Raises
    ------
    StateError : names the component or mode the circuit lacks, or the severity out of range.
    """
    name, _, number = text.partition("=")
    fault = next((f for f in faults_of(network) if f.key == name), None)
    if fault is None:
        component = name.partition(":")[0]
        known = [f.key for f in faults_of(network) if f.component_id == component]
        hint = f"known: {', '.join(known)}" if known else "no such component"
        raise StateError(f"there is no fault “{name}” ({hint})")
    try:
        severity = float(number)
    except ValueError:
        severity = -1.0
    if not 0.0 <= severity <= 1.0:
        raise StateError(f"severity of “{name}” must be a number from 0 to 1, got “{number}”")
    return fault, severity


@dataclass(frozen=True)
class Population:
    """Candidate machines: hypothesis, severities, the parameters that differ, prior weight.

    ``hypothesis (C,)``, ``severity (C, 2)``, ``slot (C, 2)`` (−1: none), ``value (C, 2)``,
    ``log_prior (C,)``; ``below``/``above (C, 2)`` are the neighbours on the severity grid of each
    fault, from which the spread inside a severity cell is taken (−1: none).
    """

    hypotheses: tuple[Hypothesis, ...]
    hypothesis: Indices
    severity: Array
    slot: Indices
    value: Array
    log_prior: Array
    below: Indices
    above: Indices

    @property
    def count(self) -> int:
        """Number of candidates C."""
        return len(self.hypothesis)

    @property
    def paired(self) -> bool:
        """Whether there are machines with two faults among them."""
        return bool((self.severity[:, 1] > 0.0).any())

    @cached_property
    def members(self) -> tuple[Indices, ...]:
        """Candidates of each hypothesis."""
        return tuple(np.flatnonzero(self.hypothesis == h) for h in range(len(self.hypotheses)))

    @cached_property
    def place_of(self) -> Mapping[str, int]:
        """Where each hypothesis stands, by its name."""
        return {h.key: i for i, h in enumerate(self.hypotheses)}

    @cached_property
    def from_oil_c(self) -> Array:
        """(C, 2) oil temperature from which each of a candidate's faults is there."""
        found = np.full(self.slot.shape, -np.inf)
        for hypothesis, rows in zip(self.hypotheses, self.members, strict=True):
            for w, fault in enumerate(hypothesis.faults):
                if fault.mode.from_oil_c is not None:
                    found[rows, w] = fault.mode.from_oil_c
        return found

    @cached_property
    def gone(self) -> Indices:
        """(C,) what each candidate is while its fault that comes and goes is gone: the healthy
        machine, which is the first, or the other of its two faults alone, at the nearest severity.
        Itself where it has none, or where that one is not among the candidates.
        """
        found = np.arange(self.count)
        alone = {h.key: rows for h, rows in zip(self.hypotheses, self.members, strict=True)}
        for hypothesis, rows in zip(self.hypotheses, self.members, strict=True):
            for w, fault in enumerate(hypothesis.faults):
                if not fault.mode.comes_and_goes:
                    continue
                others = [f.key for f in hypothesis.faults if f is not fault]
                if not others:
                    found[rows] = 0
                elif others[0] in alone:
                    like = alone[others[0]]
                    apart = np.abs(self.severity[rows, 1 - w, None] - self.severity[like, 0])
                    found[rows] = like[apart.argmin(axis=1)]
        return found

    @cached_property
    def wandering(self) -> Indices:
        """Candidates with a fault that comes and goes."""
        return np.flatnonzero(self.gone != np.arange(self.count))

    def slot_at(self, oil_c: float) -> Indices:
        """(C, 2) slots of what differs with the oil at a temperature."""
        return np.where(self.from_oil_c <= oil_c, self.slot, -1).astype(np.intp)

    @cached_property
    def _kept(self) -> Array:
        """(C, 2) how much of a difference of its sound value each of a candidate's faults leaves."""
        found = np.ones(self.slot.shape)
        for hypothesis, rows in zip(self.hypotheses, self.members, strict=True):
            for w, fault in enumerate(hypothesis.faults):
                found[rows, w] = fault.mode.kept(self.severity[rows, w])
        return found

    def kept_of(self, slots: Indices, oil_c: float) -> Array:
        """(U, C) how much of a difference between sound machines is left in each candidate.

        A line that is all but plugged is not as far from another plugged one as a sound line is
        from another sound one.

        Parameters
        ----------
        slots : (U,) of the parameters
        """
        changed = self.slot_at(oil_c)
        found = np.ones((len(slots), self.count))
        for w in range(changed.shape[1]):
            found *= np.where(slots[:, None] == changed[:, w], self._kept[:, w], 1.0)
        return found

    def part(self, rows: Indices) -> "Population":
        """Some of the candidates, without neighbours: these may be missing."""
        none = np.full((len(rows), 2), -1, dtype=np.intp)
        return Population(
            self.hypotheses,
            self.hypothesis[rows],
            self.severity[rows],
            self.slot[rows],
            self.value[rows],
            self.log_prior[rows],
            none,
            none,
        )

    def cases(self, state: int, oil_c: float) -> Cases:
        """All candidates in one state, with the oil at a temperature."""
        return Cases(np.full(self.count, state), self.slot_at(oil_c), self.value)


def single_faults(network: Network, grid: Grid = SEVERITIES) -> Population:
    """The healthy machine and every single fault on a grid of severities."""
    faults = faults_of(network)
    total = sum(f.rate for f in faults)
    share = (1.0 - HEALTHY_PRIOR) / total
    hypotheses = [Hypothesis((), HEALTHY_PRIOR)]
    hypotheses += [Hypothesis((f,), share * f.rate) for f in faults]
    return _population(hypotheses, [(grid,) * len(h.faults) for h in hypotheses])


def healthy_only() -> Population:
    """Nothing but the healthy machine."""
    return _population([Hypothesis((), 1.0)], [()])


def fault_pairs(
    singles: Population,
    pairs: Sequence[tuple[Fault, Fault]],
    grid: Grid = PAIR_SEVERITIES,
    grids: Sequence[tuple[Grid, Grid]] | None = None,
) -> Population:
    """Pairs of faults on a grid of severities; their prior is that of both happening at once.

    Parameters
    ----------
    grids : those of each pair's two faults, where they are not all the same
    """
    prior = {h.faults[0].key: h.prior for h in singles.hypotheses if len(h.faults) == 1}
    both = [Hypothesis((a, b), PAIR_PRIOR * prior[a.key] * prior[b.key] * 2.0) for a, b in pairs]
    return _population(both, grids or [(grid, grid)] * len(both))


def left_alone(
    pairs: Sequence[tuple[Fault, Fault]], grids: Sequence[tuple[Grid, Grid]]
) -> Population:
    """The faults that are there alone while the other one of their pair, which comes and goes, is
    gone; at the severities of their pairs.

    Parameters
    ----------
    grids : of each pair's two faults
    """
    alone: dict[str, tuple[Fault, set[float]]] = {}
    for faults, grid in zip(pairs, grids, strict=True):
        for fault, other, own in zip(faults, reversed(faults), grid, strict=True):
            if other.mode.comes_and_goes:
                alone.setdefault(fault.key, (fault, set()))[1].update(own)
    return _population(
        [Hypothesis((fault,), fault.rate) for fault, _ in alone.values()],
        [(tuple(sorted(own)),) for _, own in alone.values()],
    )


def merged(a: Population, b: Population) -> Population:
    """One population of both, hypotheses of ``a`` first."""
    shift = len(a.hypotheses)

    def joined(x: Array, y: Array) -> Array:
        return np.concatenate([x, y])

    def moved(neighbour: Indices) -> Indices:
        return np.where(neighbour >= 0, neighbour + a.count, -1).astype(np.intp)

    return Population(
        (*a.hypotheses, *b.hypotheses),
        np.concatenate([a.hypothesis, b.hypothesis + shift]),
        joined(a.severity, b.severity),
        np.concatenate([a.slot, b.slot]),
        joined(a.value, b.value),
        joined(a.log_prior, b.log_prior),
        np.concatenate([a.below, moved(b.below)]),
        np.concatenate([a.above, moved(b.above)]),
    )


def close_to(severity: float, steps: int) -> Grid:
    """Severities about one, of the finest steps, so many of them to either side."""
    middle = round(severity * FINEST)
    near = range(middle - steps, middle + steps + 1)
    return tuple(k / FINEST for k in near if 1 <= k <= FINEST)


def between(singles: Population, h: int) -> Population:
    """One fault at the severities between those of the grid, the first step beginning in order.

    Its candidates belong to the same hypotheses; they have no neighbours until :func:`divided`.
    """
    (fault,) = singles.hypotheses[h].faults
    grid = np.concatenate([[0.0], singles.severity[singles.members[h], 0]])
    levels = (grid[:-1, None] + np.diff(grid)[:, None] * np.array(BETWEEN)).ravel()
    count = len(levels)
    none = np.full((count, 2), -1, dtype=np.intp)
    severity, slot, value = np.zeros((count, 2)), none.copy(), np.zeros((count, 2))
    severity[:, 0], slot[:, 0] = levels, fault.slot
    value[:, 0] = fault.mode.value(fault.healthy, levels)
    return Population(
        singles.hypotheses,
        np.full(count, h, dtype=np.intp),
        severity,
        slot,
        value,
        np.zeros(count),
        none,
        none,
    )


def behind_one_another(parts: Sequence[Population]) -> Population:
    """Candidates of the same hypotheses in one population, as many of each as there are.

    They have no neighbours: each part's own severities are judged where the parts are.
    """

    def joined(each: Callable[[Population], NDArray[Any]]) -> NDArray[Any]:
        return np.concatenate([each(p) for p in parts])

    none = np.full((sum(p.count for p in parts), 2), -1, dtype=np.intp)
    return Population(
        parts[0].hypotheses,
        joined(lambda p: p.hypothesis),
        joined(lambda p: p.severity),
        joined(lambda p: p.slot),
        joined(lambda p: p.value),
        joined(lambda p: p.log_prior),
        none,
        none,
    )


def divided(singles: Population, finer: Sequence[Population]) -> tuple[Population, Indices]:
    """Single faults with some of them at more severities, each hypothesis in a row.

    Returns
    -------
    The population, and (C,) its candidates' places in all of the given ones behind one another.
    """
    every = behind_one_another((singles, *finer))
    order: Indices = np.lexsort((every.severity[:, 0], every.hypothesis)).astype(np.intp)
    owner = every.hypothesis[order]
    sizes = np.bincount(owner, minlength=len(singles.hypotheses))
    prior = np.array([h.prior for h in singles.hypotheses])
    place = np.arange(len(order))
    below, above = np.full((2, len(order), 2), -1, dtype=np.intp)
    same = owner[1:] == owner[:-1]
    below[1:, 0] = np.where(same, place[:-1], -1)
    above[:-1, 0] = np.where(same, place[1:], -1)
    return (
        Population(
            singles.hypotheses,
            owner,
            every.severity[order],
            every.slot[order],
            every.value[order],
            np.log(prior / np.maximum(sizes, 1))[owner],
            below,
            above,
        ),
        order,
    )


def _population(hypotheses: Sequence[Hypothesis], grids: Sequence[tuple[Grid, ...]]) -> Population:
    every = [_own(h.faults, grid) for h, grid in zip(hypotheses, grids, strict=True)]
    sizes = [math.prod(len(g) for g in own) for own in every]
    ends = np.cumsum([0, *sizes])
    count = int(ends[-1])
    severity, value = np.zeros((count, 2)), np.zeros((count, 2))
    slot = np.full((count, 2), -1, dtype=np.intp)
    beside = np.full((count, 2, 2), -1, dtype=np.intp)
    log_prior = np.empty(count)
    for first, last, hypothesis, own in zip(ends[:-1], ends[1:], hypotheses, every, strict=True):
        shape = tuple(len(g) for g in own)
        rows, places = slice(first, last), np.indices(shape).reshape(len(shape), last - first)
        share = np.ones(last - first)
        for w, (fault, grid, place) in enumerate(zip(hypothesis.faults, own, places, strict=True)):
            level = np.array(grid)
            severity[rows, w], slot[rows, w] = level[place], fault.slot
            value[rows, w] = fault.mode.value(fault.healthy, level)[place]
            share *= _parts(grid)[place]
        log_prior[rows] = np.log(hypothesis.prior * share)
        near = _neighbours(shape)
        beside[rows] = np.where(near >= 0, near + first, -1)
    return Population(
        tuple(hypotheses),
        np.repeat(np.arange(len(hypotheses), dtype=np.intp), sizes),
        severity,
        slot,
        value,
        log_prior,
        beside[:, 0],
        beside[:, 1],
    )


def _own(faults: Sequence[Fault], grid: tuple[Grid, ...]) -> list[Grid]:
    """The severities of each fault; what is either right or wrong has one."""
    return [
        (1.0,) if f.mode.scale == "switch" else wanted
        for f, wanted in zip(faults, grid, strict=True)
    ]


def _parts(grid: Grid) -> Array:
    """What part of all severities each stands for: as far as down to the one below it."""
    return np.diff([0.0, *grid]) / grid[-1]


@cache
def _neighbours(sizes: tuple[int, ...]) -> Indices:
    """(K, 2, 2) below and above along each fault's severity, of a hypothesis' own K candidates."""
    found = np.full((math.prod(sizes), 2, 2), -1, dtype=np.intp)
    place = np.arange(len(found)).reshape(sizes)
    for axis in range(len(sizes)):
        moved = np.moveaxis(place, axis, 0)
        for low, high in itertools.pairwise(range(sizes[axis])):
            found[moved[high], 0, axis] = moved[low]
            found[moved[low], 1, axis] = moved[high]
    return found


@dataclass(frozen=True)
class Unknowns:
    """This machine's own unknowns: parameters that differ between healthy machines.

    ``slot (U,)`` and ``sigma (U,)``, one standard deviation in the parameter's unit.
    """

    keys: tuple[str, ...]
    slot: Indices
    sigma: Array

    def grown(self, nominal: Array, away: Array) -> Array:
        """(U, …) by what factor each is another where it is so many standard deviations off.

        ``exp(z·σ/|v|)``: near the document that is ``v + z·σ``, and what is known to a fifth is never
        below nothing.

        Parameters
        ----------
        nominal : (U,) documented values; away : (U, …) standard deviations
        """
        share = np.sign(nominal) * self.sigma / np.abs(nominal)
        grown: Array = np.exp((away.T * share).T)
        return grown


def unknowns_of(network: Network) -> Unknowns:
    """Every parameter that its type declares a tolerance for, except the shop's own kit."""
    kits = {p.id for p in network.parts if p.type in (TestKit.type_name, Voltmeter.type_name)}
    found = [
        p
        for p in network.parameters
        if p.tolerance > 0 and p.value != 0 and p.component_id not in kits
    ]
    return Unknowns(
        tuple(p.key for p in found),
        np.array([p.slot for p in found], dtype=np.intp),
        np.array([abs(p.value) * p.tolerance for p in found]),
    )
