"""Two faults: which of thousands of pairs are looked at, and that a quick look loses none."""

import gc
import weakref

import numpy as np
import pytest

from umweg.core.diagnose.diagnosis import PAIRS_AT_HAND, Diagnostician
from umweg.core.diagnose.play import complaint
from umweg.core.diagnose.ranking import PAIR_SHARE, rank
from umweg.core.faults.population import (
    PAIR_SEVERITIES,
    SEVERITIES,
    Fault,
    fault_pairs,
    faults_of,
    parse_fault,
)
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Joined, Predictor, Screened
from umweg.core.observe.quantities import Quantity
from umweg.core.solve.steady import SteadySolver

BAR = Quantity("pressure_bar", "block_gauge")


@pytest.fixture(scope="module")
def by_key(packer_solver: SteadySolver) -> dict[str, Fault]:
    return {f.key: f for f in faults_of(packer_solver.network)}


def test_screened_pairs_are_solved_and_their_slopes_add_up(
    packer_predictor: Predictor, by_key: dict[str, Fault]
) -> None:
    # What is wrong with the tailgate changes nothing while the blade moves, and the other way round.
    pair = by_key["pump:worn"], by_key["tailgate_section:linkage_off"]
    drawn = fault_pairs(packer_predictor.population, [pair], SEVERITIES)
    screened = Screened(packer_predictor, drawn)
    exact = Predictor(packer_predictor.circuit, drawn, packer_predictor.solver)
    state = packer_predictor.circuit.states["blade_extend_stalled"]
    a, b = screened[state], exact[state]
    assert a.mean == pytest.approx(b.mean, abs=1e-6)
    assert (a.known == b.known).all()
    row = a.row(BAR)
    assert a.slope[row] == pytest.approx(b.slope[row], abs=0.02 * np.abs(b.slope[row]).max())


def test_a_pair_is_put_together_from_the_nearest_severities(
    packer_predictor: Predictor, by_key: dict[str, Fault]
) -> None:
    pair = by_key["pump:worn"], by_key["main_relief:set_low"]
    drawn = fault_pairs(packer_predictor.population, [pair], PAIR_SEVERITIES)
    screened = Screened(packer_predictor, drawn)
    alone = packer_predictor.population
    for c in range(drawn.count):
        for w, fault in enumerate(pair):
            single = screened._alone[w, c]
            assert alone.hypotheses[alone.hypothesis[single]].key == fault.key
            away = abs(alone.severity[single, 0] - drawn.severity[c, w])
            assert away <= 0.5 / 7 + 1e-9


def test_joined_slopes_are_those_of_the_parts(
    packer_predictor: Predictor, by_key: dict[str, Fault]
) -> None:
    pair = by_key["pump:worn"], by_key["main_relief:set_low"]
    both = Predictor(
        packer_predictor.circuit,
        fault_pairs(packer_predictor.population, [pair], PAIR_SEVERITIES),
        packer_predictor.solver,
    )
    joined = Joined(packer_predictor, both)
    state = packer_predictor.circuit.states["blade_extend_stalled"]
    singles = packer_predictor.population.count
    row = joined[state].row(BAR)
    found = joined[state].slope[row]
    assert found[:, :singles] == pytest.approx(packer_predictor[state].slope[row])
    assert found[:, singles:] == pytest.approx(both[state].slope[row])


def seen_of(
    doctor: Diagnostician, faults: list[tuple[Fault, float]], asked: list[tuple[str, str]]
) -> list[Observation]:
    machine = HiddenMachine(
        doctor.circuit, faults, np.random.default_rng(8), doctor.predictor.solver
    )
    seen = list(complaint(machine))
    for i, (state, point) in enumerate(asked):
        reading = blank(Quantity("pressure_bar", point), state).witnessed(machine)
        seen.append(reading.model_copy(update={"id": f"r{i}"}))
    return seen


STALLED = ["blade_extend_stalled", "blade_retract_stalled", "tailgate_raise_stalled"]


