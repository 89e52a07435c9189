"""Readings in time: what they show on machines that are in order, and on those that are not."""

from functools import cache

import numpy as np
import pytest

from tests.core.machines import Nominal, solver_of
from umweg.core.circuit.document import Circuit, Timing
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.errors import ObservationError, StateError
from umweg.core.faults.population import single_faults
from umweg.core.network.check import circuit_problems
from umweg.core.observe.exhibits import Played
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity, from_scale, quantity_of
from umweg.core.observe.weights import noise_at, uncertainty
from umweg.core.trace.curves import Program, play_program, to_csv
from umweg.library import load_circuit, load_jobs

GAS = 2.0, 80.0
"""The hauler's accumulator: litres, and bar with its oil side empty."""


@cache
def hauler() -> Predictor:
    solver = solver_of("hauler_fan")
    return Predictor(solver.network.circuit, single_faults(solver.network), solver)


def shown(timing_id: str, *faults: str) -> float:
    """What a timing shows on the nominal machine with a fault."""
    circuit = load_circuit("hauler_fan")
    timing = circuit.timing(timing_id)
    return Nominal("hauler_fan", *faults).read(timing.of, timing_id, timing.state)


def test_an_empty_accumulator_is_charged_in_the_time_its_oil_takes() -> None:
    """Boyle: from the gas's pressure on the oil is V·(1 − p_gas/p); the feed gives what it gives."""
    volume, gas = GAS
    oil_l = volume * (1 - (gas + 1.013) / (140 + 1.013))
    seconds = shown("charge_time")
    feed_lpm = 60 * oil_l / seconds
    assert 5 < feed_lpm < 20, "2.2·√Δp at a margin of 12 to 60 bar"
    assert shown("charge_time", "charging:feed_blocked=0.5") > 3 * seconds


def test_a_healthy_store_is_not_charged_again_and_again() -> None:
    healthy = shown("recharge")
    watched = load_circuit("hauler_fan").timing("recharge").phases[-1].seconds
    assert healthy == pytest.approx(watched)
    quick = shown("recharge", "charging:leaks_down=0.8")
    slower = shown("recharge", "charging:leaks_down=0.5")
    assert quick < slower < healthy
    # Between cut-in and cut-out the gas takes V·p_gas·(1/130 − 1/160), and that leaks away.
    volume, gas = GAS
    store_l = volume * (gas + 1.013) * (1 / 131.013 - 1 / 161.013)
    leak_lpm = 0.05 * 0.8**2 * 145
    assert quick > 60 * store_l / leak_lpm, "the leak alone would take this long, charging more"
    assert quick < 2.5 * 60 * store_l / leak_lpm


def test_lost_gas_shows_in_the_interval_and_in_what_is_left() -> None:
    assert shown("recharge", "store:gas_lost=0.7") < 0.4 * shown("recharge")
    assert shown("store_left", "store:gas_lost=0.7") < shown("store_left") - 20
    assert shown("store_left", "brake_valve:spool_worn=0.7") < shown("store_left") - 20


def test_the_peak_is_the_reliefs_setting_and_a_plugged_drain_shows() -> None:
    healthy = shown("fan_peak")
    steady = Nominal("hauler_fan").bar("fan_port", "max")
    assert healthy > steady + 20, "the fan lags behind the engine"
    assert shown("fan_peak", "fan_relief:set_low=0.5") < healthy - 30
    assert shown("fan_peak", "fan_relief:set_high=0.5") > healthy + 15


@pytest.mark.parametrize(
    ("fault", "late"),
    [(None, 1.0), ("branch_check:screen_blocked=0.3", 2.0), ("interlock_valve:sticks=0.2", 1.6)],
)
def test_a_brake_is_released_in_the_time_its_piston_takes(fault: str | None, late: float) -> None:
    """5 mm at the speed of the moment it moves, and a few hundredths in which its line fills."""
    machine = Nominal("dumper_interlock", *([] if fault is None else [fault]))
    seconds = machine.read("within_s", "release_time", "releasing")
    stroke = 5 / machine.mm_s("release", "releasing")
    assert 0.01 < seconds - stroke < 0.1
    assert seconds > late * 1.15


def test_slopes_are_what_playing_the_changed_machine_shows() -> None:
    predictor = hauler()
    quantity = quantity_of(predictor.circuit.timing("fan_peak"))
    timed = predictor.timed(quantity)
    keys = list(predictor.unknowns.keys)
    row = keys.index("fan_relief.set_bar")
    sigma = float(predictor.unknowns.sigma[row])
    slot = int(predictor.unknowns.slot[row])
    own = float(predictor.network.base_parameters[slot]) + sigma
    changed = Nominal("hauler_fan")
    changed.machine.own = {slot: own}
    value = changed.machine.value(quantity, predictor.circuit.states["max"])
    assert value - timed.mean[0] == pytest.approx(timed.slope[row, 0], abs=0.05)
    assert timed.slope[row, 0] > 0.5, "the setting is what the peak shows"


