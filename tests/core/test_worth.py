"""Money and information against brute force and by hand."""

from collections.abc import Sequence
from itertools import permutations

import numpy as np
import pytest

from umweg.core.components.base import WORKS
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.evidence import spread_band
from umweg.core.diagnose.gauges import gauge_for, highest_bar, within_reach_bar
from umweg.core.diagnose.judged import in_sequence, sequence_cost
from umweg.core.diagnose.ranking import Ranking
from umweg.core.diagnose.worth import (
    EXPLAIN_MIN,
    NOTHING,
    Action,
    Money,
    Stakes,
    action_of,
    repairs_of,
)
from umweg.core.faults.population import Hypothesis, faults_of
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.quantities import Quantity, at_point
from umweg.core.units import to_base
from umweg.library import load_circuit, load_jobs

JOBS = {job.id: job for job in load_jobs()}


def in_this_order(
    order: Sequence[int], share: list[float], needs: list[tuple[int, ...]], cost: list[float]
) -> float:
    """Repairs done one after the other, until all are done that a machine needs."""
    total, left = 0.0, set(range(len(share)))
    done: set[int] = set()
    for i in order:
        total += cost[i] * sum(share[h] for h in left)
        done.add(i)
        left = {h for h in left if not done.issuperset(needs[h])}
    return total


def single(count: int) -> np.ndarray:
    """As many faults as repairs: each needs its own."""
    return np.repeat(np.arange(count)[:, None], 2, axis=1)


@pytest.mark.parametrize("seed", range(6))
def test_the_cheapest_sequence_is_the_cheapest_of_all_orders(seed: int) -> None:
    generator = np.random.default_rng(seed)
    chance = generator.dirichlet(np.ones(5))
    cost = generator.uniform(20, 900, 5)
    found = sequence_cost(chance[:, None], single(5), cost)[0]
    own = [(i,) for i in range(5)]
    orders = [in_this_order(o, chance.tolist(), own, cost.tolist()) for o in permutations(range(5))]
    assert found == pytest.approx(min(orders))
    order = in_sequence(chance, single(5), cost)
    ratio = (chance / cost)[order]
    assert np.all(np.diff(ratio) <= 1e-12)


@pytest.mark.parametrize("seed", range(20))
def test_of_two_faults_each_is_mended_once(seed: int) -> None:
    """A repair that cured one of two is not paid for again, and few orders are cheaper."""
    generator = np.random.default_rng(seed)
    needs = [(0,), (1,), (2,), (3,), (0, 1), (0, 3), (2, 4)]
    share = generator.dirichlet(np.array([3.0, 1.0, 1.0, 1.0, 0.3, 0.3, 0.3]))
    cost = generator.uniform(20, 900, 5)
    both = np.array([(n[0], n[-1]) for n in needs])
    found = sequence_cost(share[:, None], both, cost)[0]
    order = in_sequence(share, both, cost).tolist()
    assert found == pytest.approx(in_this_order(order, share.tolist(), needs, cost.tolist()))
    least = min(
        in_this_order(o, share.tolist(), needs, cost.tolist()) for o in permutations(range(5))
    )
    assert least * (1 - 1e-12) <= found < 1.1 * least


def test_two_repairs_by_hand() -> None:
    """80 % for 100, else 20 % for 400 more: 100 + 0.2·400 = 180; scaled down, scaled with it."""
    chance, cost = np.array([[0.8], [0.2]]), np.array([100.0, 400.0])
    assert sequence_cost(chance, single(2), cost)[0] == pytest.approx(180.0)
    assert sequence_cost(0.5 * chance, single(2), cost)[0] == pytest.approx(90.0)


@pytest.mark.parametrize("valve", [50.0, 150.0])
def test_a_second_fault_behind_a_dear_one_by_hand(valve: float) -> None:
    """A pump for 1,000 in any case, in one of ten a valve behind it: cheap as it is, it cures
    nobody alone, and comes after the pump, which is paid for once."""
    share, needs = np.array([0.9, 0.1]), np.array([[0, 0], [0, 1]])
    cost = np.array([1000.0, valve])
    assert in_sequence(share, needs, cost).tolist() == [0, 1]
    assert sequence_cost(share[:, None], needs, cost)[0] == pytest.approx(1000 + 0.1 * valve)


def test_what_is_done_already_costs_nothing_and_opens_the_way() -> None:
    share, needs = np.array([0.5, 0.3, 0.2]), np.array([[0, 0], [0, 1], [2, 2]])
    done = sequence_cost(share[:, None], needs, np.array([0.0, 100.0, 400.0]))
    assert done[0] == pytest.approx(0.5 * 100 + 0.2 * 400)


