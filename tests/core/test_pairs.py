"""Two faults: which of thousands of pairs are looked at, and that a quick look loses none."""

import gc
import weakref
from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest

from tests.core.machines import Nominal
from umweg.core.components.base import Array
from umweg.core.diagnose.diagnosis import PAIRS_AT_HAND, Diagnostician
from umweg.core.diagnose.pairs import Drawn, Grids, chosen_grids, chosen_pairs
from umweg.core.diagnose.play import complaint
from umweg.core.diagnose.ranking import LEAST_SHARE, PAIR_SHARE, SPEAKS_FOR, rank
from umweg.core.faults.population import (
    PAIR_SEVERITIES,
    SEVERITIES,
    Fault,
    close_to,
    fault_pairs,
    faults_of,
    parse_fault,
)
from umweg.core.observe.composed import Joined, Screened
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.history import History
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.readings import Reading, blank
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import How, Quantity
from umweg.core.observe.solved import Place, SolvedBefore, put_together
from umweg.core.solve.steady import Cases, Solution, SteadySolver
from umweg.library import load_circuit, load_jobs

BAR = Quantity("pressure_bar", "block_gauge")
PAIR_CELLS = len(PAIR_SEVERITIES) ** 2


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
    assert sum(s.share for s in ranking.listed()) + ranking.other_share <= 1.0 + 1e-9


def test_pairs_that_nothing_speaks_for_count_with_their_two(
    packer_doctor: Diagnostician, by_key: dict[str, Fault]
) -> None:
    """What is shown is a part of the whole belief, and nothing counts twice."""
    low = by_key["main_relief:set_low"]
    seen = seen_of(packer_doctor, [(low, 0.6)], [(s, "block_gauge") for s in STALLED])
    others = [f for f in by_key.values() if f.slot != low.slot][::12]
    pairs = [Drawn((low, f), (0.6, 0.5)) for f in others]
    predictor = packer_doctor._with_pairs(
        pairs, chosen_grids(pairs, frozenset()), packer_doctor.predictor
    )
    ranking = packer_doctor._ranked(predictor, packer_doctor._noticed, seen)
    hypotheses = ranking.population.hypotheses
    shown = {s.hypothesis.key: s.share for s in ranking.listed()}
    assert list(shown.values()) == sorted(shown.values(), reverse=True)
    alone = {h.key: float(share) for share, h in zip(ranking.shares, hypotheses, strict=True)}
    prior = {h.key: h.prior for h in hypotheses}
    small, own = {}, set()
    for h in hypotheses:
        if len(h.faults) > 1:
            likelier = max((f.key for f in h.faults), key=lambda k: alone[k])
            times = alone[h.key] / alone[likelier] * prior[likelier] / prior[h.key]
            if alone[h.key] < PAIR_SHARE and times < SPEAKS_FOR:
                small[h.key] = alone[h.key]
            elif alone[h.key] > LEAST_SHARE:
                own.add(h.key)
    assert len(small) > 5
    assert not small.keys() & shown.keys()
    assert {k for k in shown if "+" in k} <= own
    for key, share in shown.items():
        # Each with both, as far as each is likely alone.
        beside = [
            p * alone[key] / sum(alone[k] for k in pair.split("+"))
            for pair, p in small.items()
            if key in pair.split("+")
        ]
        assert share >= alone[key]
        assert share == pytest.approx(alone[key] + sum(beside))
    assert sum(shown.values()) + ranking.other_share <= 1.0 + 1e-9


