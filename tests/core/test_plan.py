"""What is proposed next: what it tells and saves, against brute force, and what is left out."""

from collections.abc import Sequence

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.judged import GRID
from umweg.core.diagnose.plan import (
    DETAILED,
    LEAST_BITS,
    Planner,
    anything_read,
    readable,
    readings_of,
)
from umweg.core.diagnose.steps import Step
from umweg.core.diagnose.tree import tree_of
from umweg.core.diagnose.worth import EXPLAIN_MIN, NOTHING, action_of
from umweg.core.faults.population import single_faults
from umweg.core.network.network import Network
from umweg.core.observe.bands import variances_of
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor, state_key
from umweg.core.observe.quantities import Quantity
from umweg.core.observe.weights import noise_at
from umweg.core.solve.steady import SteadySolver
from umweg.library import circuit_ids, load_circuit, load_jobs

KIT = load_jobs()[0].instruments
LABOUR = 1.7
SINKS: tuple[Observation, ...] = (
    Behaviour(id="b1", function="lift", move="raise", how="slow", when="warm"),
    Behaviour(id="b2", function="lift", move="lower", how="drifts", when="warm"),
)


def doctor_of(circuit: str, instruments: Sequence[Instrument] = KIT) -> Diagnostician:
    return Diagnostician.of(load_circuit(circuit), instruments, LABOUR)


@pytest.fixture(scope="module")
def turf() -> Diagnostician:
    return doctor_of("turf_lift")


def steps_of(doctor: Diagnostician, seen: Sequence[Observation]) -> list[Step]:
    return list(doctor.diagnose(seen).steps)


def a_reading(steps: Sequence[Step]) -> Step:
    return next(s for s in steps if s.kind == "reading" and not s.refused)


def cheapest(chance: dict[tuple[str, str], float], price: dict[tuple[str, str], float]) -> float:
    """Try the repairs by chance per price until one cures; what is tried is tried out as well."""
    order = sorted(chance, key=lambda a: -chance[a] / price[a])
    total, left = 0.0, sum(chance.values())
    for action in order:
        total += price[action] * left
        left -= chance[action]
    return total


def by_brute_force(planner: Planner, step: Step) -> tuple[float, float]:
    """Bits and money of a reading, every outcome on a fine grid gone through one by one."""
    quantity = Quantity.named(step.quantity, step.point)
    shown = planner.exhibits.shown(quantity, planner.circuit.states[step.state])
    mean, variance = planner.belief.posterior(shown.mean, shown.slope)
    live = planner.live
    typical = float(np.average(mean[live], weights=planner.weight[live]))
    state = planner.circuit.states[step.state]
    least = variances_of(planner.circuit).get(
        (quantity.kind, quantity.place, state_key(state)), 0.0
    )
    variance = np.maximum(variance, least)
    sd = np.sqrt(variance + noise_at(quantity, typical, step.instrument) ** 2)
    population = planner.predictor.population
    edges = np.linspace((mean[live] - 5 * sd[live]).min(), (mean[live] + 5 * sd[live]).max(), 4001)
    middle, width = 0.5 * (edges[1:] + edges[:-1]), edges[1] - edges[0]
    joint: dict[int, Array] = {}
    for c in live:
        density = np.exp(-0.5 * ((middle - mean[c]) / sd[c]) ** 2) / sd[c] / np.sqrt(2 * np.pi)
        h = int(population.hypothesis[c])
        joint[h] = joint.get(h, np.zeros(len(middle))) + planner.weight[c] * density * width
    whole = sum(float(p.sum()) for p in joint.values())
    joint = {h: p / whole for h, p in joint.items()}
    outcome = np.sum(list(joint.values()), axis=0)
    bits = sum(
        float((p * np.log2(np.maximum(p, 1e-300) / (p.sum() * outcome))).sum())
        for p in joint.values()
    )
    money = planner.money
    cures = {
        h: max((action_of(f) for f in population.hypotheses[h].faults), key=money.cost)
        if population.hypotheses[h].faults
        else NOTHING
        for h in joint
    }
    price = {a: money.with_try(a) for a in cures.values()}

    def cost(of: dict[int, float]) -> float:
        chance: dict[tuple[str, str], float] = {}
        for h, share in of.items():
            chance[cures[h]] = chance.get(cures[h], 0.0) + share
        return cheapest(chance, price)

    now = cost({h: float(p.sum()) for h, p in joint.items()})
    later = sum(cost({h: float(p[g]) for h, p in joint.items()}) for g in range(len(middle)))
    return bits, now - later - step.minutes * LABOUR