@pytest.mark.parametrize(
    "hidden",
    [
        ("main_relief:set_low=0.45", "tailgate_section:linkage_off=0.9"),
        ("tank:low_level=0.9", "blade_right:piston_bypass=0.95"),
    ],
)
def test_the_pair_that_is_there_is_among_the_chosen(
    packer_doctor: Diagnostician, hidden: tuple[str, str]
) -> None:
    faults = [parse_fault(packer_doctor.predictor.network, h) for h in hidden]
    states = [s for s in STALLED if s in packer_doctor.circuit.states]
    seen = seen_of(packer_doctor, faults, [(s, "block_gauge") for s in states])
    ranking, predictor = packer_doctor.rank(seen)
    keys = {frozenset(f.key for f in h.faults) for h in ranking.population.hypotheses}
    assert predictor.population.paired
    assert frozenset(f.key for f, _ in faults) in keys
    # That one of them is there is believed alone, and in every pair that it is one of.
    for suspect in ranking.listed():
        named = {f.key for f in suspect.hypothesis.faults}
        with_it = [
            share
            for share, h in zip(ranking.shares, ranking.population.hypotheses, strict=True)
            if named & {f.key for f in h.faults} or h is suspect.hypothesis
        ]
        assert suspect.there == pytest.approx(sum(with_it))
        assert suspect.share <= suspect.there <= 1.0 + 1e-9
    # What is shown is a part of the whole belief: a pair that nothing speaks for counts with one of
    # its two, and nothing counts twice.
    hypotheses = ranking.population.hypotheses
    shown = {s.hypothesis.key: s.share for s in ranking.listed()}
    assert list(shown.values()) == sorted(shown.values(), reverse=True)
    alone = {h.key: float(share) for share, h in zip(ranking.shares, hypotheses, strict=True)}
    small = {
        h.key: alone[h.key] for h in hypotheses if len(h.faults) > 1 and alone[h.key] < PAIR_SHARE
    }
    assert not small.keys() & shown.keys()
    for key, share in shown.items():
        beside = [p for k, p in small.items() if key in k.split("+")]
        assert share >= alone[key]
        assert share <= alone[key] + sum(beside) + 1e-12
        assert share == pytest.approx(alone[key] + sum(beside), rel=0.05)
    assert sum(shown.values()) + ranking.other_share <= 1.0 + 1e-9


def test_a_second_round_stands_beside_the_severity_that_two_have(
    packer_doctor: Diagnostician, by_key: dict[str, Fault]
) -> None:
    seen = seen_of(packer_doctor, [(by_key["pump:worn"], 0.7)], [(STALLED[0], "block_gauge")])
    ranking = rank(packer_doctor.exhibits, seen, packer_doctor.instruments)
    c = ranking.nearest(by_key["pump:worn"], 0.6)
    population = ranking.population
    assert population.hypotheses[population.hypothesis[c]].key == "pump:worn"
    assert population.severity[c, 0] == pytest.approx(4 / 7)
    hopes = ranking.reach(np.array([c]))
    # Nothing stands beside itself, and nobody beside the machine in order.
    assert hopes[0, population.hypothesis[c]] == -np.inf
    assert hopes[0, 0] == -np.inf
    # No pair is hoped more of than each observation explained at its best would give.
    best = ranking._fit.max(axis=1).sum()
    bound = best - np.logaddexp.reduce(ranking.belief.log_weight)
    assert hopes.max() < bound


def test_what_is_put_aside_leaves_the_memory_at_once(
    packer_doctor: Diagnostician, by_key: dict[str, Fault]
) -> None:
    doctor = Diagnostician(packer_doctor.predictor, packer_doctor.instruments)
    others = [f for key, f in by_key.items() if f.slot != by_key["pump:worn"].slot]

    def kept(i: int) -> Predictor:
        pairs = [(by_key["pump:worn"], others[i])]
        return doctor._kept(pairs, (1.0,), lambda drawn: Screened(doctor.predictor, drawn))

    state = doctor.circuit.states[STALLED[0]]
    first = weakref.ref(kept(0))
    slope = kept(0)[state].slope[0]
    gc.disable()
    try:
        for i in range(1, PAIRS_AT_HAND):
            kept(i)
        assert first() is not None
        kept(PAIRS_AT_HAND)
        assert first() is None
    finally:
        gc.enable()
    # Who asks for it again gets the same.
    assert kept(0)[state].slope[0] == pytest.approx(slope)