def test_a_complaint_that_the_leader_leaves_unexplained_is_given_a_second_fault() -> None:
    """The fan is blocked, by two pressures and a speed; that the brake comes slowly it does not say."""
    doctor = Diagnostician.of(load_circuit("hauler_fan"), load_jobs()[0].instruments)
    fan, press = Quantity("speed_rpm", "fan_drive"), Quantity("pressure_bar", "pump_port")
    read = [(fan, "charging_idle", 359.0), (press, "rated", 196.8), (press, "idle", 174.4)]

    def named(brake: How) -> list[str]:
        seen: list[Observation] = [
            Behaviour(id="b1", function="fan_drive", move="run", how="slow", when="warm"),
            Behaviour(id="b2", function="brake", move="press", how=brake, when="warm"),
            *(
                blank(quantity, state).model_copy(update={"id": f"r{i}", "value": value})
                for i, (quantity, state, value) in enumerate(read)
            ),
        ]
        ranking, _ = doctor.rank(seen)
        assert ranking.keys[0] == "fan:blocked"
        # A pair that has no place on the list counts with the leader: nothing is lost on the way.
        assert sum(s.share for s in ranking.listed()) + ranking.other_share > 0.99
        return [k for k in ranking.keys if "fan:blocked" in k.split("+") and "brake" in k]

    assert "brake_cylinders:seal_leaks+fan:blocked" in named("slow")
    assert named("as_usual") == []


def test_severities_that_are_close_together_share_what_they_stand_for(
    packer_predictor: Predictor, by_key: dict[str, Fault]
) -> None:
    pair = by_key["pump:worn"], by_key["main_relief:set_low"]
    singles = packer_predictor.population
    near = close_to(0.5, 1)
    assert near == pytest.approx((13 / 28, 14 / 28, 15 / 28))
    assert close_to(1.0, 2) == pytest.approx((26 / 28, 27 / 28, 1.0))
    assert close_to(0.0, 1) == pytest.approx((1 / 28,))
    grids = [(tuple(sorted({*PAIR_SEVERITIES, *near})), PAIR_SEVERITIES)]
    drawn, plain = fault_pairs(singles, [pair], grids=grids), fault_pairs(singles, [pair])
    assert (drawn.count, plain.count) == (40, 25)
    for population in (drawn, plain):
        assert np.exp(population.log_prior).sum() == pytest.approx(population.hypotheses[0].prior)
    # From 0.4 to 0.6: as much as in the plain grid, whatever lies between.
    for first in (0.4, 0.6):
        shares = [
            np.exp(p.log_prior[p.severity[:, 0] <= first + 1e-9]).sum() for p in (drawn, plain)
        ]
        assert shares[0] == pytest.approx(shares[1])
    # The neighbours are the next severities of the same other fault.
    for c in range(drawn.count):
        below = drawn.below[c, 0]
        if below >= 0:
            assert drawn.severity[below, 1] == drawn.severity[c, 1]
            between = drawn.severity[:, 0][
                (drawn.severity[:, 0] > drawn.severity[below, 0])
                & (drawn.severity[:, 0] < drawn.severity[c, 0])
            ]
            assert not len(between)


def read_of(machine: Nominal, places: Sequence[tuple[str, str, str]]) -> list[Observation]:
    """What a machine shows, by kind, place and state, without any gauge's error."""
    return [
        blank(Quantity.named(kind, place), state).model_copy(
            update={"id": f"r{i}", "value": machine.read(kind, place, state)}
        )
        for i, (kind, place, state) in enumerate(places)
    ]


def test_a_pair_is_looked_at_closely_where_one_of_the_two_has_a_cliff() -> None:
    """A piston that lets a boom sink nearly as fast as the pump lifts it, between two severities of
    the grid, and a blocked throttle."""
    platform, hidden = "inspection_platform", ("cylinder:piston_bypass", "lower_throttle:blocked")
    machine = Nominal(platform, f"{hidden[0]}=0.91", f"{hidden[1]}=0.91")
    places = [
        ("speed_mm_s", "boom", "raise_loaded"),
        ("pressure_bar", "cap_port", "charging"),
        ("pressure_bar", "cap_port", "lower_loaded"),
        ("speed_mm_s", "boom", "lower_loaded"),
        ("pressure_bar", "cap_port", "raise_stop"),
    ]
    seen = read_of(machine, places)
    doctor = Diagnostician.of(load_circuit(platform), load_jobs()[0].instruments)
    ranking, predictor = doctor.rank(seen)
    assert frozenset(ranking.keys[0].split("+")) == frozenset(hidden)
    assert ranking.shares[ranking.leaders[0]] > 0.5
    # On the grid alone it is hardly believed.
    pair = next(h for h in ranking.population.hypotheses if h.key == ranking.keys[0])
    a, b = pair.faults
    drawn = [Drawn((a, b), (1.0, 1.0))]
    coarse = doctor._with_pairs(drawn, chosen_grids(drawn, frozenset()), predictor.parts[0])
    there = doctor._ranked(coarse, doctor._noticed, seen)
    assert there.shares[-1] < 0.2