def test_bits_and_saving_of_readings_agree_with_brute_force(turf: Diagnostician) -> None:
    planner = turf.planner(SINKS)
    chosen = [s for s in steps_of(turf, SINKS) if s.kind == "reading" and s.bits > 0.1][:3]
    assert len(chosen) == 3
    for step in chosen:
        bits, saving = by_brute_force(planner, step)
        assert step.bits == pytest.approx(bits, rel=0.05)
        assert step.saving == pytest.approx(saving, rel=0.05, abs=3.0)


def test_what_is_at_stake_is_the_cheapest_sequence_of_repairs(turf: Diagnostician) -> None:
    planner = turf.planner(SINKS)
    population, money = planner.predictor.population, turf.money
    chance: dict[tuple[str, str], float] = {}
    inside = np.array([planner.ranking.inside[m].sum() for m in population.members])
    for share, hypothesis in zip(inside / inside.sum(), population.hypotheses, strict=True):
        action = action_of(hypothesis.faults[0]) if hypothesis.faults else NOTHING
        chance[action] = chance.get(action, 0.0) + float(share)
    price = {a: money.with_try(a) for a in chance}
    assert money.cost(NOTHING) == EXPLAIN_MIN * LABOUR
    assert planner.stakes.now == pytest.approx(cheapest(chance, price), rel=0.02)


def test_dearer_labour_makes_the_same_reading_worth_less_by_its_minutes(
    turf: Diagnostician,
) -> None:
    ranking, predictor = turf.rank(SINKS)
    step = a_reading(steps_of(turf, SINKS))
    planner = Planner(predictor, ranking, turf.instruments, turf.money)
    spread = planner.spread(step)
    gross = planner.stakes.readings(spread.mean[None], spread.sd[None])[1][0]
    assert step.saving == pytest.approx(gross - step.minutes * LABOUR, abs=1e-6)


def test_readings_are_judged_as_their_outcomes_one_by_one(turf: Diagnostician) -> None:
    planner = turf.planner(SINKS)
    spreads = [planner.spread(s) for s in steps_of(turf, SINKS) if s.kind == "reading"][::7]
    bits, saved = planner.stakes.readings(
        np.stack([s.mean for s in spreads]), np.stack([s.sd for s in spreads])
    )
    for i, s in enumerate(spreads):
        edges = np.linspace((s.mean - 4 * s.sd).min(), (s.mean + 4 * s.sd).max(), GRID + 1)
        z = (0.5 * (edges[1:] + edges[:-1]) - s.mean[:, None]) / s.sd[:, None]
        density = np.exp(-0.5 * z * z) / s.sd[:, None] + 1e-12
        chances = density / density.sum(axis=1, keepdims=True)
        assert (bits[i], saved[i]) == pytest.approx(planner.stakes.information(chances), abs=1e-6)


def test_the_first_steps_are_worked_out_in_full(turf: Diagnostician) -> None:
    steps = steps_of(turf, SINKS)
    readings = [s for s in steps[:DETAILED] if s.kind == "reading"]
    assert readings
    for step in readings:
        assert step.healthy is not None
        assert step.healthy.key == "healthy"
        assert step.healthy.low < step.healthy.high
        assert {b.key for b in step.by_suspect}
    assert all(s.bits >= LEAST_BITS for s in steps)
    later = [s for s in steps[DETAILED:] if s.kind == "reading" and not s.refused]
    assert later
    assert all(s.healthy is None and not s.by_suspect for s in later)
    assert all(s.healthy is None for s in steps if s.kind != "reading")


def test_the_minutes_of_a_reading_are_those_of_its_point_and_state() -> None:
    doctor = doctor_of("packer_truck")
    steps = steps_of(doctor, ())
    by_point = {
        (s.point, s.state): s.minutes for s in steps if s.kind == "reading" and "bar" in s.quantity
    }
    same = [k for k in by_point if k[1] == "blade_extend_stalled"]
    assert len(same) >= 2
    access = {p.id: p.access_min for p in doctor.circuit.test_points}
    slow = max(same, key=lambda k: access[k[0]])
    fast = min(same, key=lambda k: access[k[0]])
    assert by_point[slow] - by_point[fast] == pytest.approx(access[slow[0]] - access[fast[0]])