def test_a_reading_in_time_speaks_for_what_it_shows() -> None:
    doctor = Diagnostician(hauler(), load_jobs()[0].instruments)
    told = Reading.model_validate(
        {
            "id": "r1", "kind": "reading", "point": "recharge", "quantity": "interval_s",
            "state": "rated", "value": shown("recharge", "charging:leaks_down=0.6"), "unit": "s",
        }
    )  # fmt: skip
    leaders = {s.hypothesis.key for s in doctor.diagnose([told]).suspects[:3]}
    assert leaders & {"charging:leaks_down", "brake_valve:spool_worn", "store:gas_lost"}
    before = doctor.diagnose([])
    share = {s.hypothesis.key: s.share for s in before.suspects}
    after = {s.hypothesis.key: s.share for s in doctor.diagnose([told]).suspects}
    assert after["charging:leaks_down"] > 5 * share.get("charging:leaks_down", 1e-3)


def test_what_is_read_in_time_is_offered_with_its_way_and_its_minutes() -> None:
    doctor = Diagnostician(hauler(), load_jobs()[0].instruments)
    steps = {s.point: s for s in doctor.diagnose([]).steps if s.quantity == "interval_s"}
    step = steps["recharge"]
    assert step.minutes > 5, "it is watched so long"
    assert "watched for 5 min at most" in step.state_label
    assert step.unit == "s"


def test_a_reading_in_time_belongs_to_its_state() -> None:
    wrong = Reading.model_validate(
        {
            "id": "r1", "kind": "reading", "point": "recharge", "quantity": "interval_s",
            "state": "idle", "value": 12, "unit": "s",
        }
    )  # fmt: skip
    with pytest.raises(ObservationError, match="is read in “rated”"):
        wrong.check(Played(hauler()).suspects)
    with pytest.raises(ObservationError, match="not a unit of time"):
        wrong.model_copy(update={"unit": "bar"}).check(Played(hauler()).suspects)


def broken(circuit: Circuit, **changes: object) -> list[str]:
    timing = circuit.timings[0].model_dump()
    timings = [Timing.model_validate({**timing, **changes})]
    # Its own mistakes, not those of specifications that read the timings left out.
    changed = circuit.model_copy(update={"timings": timings, "specifications": []})
    return [p.code for p in circuit_problems(changed)]


def test_a_timing_that_cannot_be_is_named() -> None:
    circuit = load_circuit("hauler_fan")
    assert broken(circuit) == []
    assert broken(circuit, point=None) == ["no_point"]
    assert broken(circuit, level_bar=None) == ["no_level_bar"]
    assert broken(circuit, point="nowhere") == ["no_point"]
    assert broken(circuit, of="moved_mm", function="fan_drive") == ["no_function"]
    assert broken(circuit, phases=[{"state": "gone", "seconds": 1}]) == ["no_state"]


def test_a_program_is_played_from_the_command_lines_words() -> None:
    circuit, solver = load_circuit("hauler_fan"), solver_of("hauler_fan")
    program = Program.model_validate(
        {"phases": [{"state": "idle", "seconds": 1}, {"state": "max", "seconds": 4, "ramp_s": 0.8}]}
    )
    played = play_program(circuit, solver, program, {})
    inlet = next(c for c in played.curves if c.name == "motor_in")
    assert inlet.highest >= max(inlet.values)
    peak = hauler().timed(Quantity("peak_bar", "fan_peak")).mean[0]
    assert inlet.highest == pytest.approx(float(peak), abs=1.0)
    rows = to_csv(played).splitlines()
    assert rows[0].startswith("time [s],")
    assert "motor_in [bar]" in rows[0]
    assert len(rows) == 1 + len(played.time_s)
    with pytest.raises((ObservationError, StateError), match="no state “gone”"):
        play_program(
            circuit,
            solver,
            Program.model_validate({"phases": [{"state": "gone", "seconds": 1}]}),
            {},
        )


def test_times_are_compared_in_proportion() -> None:
    quantity = Quantity("interval_s", "recharge")
    assert quantity.compressed
    timed = hauler().timed(quantity)
    assert float(from_scale(quantity, timed.mean[:1])[0]) == pytest.approx(300.0)
    assert np.isfinite(timed.mean).all()


def test_a_watch_is_no_finer_than_a_hand_and_a_rule_no_finer_than_a_millimetre() -> None:
    """σ on the comparison scale asinh(v), whose unit at v is √(1 + v²)."""
    for kind, share, least in (("within_s", 0.05, 0.3), ("moved_mm", 0.1, 1.0)):
        quantity = Quantity.named(kind, "x")
        for value in (0.0, 2.0, 300.0):
            own = uncertainty(quantity, value, None)
            assert own == pytest.approx(np.hypot(share * np.hypot(1, value), least), rel=1e-6)
            scaled = float(np.arcsinh(value))
            assert noise_at(quantity, scaled, None) == pytest.approx(own / np.hypot(1, value))
    bar = Quantity.named("pressure_bar", "x")
    assert uncertainty(bar, 100.0, None) == noise_at(bar, 100.0, None)


def test_a_timing_carries_the_cautions_of_every_state_it_leads_through() -> None:
    doctor = Diagnostician(hauler(), load_jobs()[0].instruments)
    circuit = load_circuit("hauler_fan")
    own = {t.id for t in circuit.timings}
    steps = [s for s in doctor.diagnose([]).steps if s.point in own]
    assert steps
    for step in steps:
        for phase in circuit.timing(step.point).phases:
            assert set(circuit.states[phase.state].cautions) <= set(step.cautions)
