"""The machines of the benchmark: they do not keep to the model, and the figures add up."""

import numpy as np
import pytest

from umweg.bench.bands import bands_of
from umweg.bench.isolate import IsolateFigures, Played
from umweg.bench.real import ENGINE_SHARE, MISSEEN, NEXT_TO, OIL_C, RealMachine
from umweg.core.faults.population import parse_fault
from umweg.core.network.network import engine_rpm
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.quantities import Quantity
from umweg.core.solve.steady import SteadySolver
from umweg.library import load_circuit, load_jobs

GAUGE = next(i for i in load_jobs()[0].instruments if i.measures == "pressure" and i.high > 200)
BAR = Quantity("pressure_bar", "block_gauge")


@pytest.fixture
def machine(packer_solver: SteadySolver) -> RealMachine:
    fault = parse_fault(packer_solver.network, "pump:worn=0.5")
    circuit = packer_solver.network.circuit
    return RealMachine(circuit, [fault], np.random.default_rng(3), packer_solver)


def test_its_day_is_a_little_off_and_stays_so(machine: RealMachine) -> None:
    state = machine.circuit.states["blade_extend_stalled"]
    mover = machine.circuit.prime_movers[0].id
    actual = machine.actual(state)
    stated = engine_rpm(machine.circuit, state, mover)
    share = engine_rpm(machine.circuit, actual, mover) / stated - 1
    assert 0 < abs(share) <= ENGINE_SHARE
    assert 0 < abs(actual.oil_c - state.oil_c) <= OIL_C
    assert machine.actual(state) == actual


def test_a_gauge_is_off_by_its_own_and_now_and_then_grossly(machine: RealMachine) -> None:
    shown = np.array([machine.shown(BAR, 150.0, GAUGE) for _ in range(2000)])
    gross = np.abs(shown - 150.0) > 40.0
    assert gross.mean() == pytest.approx(0.05, abs=0.015)
    offset = machine._offsets[GAUGE.id]
    assert np.median(shown[~gross]) == pytest.approx(150.0 + offset, abs=0.3)


def test_a_needle_lies_on_its_pin_where_the_gauge_shows_no_vacuum(
    packer_solver: SteadySolver,
) -> None:
    circuit = packer_solver.network.circuit
    machine = HiddenMachine(circuit, [], np.random.default_rng(3), packer_solver)
    state = next(n for n, s in circuit.states.items() if s.engine == "off" and not s.passing)
    asked = blank(BAR, state)
    fine = next(i for i in load_jobs()[0].instruments if i.low < 0)
    wide = [asked.witnessed(machine, GAUGE).value for _ in range(40)]
    assert min(wide) == 0.0 < max(wide)
    assert min(asked.witnessed(machine, fine).value for _ in range(40)) < 0.0


def test_one_word_in_ten_is_the_one_next_to_it(machine: RealMachine) -> None:
    said = [machine.said("weak") for _ in range(2000)]
    assert set(said) == {"weak", *NEXT_TO["weak"]}
    assert said.count("weak") / 2000 == pytest.approx(0.9, abs=0.02)
    # What was seen is kept: a bench tells who is brought in for a wrong word alone.
    assert machine.seen == ["weak"] * 2000


def test_the_fault_sits_on_what_was_drawn(machine: RealMachine) -> None:
    slot = machine.network.slot["pump.leakage_lpm_per_bar"]
    healthy = machine.network.base_parameters[slot]
    assert machine.own[slot] > 2 * healthy


def played(claimed: float, first: bool) -> Played:
    return Played("f", first, True, first, claimed, "f", 3, 1, 20.0, False, 100.0)


def test_calibration_is_the_distance_of_claims_from_what_was_right() -> None:
    figures = IsolateFigures(
        "x", [played(0.9, True), played(0.9, False), played(0.99, True), played(0.99, True)]
    )
    assert figures.share("first") == 0.75
    assert figures.sure_right == 1.0
    assert figures.calibration_error == pytest.approx(0.5 * 0.4 + 0.5 * 0.01)
    assert [row[2] for row in figures.calibration()] == [2, 2]
    assert figures.mean("spent") == 100.0


def test_few_machines_are_seldom_right_as_often_as_they_should_be() -> None:
    # One claim of 90 % is 10 % off nine times of ten and 90 % once; of many the mean of a binomial.
    alone = IsolateFigures("x", [played(0.9, True)])
    assert alone.calibration_by_chance == pytest.approx(2 * 0.9 * 0.1, abs=0.04)
    many = IsolateFigures("x", [played(0.9, True)] * 400)
    deviation = (2 / np.pi * 0.9 * 0.1 / 400) ** 0.5
    assert many.calibration_by_chance == pytest.approx(deviation, rel=0.1)
    assert many.calibration_error == pytest.approx(0.1)


def test_nine_bands_of_ten_hold() -> None:
    """Readings that were not taken yet, each within the 90 % band of what is wrong."""
    turf = load_circuit("turf_lift")
    figures = bands_of(turf, load_jobs()[0].instruments, machines=16, seed=5)
    assert figures.asked.total() >= 350
    assert 0.87 <= figures.share <= 0.95


def test_one_look_in_twenty_comes_out_the_other_way(machine: RealMachine) -> None:
    found = [machine.happens(1.0) for _ in range(2000)]
    missed = [machine.happens(0.0) for _ in range(2000)]
    assert 1.0 - np.mean(found) == pytest.approx(MISSEEN, abs=0.02)
    assert np.mean(missed) == pytest.approx(MISSEEN, abs=0.02)