@pytest.mark.parametrize(
    "history",
    [History(), History(hours=9000, recent_work="Pump exchanged."), History(cured=0.9)],
    ids=["new here", "worn and worked on", "repaired"],
)
def test_a_pair_weighs_the_same_whichever_others_are_screened_with_it(history: History) -> None:
    """What its operator tells is judged by how the machine in order moves, not by the first pair."""
    lift = load_circuit("tail_lift")
    doctor = Diagnostician.of(lift, load_jobs()[0].instruments, history=history)
    network = doctor.predictor.network
    faults = [parse_fault(network, f"{k}=0.6")[0] for k in ("pump:draws_air", "tilt_load:binding")]
    others = [
        (parse_fault(network, f"{a}=0.6")[0], parse_fault(network, f"{b}=0.6")[0])
        for a, b in (
            ("down_valve:coil_open", "tilt_valve:coil_open"),
            ("relief:set_low", "pump:worn"),
        )
    ]
    seen: list[Observation] = [
        Behaviour(id="b1", function="lift", move="raise", how="slow", when="warm"),
        Behaviour(id="b2", function="tilt", move="raise", how="dead", when="warm"),
        Behaviour(id="b3", function="lift", move="lower", how="as_usual", when="warm"),
    ]
    pair = Drawn((faults[0], faults[1]), (0.6, 0.6))
    drawn = [*(Drawn(o, (1.0, 1.0)) for o in others), pair]
    grid = (PAIR_SEVERITIES, PAIR_SEVERITIES)
    (_, alone), *_ = doctor._weighed([pair], [grid], doctor.predictor, seen)
    among = {p.names: w for p, w in doctor._weighed(drawn, [grid] * 3, doctor.predictor, seen)}
    assert among[pair.names] == pytest.approx(alone, abs=1e-6)
    assert among[pair.names] == max(among.values()), "it alone explains all three words"
    # It is what it weighs beside the single faults, too.
    chosen = doctor._with_pairs(drawn, [grid] * 3, doctor.predictor)
    belief = doctor._ranked(chosen, doctor._noticed, seen).belief
    beside = float(np.logaddexp.reduce(belief.log_weight[chosen.population.members[-1]]))
    if history == History():
        # What slight faults lose that nobody notices, the others gain.
        assert 0.0 <= beside - alone < 1.0


def test_at_a_quick_look_too_what_comes_and_goes_beside_another_fault_is_gone_at_times() -> None:
    """A loose wire beside a relief that leaks: a plug that is live and dead in turn."""
    doctor = Diagnostician.of(load_circuit("harvester_head"), load_jobs()[0].instruments)
    loose, leaks = (
        parse_fault(doctor.predictor.network, f"{k}=0.8")[0]
        for k in ("output:loose", "head_relief:seat_leaks")
    )
    seen: list[Observation] = [
        Reading(
            id=f"r{i}",
            quantity="voltage_v",
            point="coil",
            state="commanded_200",
            value=volts,
            unit="V",
        )
        for i, volts in enumerate((12.9, 0.06, 12.9, 0.1))
    ]
    pair, grid = Drawn((loose, leaks), (0.6, 0.6)), (PAIR_SEVERITIES, PAIR_SEVERITIES)
    ((_, quick),) = doctor._weighed([pair], [grid], doctor.predictor, seen)
    chosen = doctor._with_pairs([pair], [grid], doctor.predictor)
    belief = doctor._ranked(chosen, doctor._noticed, seen).belief
    beside = float(np.logaddexp.reduce(belief.log_weight[chosen.population.members[-1]]))
    assert quick == pytest.approx(beside, abs=1.0)


