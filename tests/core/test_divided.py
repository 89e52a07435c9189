"""Severities between those of the grid: where a fault has a cliff, one point in seven misses it."""

import numpy as np
import pytest

from tests.core.machines import Nominal
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.ranking import rank
from umweg.core.faults.population import between, divided, fault_pairs, single_faults
from umweg.core.observe.composed import Divided, Joined, Paired
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor, state_key
from umweg.core.observe.quantities import Quantity, quantity_of
from umweg.library import load_circuit, load_jobs

CUTTER = "hedge_cutter"
KIT = load_jobs()[0].instruments


@pytest.fixture(scope="module")
def doctor() -> Diagnostician:
    return Diagnostician.of(load_circuit(CUTTER), KIT)


def index_of(doctor: Diagnostician, key: str) -> int:
    return [h.key for h in doctor.predictor.population.hypotheses].index(key)


def finer(doctor: Diagnostician, *keys: str) -> Divided:
    own = doctor.predictor
    parts = [
        Predictor(own.circuit, between(own.population, index_of(doctor, k)), own.solver)
        for k in keys
    ]
    return Divided(own, parts)


def test_a_fault_has_four_times_its_severities_in_order(doctor: Diagnostician) -> None:
    singles = doctor.predictor.population
    h = index_of(doctor, "coupling_a:not_home")
    population, order = divided(singles, [between(singles, h)])
    rows = population.members[h]
    assert population.severity[rows, 0] == pytest.approx(np.arange(1, 29) / 28)
    assert (np.diff(population.hypothesis) >= 0).all()
    assert population.count == singles.count + 21 == len(order)
    assert population.below[rows[1:], 0].tolist() == rows[:-1].tolist()
    assert population.above[rows[:-1], 0].tolist() == rows[1:].tolist()
    # Nothing is believed more or less for being looked at more finely.
    assert np.exp(population.log_prior).sum() == pytest.approx(np.exp(singles.log_prior).sum())
    mode = population.hypotheses[h].faults[0]
    assert population.value[rows, 0] == pytest.approx(
        mode.mode.value(mode.healthy, population.severity[rows, 0])
    )


def test_what_is_between_is_solved_and_the_rest_is_as_it_was(doctor: Diagnostician) -> None:
    both = finer(doctor, "coupling_a:not_home", "pump:worn")
    state = doctor.circuit.states["cutter_light"]
    coarse, fine = doctor.predictor[state], both[state]
    quantity = Quantity("speed_rpm", "head")
    row = coarse.row(quantity)
    for key in ("coupling_a:not_home", "pump:worn", "relief:set_low"):
        h = index_of(doctor, key)
        own = both.population.members[h]
        step = 4 if key != "relief:set_low" else 1
        assert fine.mean[row, own[step - 1 :: step]] == pytest.approx(
            coarse.mean[row, doctor.predictor.population.members[h]]
        )
    half = both.population.members[index_of(doctor, "coupling_a:not_home")][1]
    shown = Nominal(CUTTER, f"coupling_a:not_home={2 / 28}").rpm("head", "cutter_light")
    assert fine.mean[row, half] == pytest.approx(shown, rel=1e-4)


def test_what_is_solved_in_one_batch_is_what_each_fault_shows_alone(doctor: Diagnostician) -> None:
    keys = "coupling_a:not_home", "pump:worn", "relief:set_low"
    together, apart = finer(doctor, *keys), finer(doctor, *keys)
    state = doctor.circuit.states["cutter_light"]
    for part in apart.parts[1:]:
        part.prepare([state])
    one, other = together[state], apart[state]
    assert all(part.has(state) for part in together.parts), "another question finds them solved"
    np.testing.assert_allclose(one.mean, other.mean, rtol=1e-7, atol=1e-8)
    np.testing.assert_array_equal(one.known, other.known)
    np.testing.assert_allclose(one.overload.ratio, other.overload.ratio, rtol=1e-9)
    for row in range(len(one.quantities)):
        np.testing.assert_allclose(one.slope[row], other.slope[row], rtol=1e-4, atol=1e-9)
    for mine, alone in zip(together.parts[1:], apart.parts[1:], strict=True):
        np.testing.assert_allclose(mine[state].slope[0], alone[state].slope[0], atol=1e-9)


def test_a_state_of_ones_own_is_forgotten_by_all_who_played_it(doctor: Diagnostician) -> None:
    both = finer(doctor, "pump:worn")
    own = doctor.circuit.states["cutter_light"].model_copy(update={"oil_c": 33.0})
    both.prepare([own])
    machines = (both, *both.parts)
    assert all(state_key(own) in m._done for m in machines)
    both.forget([own])
    assert not any(state_key(own) in m._done for m in machines)


