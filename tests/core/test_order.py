"""Which step comes first: two steps followed in both orders, against going through outcomes."""

from types import SimpleNamespace
from typing import cast

import numpy as np
import pytest

from tests.core.test_plan import KIT, SINKS, doctor_of
from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.judged import sequence_cost
from umweg.core.diagnose.ladder import LOOK
from umweg.core.diagnose.order import Outlook, Pairs, in_order
from umweg.core.diagnose.plan import Planner, next_steps
from umweg.core.diagnose.play import observe
from umweg.core.diagnose.ranking import Ranking
from umweg.core.diagnose.steps import Step
from umweg.core.diagnose.worth import Stakes
from umweg.core.faults.population import Hypothesis, parse_fault
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantities import Quantity


@pytest.fixture(scope="module")
def turf() -> Diagnostician:
    return doctor_of("turf_lift")


@pytest.fixture(scope="module")
def planner(turf: Diagnostician) -> Planner:
    return turf.planner(SINKS)


def sampled(planner: Planner, first: Step, second: Step, draws: int = 3000) -> float:
    """Money saved by both readings, always taken, from drawn machines and their posteriors."""
    random = np.random.default_rng(5)
    weight = planner.live_weight / planner.live_weight.sum()
    a, b = planner.spread(first), planner.spread(second)
    shared = planner.covariance(first, second)
    drawn = random.choice(len(weight), draws, p=weight)
    x = a.mean[drawn] + a.sd[drawn] * random.standard_normal(draws)
    given = b.mean[drawn] + shared[drawn] / a.sd[drawn] ** 2 * (x - a.mean[drawn])
    left = np.sqrt(b.sd**2 - shared**2 / a.sd**2)
    y = given + left[drawn] * random.standard_normal(draws)
    u = (x[:, None] - a.mean) / a.sd
    v = (y[:, None] - b.mean - shared / a.sd**2 * (x[:, None] - a.mean)) / left
    posterior = weight * np.exp(-0.5 * (u * u + v * v)) / a.sd / left
    posterior /= posterior.sum(axis=1, keepdims=True)
    members = planner.predictor.population.hypothesis[planner.live]
    owners, index = np.unique(members, return_inverse=True)
    belief = np.zeros((draws, len(owners)))
    np.add.at(belief.T, index, posterior.T)
    stakes = planner.stakes
    costs = sequence_cost(belief.T, stakes._needs, stakes._cost)
    return stakes.now - float(costs.mean())


def both_taken(planner: Planner, first: Step, second: Step) -> float:
    pairs = Pairs(planner, SINKS)
    chances = pairs._chances(first)
    both = chances[:, :, None] * pairs._after(first, second)
    return planner.stakes.information(chances)[1] + planner.stakes.then(both, 0.0)


def test_what_two_readings_save_agrees_with_drawn_machines(planner: Planner) -> None:
    steps = [s for s in in_order_of(planner) if s.kind == "reading"][:12]
    for first, second in ((steps[0], steps[3]), (steps[5], steps[1]), (steps[8], steps[2])):
        expected = sampled(planner, first, second)
        assert both_taken(planner, first, second) == pytest.approx(expected, rel=0.12, abs=6.0)


def in_order_of(planner: Planner) -> list[Step]:
    return [s for s in next_steps(planner, SINKS).steps if not s.refused]


def test_the_same_reading_once_more_tells_next_to_nothing(planner: Planner) -> None:
    step = next(s for s in in_order_of(planner) if s.kind == "reading" and s.bits > 0.3)
    alone = planner.stakes.information(Pairs(planner, SINKS)._chances(step))[1]
    again = both_taken(planner, step, step) - alone
    assert again < 0.25 * alone
    # Taken as if the machine's own unknowns were drawn anew, it would tell much more.
    chances = Pairs(planner, SINKS)._chances(step)
    anew = planner.stakes.then(chances[:, :, None] * chances[:, None, :], 0.0)
    assert anew > again


def test_both_orders_of_two_free_readings_save_the_same(planner: Planner) -> None:
    steps = [s for s in in_order_of(planner) if s.kind == "reading"]
    one, other = steps[0], steps[4]
    assert both_taken(planner, one, other) == pytest.approx(
        both_taken(planner, other, one), rel=0.08, abs=4.0
    )