def test_a_doubted_reading_is_offered_again_until_it_was_taken_twice(turf: Diagnostician) -> None:
    point = turf.circuit.test_point("pump_port").id
    wild = Reading(
        id="r1", point=point, quantity="pressure_bar", state="raise_stop", value=61.0, unit="bar"
    )
    sound = (
        Behaviour(id="b1", function="lift", move="raise", how="as_usual", when="warm"),
        Behaviour(id="b2", function="lift", move="lower", how="as_usual", when="warm"),
        Reading(
            id="r2",
            point="outlet_port",
            quantity="pressure_bar",
            state="raise_loaded",
            value=75.9,
            unit="bar",
        ),
    )
    seen = [*sound, wild]
    ranking, _ = turf.rank(seen)
    assert "r1" in ranking.doubted

    def offered(observations: Sequence[Observation]) -> bool:
        return any(
            (s.point, s.state) == (point, "raise_stop") for s in steps_of(turf, observations)
        )

    assert offered(seen)
    assert not offered([*seen, wild.model_copy(update={"id": "r3"})])


def test_a_shop_without_a_flow_meter_hears_so() -> None:
    bare = [i for i in KIT if i.measures != "flow"]
    assert len(bare) < len(KIT)
    flows = [s for s in steps_of(doctor_of("turf_lift", bare), SINKS) if s.quantity == "flow_lpm"]
    assert flows
    assert all(s.refused.startswith("the workshop has no flow meter") for s in flows)
    none = [s for s in steps_of(doctor_of("turf_lift", ()), SINKS) if s.quantity == "pressure_bar"]
    assert none
    assert all("the workshop has no gauge up to" in s.refused for s in none)
    highest = max(s.highest_bar or 0.0 for s in none)
    assert any(f"{highest:.0f} bar" in s.refused for s in none)


def test_what_is_told_dead_is_not_timed(turf: Diagnostician) -> None:
    dead = [Behaviour(id="b1", function="lift", move="raise", how="dead", when="warm")]
    assert not any(s.quantity == "speed_mm_s" for s in steps_of(turf, dead))


def test_the_tree_goes_on_as_the_diagnosis_would(turf: Diagnostician) -> None:
    made: list[tuple[int, int]] = []
    root = tree_of(turf, SINKS, 2, lambda done, known: made.append((done, known)))
    first = next(s for s in steps_of(turf, SINKS) if not s.refused)
    assert root.step_key == (first.kind, first.point, first.state)
    assert root.minutes == first.minutes
    assert sum(b.share for b in root.branches) == pytest.approx(1.0, abs=0.01)
    followed = [b for b in root.branches if b.place is not None]
    assert 1 < len(followed) <= len(root.branches)
    assert [done for done, _ in made] == list(range(1, len(made) + 1))
    assert all(done <= known for done, known in made)
    assert made[-1] == (len(made), len(made)), "nothing is known of that is not worked out"
    assert len(made) == 1 + sum(1 + sum(x.place is not None for x in b.place.branches)
                                for b in followed if b.place is not None)  # fmt: skip
    average = sum(b.share * b.place.expected_min for b in followed if b.place is not None)
    share = sum(b.share for b in followed)
    assert root.expected_min == pytest.approx(root.minutes + average / share)
    for branch in followed:
        assert branch.place is not None
        for leaf in branch.place.branches:
            assert leaf.place is None or (
                leaf.place.step is None and leaf.place.expected_min == 0.0
            )


def test_a_reading_branches_below_as_and_above_what_is_healthy(turf: Diagnostician) -> None:
    seen = (*SINKS, Behaviour(id="b3", function="lift", move="raise", how="slow", when="hot"))
    planner = turf.planner(seen)
    step = next(s for s in steps_of(turf, seen) if s.quantity == "pressure_bar" and not s.refused)
    value, chance = planner.outlook(step)
    assert (np.diff(value) >= 0.0).all()
    assert chance.sum() == pytest.approx(1.0)
    spread = planner.spread(step)
    mean, variance = spread.mean, spread.sd**2
    weight = planner.weight[planner.live] / planner.weight[planner.live].sum()
    assert float(chance @ value) == pytest.approx(float(weight @ mean), rel=0.01)
    whole = weight @ (variance + mean**2) - (weight @ mean) ** 2
    assert chance @ value**2 - (chance @ value) ** 2 == pytest.approx(whole, rel=0.1)