def test_two_that_do_together_what_neither_does_are_found(packer_doctor: Diagnostician) -> None:
    """A pump that gets too little oil, and a piston past which the little goes: alone each still
    builds up the pressure."""
    hidden = "tank:low_level=0.9", "blade_right:piston_bypass=0.95"
    faults = [parse_fault(packer_doctor.predictor.network, h) for h in hidden]
    seen = seen_of(packer_doctor, faults, [(s, "block_gauge") for s in STALLED])
    alone = rank(packer_doctor.exhibits, seen, packer_doctor.instruments, packer_doctor._noticed)
    names = frozenset(f.key for f, _ in faults)
    screened: list[list[frozenset[str]]] = []

    def weighed(pairs: Sequence[Drawn], grids: Grids) -> list[tuple[Drawn, float]]:
        screened.append([p.names for p in pairs])
        return packer_doctor._weighed(pairs, grids, packer_doctor.predictor, seen)

    chosen = chosen_pairs(alone, frozenset(), weighed)
    hoped, beside, best = screened[:3]
    assert names not in hoped
    assert names in beside
    assert names in best
    assert names in {p.names for p in chosen}


def test_what_stands_beside_a_new_best_pair_is_looked_for_too() -> None:
    """A signal that does not reach its valve, and a plugged control line: neither is hoped for with
    the other until the signal has been found beside something else."""
    feeder, hidden = "sludge_feeder", ("signal_1:not_reached", "control_throttle:plugged")
    machine = Nominal(feeder, f"{hidden[0]}=0.68", f"{hidden[1]}=0.6")
    places = [
        ("voltage_v", "delivery_plug", "stroke_1"),
        ("pressure_bar", "feed_port", "stroke_1"),
        ("pressure_bar", "feed_port", "blocked_2"),
        ("speed_mm_s", "swing", "change_2"),
        ("pressure_bar", "control_1_port", "blocked_1"),
        ("pressure_bar", "feed_port", "blocked_1"),
        ("voltage_v", "delivery_plug", "blocked_1"),
        ("pressure_bar", "feed_port", "stroke_2"),
    ]
    doctor = Diagnostician.of(load_circuit(feeder), load_jobs()[0].instruments)
    ranking, _ = doctor.rank([*complaint(machine.machine), *read_of(machine, places)])
    assert frozenset(ranking.keys[0].split("+")) == frozenset(hidden)


def test_a_second_round_stands_beside_the_severity_that_two_have(
    packer_doctor: Diagnostician, by_key: dict[str, Fault]
) -> None:
    seen = seen_of(packer_doctor, [(by_key["pump:worn"], 0.7)], [(STALLED[0], "block_gauge")])
    ranking = rank(packer_doctor.exhibits, seen, packer_doctor.instruments)
    c = ranking.nearest(by_key["pump:worn"], 0.6)
    population = ranking.population
    assert population.hypotheses[population.hypothesis[c]].key == "pump:worn"
    assert population.severity[c, 0] == pytest.approx(4 / 7)
    reach = ranking.reach(np.array([c]))
    hopes = reach.log_odds
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
        pairs = [Drawn((by_key["pump:worn"], others[i]), (1.0, 1.0))]
        return doctor._screened(pairs, [((1.0,), (1.0,))], doctor.predictor)

    def chosen(i: int) -> Predictor:
        pairs = [Drawn((by_key["pump:worn"], others[i]), (1.0, 1.0))]
        joined = doctor._with_pairs(pairs, [((1.0,), (1.0,))], doctor.predictor)
        assert isinstance(joined, Joined)
        return joined.parts[1]

    state = doctor.circuit.states[STALLED[0]]
    first, whole = weakref.ref(kept(0)), weakref.ref(chosen(0))
    slope = kept(0)[state].slope[0]
    # The machine in order stands before those that are screened.
    assert chosen(0)[state].slope[0].shape == slope[:, 1:].shape
    gc.disable()
    try:
        for i in range(1, PAIRS_AT_HAND):
            kept(i)
        assert first() is not None
        kept(PAIRS_AT_HAND)
        assert first() is None
        # Of those that were chosen, with slopes of their own, only the last.
        assert whole() is not None
        chosen(1)
        assert whole() is None
    finally:
        gc.enable()
    # Who asks for it again gets the same.
    assert kept(0)[state].slope[0] == pytest.approx(slope)