def looked(kind: str, chances: Array, minutes: float, stakes: Stakes, per_min: float) -> Step:
    bits, saving = stakes.information(chances)
    return cast(
        Step,
        Step(
            kind=kind,
            point=kind,
            point_label=kind,
            quantity=kind,
            unit="",
            state="",
            state_label="",
            minutes=minutes,
            bits=bits,
            healthy=None,
            by_suspect=(),
            hazard=None,
            cautions=(),
            fitting="",
            instrument=None,
            highest_bar=None,
            saving=saving - minutes * per_min,
            asks=Behaviour(id="", function="lift", move="raise", how="slow", when="warm"),
            chances=chances,
        ),
    )


def outlook_of(turf: Diagnostician, inside: Array, live: Array) -> SimpleNamespace:
    """All that an order asks of a belief in which so much falls to each candidate."""
    ranking = cast(Ranking, SimpleNamespace(population=turf.predictor.population, inside=inside))
    return SimpleNamespace(
        circuit=turf.circuit,
        stakes=Stakes(ranking, live, turf.money),
        money=turf.money,
        live_weight=inside[live],
        rung=lambda step: LOOK,
    )


@pytest.fixture(scope="module")
def four(turf: Diagnostician) -> tuple[Outlook, Circuit]:
    """Four faults of equal odds, two of which each of two repairs cures."""
    population = turf.predictor.population
    by_repair: dict[tuple[str, str], list[int]] = {}
    for h, hypothesis in enumerate(population.hypotheses):
        if hypothesis.faults:
            fault = hypothesis.faults[0]
            by_repair.setdefault((fault.component_id, fault.mode.work), []).append(h)
    (a, d), (b, c) = [hs[:2] for hs in by_repair.values() if len(hs) >= 2][:2]
    live = np.array(sorted(int(population.members[h][0]) for h in (a, b, c, d)))
    inside = np.zeros(population.count)
    inside[live] = 0.25
    outlook = outlook_of(turf, inside, live)
    groups = {int(population.members[h][0]): h in (a, d) for h in (a, b, c, d)}
    assert [groups[int(i)] for i in live].count(True) == 2
    outlook.cured = np.array([groups[int(i)] for i in live])
    return cast(Outlook, outlook), turf.circuit


def answers(yes: Array) -> Array:
    """(L, 2) of a look that is sure."""
    return np.stack([yes, ~yes], axis=1) * 0.998 + 0.001


def test_two_looks_pay_together_where_neither_does_alone(
    four: tuple[Outlook, Circuit],
) -> None:
    outlook, _ = four
    cured = outlook.cured  # type: ignore[attr-defined]
    ones, zeros = np.flatnonzero(cured), np.flatnonzero(~cured)
    split = np.zeros(4, dtype=bool)
    split[[ones[0], zeros[0]]] = True
    # The second look says whether the fault is the first look's odd one: only both tell the repair.
    odd = split ^ cured
    per_min = outlook.money.labour_per_min
    looks = [
        looked(name, answers(yes), 2.0, outlook.stakes, per_min)
        for name, yes in (("one", split), ("other", odd))
    ]
    assert all(s.saving <= 0.0 for s in looks)
    assert Pairs(outlook, ()).saved(looks[0], looks[1]) > 0.0
    assert in_order(looks, outlook, ()).pays
    assert not in_order(looks[:1], outlook, ()).pays


def test_a_quick_look_that_changes_nothing_waits_for_the_one_that_decides(
    four: tuple[Outlook, Circuit],
) -> None:
    outlook, _ = four
    cured = outlook.cured  # type: ignore[attr-defined]
    per_min = outlook.money.labour_per_min
    # It tells much about the fault and nothing about the repair.
    split = np.zeros(4, dtype=bool)
    split[[np.flatnonzero(cured)[0], np.flatnonzero(~cured)[0]]] = True
    quick = looked("quick", answers(split), 2.0, outlook.stakes, per_min)
    settles = looked("settles", answers(cured), 30.0, outlook.stakes, per_min)
    assert quick.bits_per_minute > settles.bits_per_minute
    assert quick.saving < settles.saving
    assert [s.kind for s in in_order([quick, settles], outlook, ()).steps] == ["settles", "quick"]