def test_a_repair_is_priced_by_what_its_fault_asks_for() -> None:
    circuit = load_circuit("packer_truck")
    money = Money.of(circuit, 2.0)
    service = circuit.component("main_relief").service
    faults = {f.key: f for f in faults_of(Diagnostician.of(circuit, []).predictor.network)}
    set_low = money.cost(action_of(faults["main_relief:set_low"]))
    assert set_low == pytest.approx((service.access_min + 10) * 2.0)
    pump = circuit.component("pump").service
    worn = money.cost(action_of(faults["pump:worn"]))
    assert worn == pytest.approx(pump.part_cost + (pump.access_min + pump.replace_min) * 2.0)
    tank = circuit.component("tank").service
    oil = money.cost(action_of(faults["tank:oil_thin"]))
    assert oil == pytest.approx(WORKS["oil"].material + (tank.access_min + 60) * 2.0)
    assert money.cost(NOTHING) == pytest.approx(EXPLAIN_MIN * 2.0)
    assert set_low < worn


@pytest.fixture(scope="module")
def ranking(packer_doctor: Diagnostician) -> Ranking:
    return packer_doctor.rank(JOBS["packer_slow_hot"].observations)[0]


def stakes_of(doctor: Diagnostician, ranking: Ranking) -> tuple[Stakes, np.ndarray]:
    live = np.flatnonzero(ranking.inside > 1e-4)
    return Stakes(ranking, live, doctor.money), live


def cure_of(hypothesis: Hypothesis) -> frozenset[Action]:
    """All repairs that a machine needs."""
    return frozenset(map(action_of, hypothesis.faults)) or frozenset({NOTHING})


def test_knowing_all_saves_all_but_the_repair_itself(
    packer_doctor: Diagnostician, ranking: Ranking
) -> None:
    stakes, live = stakes_of(packer_doctor, ranking)
    owners = ranking.population.hypothesis[live]
    names = np.unique(owners)
    known = (owners[:, None] == names[None]).astype(float)
    bits, saved = stakes.information(known)
    prior = stakes.prior
    assert bits == pytest.approx(float(-(prior * np.log2(prior)).sum()))
    alone = [
        sum(packer_doctor.money.with_try(a) for a in cure_of(ranking.population.hypotheses[h]))
        for h in names
    ]
    assert saved == pytest.approx(stakes.now - float(prior @ np.array(alone)))
    assert saved > 0


def test_what_everybody_would_show_tells_nothing_and_saves_nothing(
    packer_doctor: Diagnostician, ranking: Ranking
) -> None:
    stakes, live = stakes_of(packer_doctor, ranking)
    bits, saved = stakes.information(np.full((len(live), 3), 1 / 3))
    assert bits == pytest.approx(0.0, abs=1e-9)
    assert saved == pytest.approx(0.0, abs=1e-6)


@pytest.mark.parametrize("seed", range(4))
def test_information_against_brute_force(
    packer_doctor: Diagnostician, ranking: Ranking, seed: int
) -> None:
    stakes, live = stakes_of(packer_doctor, ranking)
    outcome = np.random.default_rng(seed).dirichlet(np.ones(4), len(live))
    bits, saved = stakes.information(outcome)
    weight = ranking.inside[live] / ranking.inside[live].sum()
    owners = ranking.population.hypothesis[live]
    names = np.unique(owners)
    needs = [cure_of(ranking.population.hypotheses[h]) for h in names]
    money = packer_doctor.money
    cost = {a: money.with_try(a) for need in needs for a in need}
    expected_bits = expected_then = 0.0
    prior = np.array([weight[owners == h].sum() for h in names])
    for o in range(4):
        joint = np.array([(weight * outcome[:, o])[owners == h].sum() for h in names])
        expected_bits += float((joint * np.log2(joint / (prior * joint.sum()))).sum())
        expected_then += sequence(joint, needs, cost)
    now = sequence(prior, needs, cost)
    assert bits == pytest.approx(expected_bits, rel=1e-6)
    assert saved == pytest.approx(now - expected_then, rel=1e-6)


def sequence(joint, needs, cost) -> float:  # type: ignore[no-untyped-def]
    """The same repairs one after the other, summed in plain Python."""
    share = joint.tolist()
    places = {action: i for i, action in enumerate(cost)}
    both = np.array([[places[a] for a in (min(n), max(n))] for n in needs])
    order = in_sequence(joint, both, np.array(list(cost.values()))).tolist()
    return in_this_order(order, share, [tuple(b) for b in both.tolist()], list(cost.values()))


def test_a_screw_turned_with_the_gauge_on_it_is_tried_sooner_than_a_pump_is_exchanged(
    packer_doctor: Diagnostician,
) -> None:
    money = packer_doctor.money
    screw, pump = ("main_relief", "set"), ("pump", "exchange")
    assert money.with_try(screw) - money.cost(screw) == pytest.approx(5 * money.labour_per_min)  # type: ignore[arg-type]
    assert money.with_try(pump) - money.cost(pump) == pytest.approx(20 * money.labour_per_min)  # type: ignore[arg-type]
    assert money.with_try(NOTHING) == money.cost(NOTHING) == EXPLAIN_MIN * money.labour_per_min