def test_what_is_read_in_time_lies_between_its_neighbours() -> None:
    circuit = load_circuit("turf_lift")
    doctor = Diagnostician.of(circuit, KIT)
    both = finer(doctor, "pump:worn")
    quantity = quantity_of(circuit.timings[0])
    coarse, fine = doctor.predictor.timed(quantity), both.timed(quantity)
    singles = doctor.predictor.population
    h = index_of(doctor, "pump:worn")
    own, grid = both.population.members[h], singles.members[h]
    assert fine.mean[own[3::4]] == pytest.approx(coarse.mean[grid])
    ends = np.concatenate([coarse.mean[:1], coarse.mean[grid]])
    assert fine.mean[own[1::4]] == pytest.approx((ends[:-1] + ends[1:]) / 2)
    others = np.delete(np.arange(both.population.count), own)
    rest = np.delete(np.arange(singles.count), grid)
    assert fine.mean[others] == pytest.approx(coarse.mean[rest])


def test_at_a_cliff_anything_between_the_neighbours_may_be_read_in_time() -> None:
    """A platform that its relief stops near 0.6 of too much load: on the straight line from four
    seconds' stroke to none at all nobody is where it says, and so it says."""
    lift = Nominal("tail_lift", "lift_load:overloaded=0.6071428571")
    single = Predictor(lift.circuit, single_faults(lift.network), lift.solver)
    h = single.population.place_of["lift_load:overloaded"]
    own = Predictor(lift.circuit, between(single.population, h), lift.solver)
    finer = Divided(single, [own])
    timing = lift.circuit.timing("lift_time")
    quantity = quantity_of(timing)
    rows = finer.population.members[h]
    found = finer.played(quantity, rows)
    near = rows[np.abs(finer.population.severity[rows, 0] - 0.607).argmin()]
    row = len(finer.unknowns.slot) + lift.circuit.timings.index(timing)
    shown = np.arcsinh(lift.read(quantity.kind, quantity.place, timing.state))
    assert abs(shown - found.mean[near]) > 0.3
    assert abs(shown - found.mean[near]) < 2.0 * found.slope[row, near]
    # Where the line hardly bends, and on the grid, nothing is added to speak of.
    grid = single.played(quantity, single.population.members[h])
    usual = grid.slope[row, single.population.members[h]].max()
    slight = rows[finer.population.severity[rows, 0] < 0.4]
    assert found.slope[row, slight].max() < usual + 0.02
    there = np.isin(finer.population.severity[rows, 0], single.population.severity[:, 0])
    assert found.slope[row, rows[there]].max() <= usual + 1e-12


def test_what_needs_no_play_is_worked_out_between_too() -> None:
    """A brake that lets go somewhere between two severities of the grid heats the oil or does not;
    half way between the two lies no machine."""
    dumper = "dumper_interlock"
    circuit = load_circuit(dumper)
    doctor = Diagnostician.of(circuit, KIT)
    both = finer(doctor, "brake_piston:seal_leaks")
    quantity = Quantity("settled_c", "work_warm")
    found = both.timed(quantity)
    own = both.population.members[index_of(doctor, "brake_piston:seal_leaks")]
    assert found.known[own].all()
    for row in own[[20, 23, 25]]:
        severity = both.population.severity[row, 0]
        machine = Nominal(dumper, f"brake_piston:seal_leaks={severity}")
        assert found.mean[row] == pytest.approx(
            machine.read("settled_c", "work_warm", "driving"), abs=0.2
        )
    assert found.mean[own[22]] < 60 < 99 < found.mean[own[24]]


def test_states_that_are_solved_are_not_solved_again_for_the_heat_they_make() -> None:
    circuit = load_circuit("packer_truck")
    doctor = Diagnostician.of(circuit, KIT)
    quantity = next(quantity_of(t) for t in circuit.timings if t.of == "settled_c")
    afresh, known = doctor.predictor.worked_out(quantity)
    doctor.predictor.prepare(circuit.steady.values())
    solve = doctor.predictor.solver.solve
    doctor.predictor.solver.solve = None  # type: ignore[assignment]
    again, still = doctor.predictor.worked_out(quantity)
    doctor.predictor.solver.solve = solve  # type: ignore[method-assign]
    assert (known & still).sum() > 0.99 * len(known)
    assert again[known & still] == pytest.approx(afresh[known & still], abs=0.01)