def test_twins_are_parted_before_the_rest_is_gone_through_again() -> None:
    doctor = doctor_of("packer_truck", KIT)
    solver = doctor.predictor.solver
    fault = parse_fault(solver.network, "blade_left:piston_bypass=0.95")
    machine = HiddenMachine(doctor.circuit, [fault], np.random.default_rng(77), solver)
    seen: list[Observation] = [
        Behaviour(id="b1", function="blade", move="extend", how="slow", when="warm"),
        Behaviour(id="b2", function="blade", move="retract", how="slow", when="warm"),
    ]
    asked = [
        ("pressure_bar", "block_gauge", "blade_retract_free"),
        ("pressure_bar", "block_gauge", "blade_extend_stalled"),
        ("speed_mm_s", "blade", "blade_retract_free"),
    ]
    for number, (kind, place, state) in enumerate(asked):
        instrument = KIT[1] if kind == "pressure_bar" else None
        reading = blank(Quantity.named(kind, place), state).witnessed(machine, instrument)
        seen.append(reading.model_copy(update={"id": f"r{number}"}))
    diagnosis = doctor.diagnose(seen)
    twins = {s.hypothesis.key for s in diagnosis.suspects[:2]}
    assert twins == {"blade_left:piston_bypass", "blade_right:piston_bypass"}
    taken = []
    while not diagnosis.enough and len(taken) < 4:
        step = next(s for s in diagnosis.steps if not s.refused)
        taken.append((step.kind, step.state))
        seen.append(observe(machine, step, f"s{len(taken)}"))
        diagnosis = doctor.diagnose(seen)
    # A hand and an ear or a jug at one of the two, or one of the two capped off; before it at most
    # one look at the other function, in fewer minutes.
    parting = {
        ("hand_ear", "blade_extend_stalled"),
        ("caught", "blade_extend_stalled"),
        ("reading", "blade_left_isolated"),
    }
    assert parting & set(taken[:2]), taken
    assert diagnosis.suspects[0].hypothesis.key == "blade_left:piston_bypass"
    assert diagnosis.suspects[0].share > 0.9


def certain_part(turf: Diagnostician, first: float) -> tuple[Planner, Stakes]:
    """Everything but a hundredth on two faults of one part, the one that is set by a screw so likely."""
    population = turf.predictor.population
    by_part: dict[str, list[int]] = {}
    for h, hypothesis in enumerate(population.hypotheses):
        for fault in hypothesis.faults:
            by_part.setdefault(fault.component_id, []).append(h)
    screws = [h for h, y in enumerate(population.hypotheses) if y.faults and _set(y)]
    own = next(h for h in screws if len(by_part[_part(population.hypotheses[h])]) > 1)
    part = _part(population.hypotheses[own])
    other = next(h for h in by_part[part] if not _set(population.hypotheses[h]))
    elsewhere = next(h for p, hs in by_part.items() if p != part for h in hs)
    live = np.array([int(population.members[h][0]) for h in (own, other, elsewhere)])
    inside = np.zeros(population.count)
    inside[live] = first, 0.99 - first, 0.01
    live = np.sort(live)
    outlook = outlook_of(turf, inside, live)
    outlook.live, outlook.own = live, int(population.members[other][0])
    return cast(Planner, outlook), outlook.stakes


def _set(hypothesis: Hypothesis) -> bool:
    return hypothesis.faults[0].mode.work == "set"


def _part(hypothesis: Hypothesis) -> str:
    return hypothesis.faults[0].component_id


def test_the_screw_is_turned_before_anybody_looks_for_what_it_would_show_as_well(
    turf: Diagnostician,
) -> None:
    outlook, stakes = certain_part(turf, 0.9)
    assert stakes.in_vain is not None
    chance, later = stakes.in_vain
    assert chance == pytest.approx(0.1, abs=1e-6)
    # What is left is dearer than what was to be expected, and the screw is paid for.
    assert later.now > stakes.now
    assert stakes.now == pytest.approx(cast(float, stakes.first_repair) + chance * later.now)
    yes = outlook.live == outlook.own  # type: ignore[attr-defined]
    per_min = outlook.money.labour_per_min
    look = looked("look", answers(yes), 4.0, stakes, per_min)
    assert not in_order([look], outlook, []).pays


def test_nothing_is_asked_once_one_repair_cures_all_but_a_hundredth(turf: Diagnostician) -> None:
    outlook, stakes = certain_part(turf, 0.985)
    assert not stakes.sure
    _, surer = certain_part(turf, 0.99)
    assert surer.sure
    # Even what would tell for certain, in no time, is not asked for.
    outlook.stakes = surer
    look = looked("look", np.eye(2)[[0, 0, 1]] * 0.998 + 0.001, 0.01, surer, 1.0)
    assert not in_order([look], outlook, []).pays


def test_where_much_else_is_possible_nobody_mends_to_see(four: tuple[Outlook, Circuit]) -> None:
    stakes = four[0].stakes
    assert stakes.first_repair is None
    assert stakes.in_vain is None