def test_enough_is_said_only_when_no_step_pays(packer_doctor: Diagnostician) -> None:
    unsure = packer_doctor.diagnose(JOBS["packer_slow_hot"].observations)
    offered = [s for s in unsure.steps if not s.refused]
    assert not unsure.enough
    assert max(s.saving for s in offered) > 0
    assert unsure.expected_cost > min(r.cost for r in unsure.repairs)
    dear = Diagnostician(packer_doctor.predictor, packer_doctor.instruments, 1e6)
    priceless = dear.diagnose(JOBS["packer_slow_hot"].observations)
    assert priceless.expected_cost > unsure.expected_cost


def test_repairs_stand_in_the_order_of_chance_per_cost(
    packer_doctor: Diagnostician,
) -> None:
    ranking, _ = packer_doctor.rank(JOBS["packer_weak"].observations[:1])
    assert not ranking.population.paired
    repairs = repairs_of(ranking, packer_doctor.money)
    money = packer_doctor.money
    ratios = [r.share / money.with_try((r.component_id, r.work)) for r in repairs]
    assert ratios == sorted(ratios, reverse=True)
    assert all(r.expected_cost >= r.cost for r in repairs)


GAUGES = [
    Instrument.model_validate(
        {"id": i, "label": i, "measures": "pressure", "low": low, "high": high, "unit": "bar"}
    )
    for i, low, high in (("vacuum", -1, 1.5), ("low", 0, 25), ("mid", 0, 250), ("high", 0, 600))
]


@pytest.mark.parametrize(
    ("highest", "lowest", "chosen"),
    [
        (180.0, 0.0, "mid"),
        (251.0, 0.0, "high"),
        (20.0, 0.0, "low"),
        (0.5, -0.3, "vacuum"),
        (20.0, -0.3, "low"),
        (700.0, 0.0, None),
    ],
)
def test_the_finest_gauge_that_holds_the_highest_pressure(
    highest: float, lowest: float, chosen: str | None
) -> None:
    gauge = gauge_for(GAUGES, highest, lowest)
    assert (gauge.id if gauge else None) == chosen


def test_a_gauge_holds_what_one_touch_of_a_lever_brings() -> None:
    """At idle a loop stands at its charge pressure; a fine gauge there is gone at the first move."""
    doctor = Diagnostician.of(load_circuit("groomer_drive"), load_jobs()[0].instruments)
    planner, circuit = doctor.planner([]), doctor.circuit
    idle = circuit.states["neutral_idle"]
    named = [s for s in circuit.states.values() if not s.passing and not s.interventions]
    chosen: dict[str, str] = {}
    for point in circuit.test_points:
        if (quantity := at_point(point)).kind != "pressure_bar":
            continue
        row = doctor.predictor.network.net_index[point.net]
        most = max(float(doctor.predictor.healthy(s)[row]) for s in named)
        gauge, highest = planner.instrument_for(quantity, idle)
        assert gauge is not None
        assert highest is not None
        assert to_base(gauge.high, gauge.unit) >= highest >= most
        chosen[point.id] = gauge.label
    assert chosen["forward_port"] == chosen["reverse_port"] == "Gauge 0 … 400 bar"
    # Where nobody can bring more, the fine gauge is still the one to take.
    assert chosen["suction_port"] == chosen["case_port"] == "Gauge −1 … 25 bar"


def test_what_takes_a_spanner_is_not_within_reach() -> None:
    """A line that is capped raises the pressure only where it is capped."""
    circuit = load_circuit("hauler_fan")
    predictor = Diagnostician.of(circuit, load_jobs()[0].instruments).predictor
    plugged, usual = circuit.states["outlet_plugged"], circuit.states["idle"]
    with_cap, without = (within_reach_bar(predictor, s) for s in (plugged, usual))
    assert (with_cap >= without).all()
    assert (with_cap > without + 1.0).any()
    assert (with_cap >= predictor.healthy(plugged)).all()


def test_the_highest_pressure_leaves_out_two_in_a_thousand() -> None:
    pressure = np.array([100.0, 200.0, 300.0])
    assert highest_bar(pressure, np.array([0.9, 0.099, 0.001])) == 200.0
    assert highest_bar(pressure, np.array([0.9, 0.095, 0.005])) == 300.0


def test_nine_times_out_of_ten() -> None:
    """The band of one Gaussian is ±1.645 σ; of two far apart it reaches over both."""
    place = Quantity("pressure_bar", "p")
    low, high = spread_band(place, np.array([100.0]), np.array([4.0]), np.array([1.0]))
    assert (low, high) == (pytest.approx(100 - 3.29, abs=0.05), pytest.approx(103.29, abs=0.05))
    low, high = spread_band(
        place, np.array([50.0, 150.0]), np.array([1.0, 1.0]), np.array([0.5, 0.5])
    )
    assert low < 50 < 150 < high
    assert high - low < 106