def test_pairs_heat_the_oil_as_both_together_do() -> None:
    """What a relief heats that a clogged cooler cannot take away is more than what both alone do."""
    packer = "packer_truck"
    doctor = Diagnostician.of(load_circuit(packer), KIT)
    singles = doctor.predictor.population
    keys = "cooler:air_clogged", "main_relief:set_low"
    a, b = (singles.hypotheses[index_of(doctor, k)].faults[0] for k in keys)
    pairs = Paired(doctor.predictor, fault_pairs(singles, [(a, b)], (0.3, 0.6)))
    shown = pairs.timed(Quantity("settled_c", "work_warm"))
    for mean, (first, second) in zip(shown.mean, pairs.population.severity, strict=True):
        machine = Nominal(packer, f"{keys[0]}={first}", f"{keys[1]}={second}")
        assert mean == pytest.approx(
            machine.read("settled_c", "work_warm", "blade_extend_working"), abs=0.2
        )


def readings_of(severity: float) -> list[Observation]:
    """Every pressure of the cutter's machine with the coupling so far from home, as it is."""
    machine = Nominal(CUTTER, f"coupling_a:not_home={severity}")
    states = "cutter_light", "cutter_loaded"
    places = [(p.id, s) for s in states for p in machine.circuit.test_points if p.hydraulic]
    return [
        blank(Quantity("pressure_bar", place), state).model_copy(
            update={"id": f"r{i:02d}", "value": round(machine.bar(place, state), 3)}
        )
        for i, (place, state) in enumerate(places)
    ]


def test_a_coupling_that_is_half_home_leads_at_the_severity_it_has(doctor: Diagnostician) -> None:
    """Half way between two of the grid's severities: none of the grid's shows all of it."""
    seen = readings_of(2.5 / 7)
    h = index_of(doctor, "coupling_a:not_home")
    ranking, predictor = doctor.rank(seen)
    alone = predictor.parts[0] if isinstance(predictor, Joined) else predictor
    assert isinstance(alone, Divided)
    assert rank(doctor.exhibits, seen, KIT, doctor._noticed).shares[h] < 0.05
    assert ranking.keys[0] == "coupling_a:not_home"
    assert ranking.shares[h] > 0.5
    assert ranking.listed()[0].severity == pytest.approx(2.5 / 7, abs=0.02)


def test_nothing_is_divided_where_the_severities_are_nearly_straight(
    doctor: Diagnostician,
) -> None:
    reading = blank(Quantity("pressure_bar", "suction_port"), "cutter_light")
    shown = [
        reading.model_copy(update={"id": f"r{i}", "value": -0.05, "unit": "bar"}) for i in (1, 2)
    ]
    assert len(rank(doctor.exhibits, shown[:1], KIT).divisible) == 0
    population = single_faults(doctor.predictor.network)
    found = rank(doctor.exhibits, shown, KIT).divisible
    assert len(found) <= 8
    assert all(len(population.members[h]) > 1 for h in found)


def test_readings_that_share_an_unknown_weigh_more_together_than_each_by_itself() -> None:
    """A leaking relief between two severities of the grid: each reading by itself speaks less for it
    than all together, and it was given up for a worn pump at the seventh."""
    lift = load_circuit("turf_lift")
    asked = Diagnostician.of(lift, KIT)
    taken = [
        ("pressure_bar", "outlet_port", "raise_stop", 138.69, "bar"),
        ("speed_mm_s", "lift", "raise_empty", 34.65, "mm/s"),
        ("within_s", "raise_time", lift.timing("raise_time").state, 9.254, "s"),
        ("speed_mm_s", "lift", "raise_loaded", 14.36, "mm/s"),
        ("flow_lpm", "external", "flow_loaded", 1.78, "L/min"),
        ("pressure_bar", "outlet_port", "flow_loaded", 65.79, "bar"),
        ("pressure_bar", "external", "raise_stop", 140.17, "bar"),
    ]
    seen: list[Observation] = [
        Behaviour(id="b1", function="lift", move="raise", how="weak", when="warm"),
        Behaviour(id="b2", function="lift", move="lower", how="as_usual", when="warm"),
        *(
            blank(Quantity.named(kind, place), state).model_copy(
                update={"id": f"r{i}", "value": value, "unit": unit}
            )
            for i, (kind, place, state, value, unit) in enumerate(taken)
        ),
    ]
    ranking = rank(asked.exhibits, seen, KIT)
    named = {ranking.population.hypotheses[h].key for h in ranking.divisible}
    assert {"pump:worn", "relief:seat_leaks"} <= named
    ranked, _ = asked.rank(seen)
    shares = {h.key: s for h, s in zip(ranked.population.hypotheses, ranked.shares, strict=True)}
    assert shares["relief:seat_leaks"] > 0.02