def test_the_tree_can_be_stopped_and_refuses_a_depth_without_end(turf: Diagnostician) -> None:
    def stop(made: int, known: int) -> None:
        if made == 2:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        tree_of(turf, SINKS, 3, stop)
    for depth in (0, 7):
        with pytest.raises(ValueError, match="is not 1"):
            tree_of(turf, SINKS, depth)


def test_an_indicator_is_looked_at_while_oil_flows_through_its_filter() -> None:
    """A pump that destrokes sends next to nothing through the return filter in standby."""
    doctor = doctor_of("forwarder_crane")
    looks = [s for s in steps_of(doctor, ()) if s.kind == "indicator"]
    assert looks
    for look in looks:
        assert doctor.circuit.states[look.state].moves


def drawn_upon() -> Circuit:
    """The hauler with a state in which 0.15 L were drawn from its store, the engine off."""
    document = load_circuit("hauler_fan").model_dump(mode="json")
    parked = document["states"]["parked"]
    document["states"]["drawn"] = {**parked, "settings": {"store.drawn_l": 0.15}}
    return Circuit.model_validate(document)


def test_at_rest_only_a_store_that_was_drawn_upon_is_read() -> None:
    circuit = drawn_upon()
    store = Quantity("pressure_bar", "store_port")
    assert readable(circuit, store, circuit.states["drawn"])
    assert not readable(circuit, store, circuit.states["parked"])
    assert not readable(circuit, store, circuit.states["discharged"])


@pytest.mark.parametrize(("fault", "left"), [(None, 1.0), (0.25, 0.25), (0.1, 0.1)])
def test_a_store_gives_back_by_boyle_what_its_gas_is(fault: float | None, left: float) -> None:
    """155 bar, 2 L at 80 bar precharge: 0.15 L are drawn from V·p0/p of gas."""
    circuit = drawn_upon()
    share = 1.0 if fault is None else fault
    circuit.component("store").parameters["precharge_bar"] = 80.0 * share
    changed = Network(circuit)
    predictor = Predictor(circuit, single_faults(changed), SteadySolver(changed))
    row = changed.net_index["brake_store"]
    standing = predictor.healthy(circuit.states["parked"])[row]
    assert standing == pytest.approx(155.0, abs=0.5), "gas does not show while it stands"
    gas_l = 2.0 * 80.0 * left / 155.0
    expected = 155.0 * gas_l / (gas_l + 0.15)
    drawn = predictor.healthy(circuit.states["drawn"])[row]
    assert drawn == pytest.approx(expected if expected > 80.0 * left else 0.0, rel=0.01, abs=0.5)


@pytest.mark.parametrize("name", circuit_ids())
def test_who_measures_a_drift_stands_beside_a_still_machine(name: str) -> None:
    circuit = load_circuit(name)
    predictor = doctor_of(name).predictor
    asked: dict[str, set[str]] = {}
    for state, quantity in readings_of(predictor):
        if quantity.kind == "drift_mm_min" and state in circuit.steady:
            asked.setdefault(quantity.place, set()).add(state)
    for function in [q.place for q in predictor.quantities if q.kind == "drift_mm_min"]:
        held = {
            s
            for s, found in circuit.steady.items()
            if anything_read(circuit, found)
            and found.loads.get(function) == "held"
            and function not in found.moves
        }
        still = {s for s in held if not circuit.states[s].moves}
        assert asked.get(function, set()) == (still or held)
    if name == "tail_lift":
        assert "held" in asked["lift"]
        assert "tilt_stop" not in asked["lift"]


def test_nobody_times_what_is_over_before_a_hand_is_at_the_watch() -> None:
    """A shoe that travels four millimetres in a tenth of a second; a blade that takes twelve."""
    asked = {
        name: {q.place for _, q in readings_of(doctor_of(name).predictor) if q.kind == "speed_mm_s"}
        for name in ("utility_cart", "packer_truck")
    }
    assert not {"left", "right"} & asked["utility_cart"]
    assert asked["packer_truck"] == {"blade", "tailgate"}