def test_what_was_solved_of_a_pair_is_not_solved_again_among_others(
    packer_predictor: Predictor, by_key: dict[str, Fault], monkeypatch: pytest.MonkeyPatch
) -> None:
    state = packer_predictor.circuit.states["blade_extend_stalled"]
    slipping = by_key["pump:worn"], by_key["tailgate_section:linkage_off"]
    weak = by_key["pump:worn"], by_key["main_relief:set_low"]
    singles = packer_predictor.population
    before = SolvedBefore()
    counts: list[int] = []
    solve = SteadySolver.solve

    def counted(self: SteadySolver, states: Any, cases: Cases, start: Any = None) -> Solution:
        counts.append(cases.count)
        return solve(self, states, cases, start)

    monkeypatch.setattr(SteadySolver, "solve", counted)

    def shown(pairs: list[tuple[Fault, Fault]], kept: SolvedBefore) -> Array:
        counts.clear()
        screened = Screened(packer_predictor, fault_pairs(singles, pairs), kept)
        return screened[state].mean

    alone = shown([weak], before)
    assert max(counts) == PAIR_CELLS
    both = shown([slipping, weak], before)
    assert max(counts) == PAIR_CELLS, "only the other pair is solved"
    assert both[:, PAIR_CELLS:] == pytest.approx(alone)
    assert both == pytest.approx(shown([slipping, weak], SolvedBefore()))
    assert max(counts) == 2 * PAIR_CELLS
    again = shown([weak, slipping], before)
    assert max(counts, default=0) <= 1, "nobody is solved again but the machine in order"
    assert again[:, :PAIR_CELLS] == pytest.approx(alone)


def test_solutions_that_were_not_asked_for_longest_make_room() -> None:
    def solution(width: int) -> Solution:
        none = np.zeros(width)
        return Solution(np.zeros((10, width)), none == 0, none, none.astype(np.intp))

    kept = SolvedBefore(most_bytes=3 * 4 * (80 + 1 + 8 + 8))
    for names in ("aA", "b", "cC"):
        width = 4 // len(names)
        parts = {name: slice(i * width, (i + 1) * width) for i, name in enumerate(names)}
        kept.keep("idle", parts, solution(4))
    assert None not in kept.find("idle", "aA")
    kept.keep("idle", {"d": slice(0, 4)}, solution(4))
    assert kept.find("idle", "b") == [None]
    assert None not in kept.find("idle", "aAcCd")
    # What was solved again is found where it was solved last, whatever becomes of the first.
    kept.keep("idle", {"a": slice(0, 4)}, again := solution(4))
    kept.keep("idle", {"f": slice(0, 4)}, solution(4))
    (place,) = kept.find("idle", "a")
    assert place is not None
    assert place.solution is again
    kept.keep("idle", {"e": slice(0, 12)}, solution(12))
    assert len(kept) == 1
    kept.clear()
    assert kept.find("idle", "e") == [None]


def test_what_stands_behind_one_another_is_not_moved() -> None:
    def solution(first: float) -> Solution:
        values = np.arange(first, first + 4.0)
        return Solution(values[None], values >= 0.0, values, values.astype(np.intp))

    one, other = solution(0.0), solution(10.0)
    assert put_together([Place(one, slice(0, 1)), Place(one, slice(1, 4))]) is one
    mixed = put_together(
        [Place(one, slice(2, 3)), Place(one, slice(3, 4)), Place(other, slice(1, 2))]
    )
    assert mixed.across.tolist() == [[2.0, 3.0, 11.0]]
    assert mixed.iterations.tolist() == [2, 3, 11]
