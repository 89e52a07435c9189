"""What must come out right where oil is stored, stages follow one another, or grease goes in turn."""

from functools import cache

import pytest

from tests.core.machines import Nominal
from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.errors import ObservationError
from umweg.core.observe.exhibits import Suspects
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.quantities import Quantity
from umweg.library import load_circuit, load_jobs

LEGS, PLATFORM, BOOM = "platform_outriggers", "inspection_platform", "sprayer_boom"
CHIPPER, HEAD, CRUSHER = "chipper_lubrication", "harvester_head", "crusher_lubrication"


@cache
def circuit(circuit_id: str) -> Circuit:
    return load_circuit(circuit_id)


@cache
def timed(circuit_id: str, timing_id: str, *faults: str) -> float:
    timing = circuit(circuit_id).timing(timing_id)
    return Nominal(circuit_id, *faults).read(timing.of, timing_id, timing.state)


# An electric pack that holds its legs up (F11).


def test_a_healthy_pack_does_not_start_again() -> None:
    assert timed(LEGS, "restart") == pytest.approx(300)
    # It stops a little above its switch's setting: the motor runs out.
    assert 158 < timed(LEGS, "left") < 180


@pytest.mark.parametrize(
    "leak",
    ["lock:seat_leaks=0.5", "release:leaks=0.6", "leg_rr:piston_bypass=0.4"],
)
def test_any_leak_of_the_held_line_starts_it_again_and_again(leak: str) -> None:
    assert timed(LEGS, "restart", leak) < 100
    assert timed(LEGS, "left", leak) < 100


def test_a_larger_leak_starts_it_sooner_and_a_narrow_switch_too() -> None:
    mild, bad = (timed(LEGS, "restart", f"lock:seat_leaks={s}") for s in (0.3, 0.5))
    assert bad < 0.5 * mild
    assert timed(LEGS, "restart", "lock:seat_leaks=0.3") > timed(
        LEGS, "restart", "lock:seat_leaks=0.3", "switch:narrow=0.9"
    )


def test_capping_one_leg_at_a_time_tells_which_leaks() -> None:
    leak = "leg_rl:piston_bypass=0.4"
    quiet = timed(LEGS, "restart_rl", leak)
    assert quiet == pytest.approx(150), "the leg that leaks is capped off: nothing starts the motor"
    for other in ("restart_fl", "restart_fr", "restart_rr"):
        assert timed(LEGS, other, leak) < 0.5 * quiet
    # A leak of the pack itself stays, whichever leg is capped.
    assert timed(LEGS, "restart_rl", "lock:seat_leaks=0.5") < 0.5 * quiet


def test_a_switch_that_stays_made_ends_at_the_relief() -> None:
    assert timed(LEGS, "stops_at") < 182, "160 bar, and what the motor still gives running out"
    assert timed(LEGS, "stops_at", "switch:stays_made=1") == pytest.approx(185 + 1.2 * 2.5, abs=2)
    assert timed(LEGS, "stops_at", "switch:set_low=0.9") < timed(LEGS, "stops_at") - 15


def test_contacts_turn_the_motor_round() -> None:
    """Out needs one relay's work contact and the other's rest contact; in the other two."""
    healthy = Nominal(LEGS)
    assert healthy.mm_s("legs", "out_free") > 5
    assert healthy.mm_s("legs", "in_free") > 5
    burnt = Nominal(LEGS, "relay_in:rest_burnt=1")
    assert abs(burnt.mm_s("legs", "out_free")) < 0.1 * healthy.mm_s("legs", "out_free")
    assert burnt.mm_s("legs", "in_free") == pytest.approx(healthy.mm_s("legs", "in_free"), rel=0.02)


def test_the_shuttle_gives_back_what_the_pump_does_not_take() -> None:
    healthy = Nominal(LEGS)
    stuck = Nominal(LEGS, "shuttle:sticks=1")
    assert stuck.mm_s("legs", "out_free") == pytest.approx(
        healthy.mm_s("legs", "out_free"), rel=0.02
    )
    # Going in, a cap side gives 1.46 times what the ring takes: without a way it goes slower.
    assert abs(stuck.mm_s("legs", "in_free")) < 0.8 * abs(healthy.mm_s("legs", "in_free"))


# An emergency circuit with its store and its hand pump (F15).


def test_the_dump_is_seen_to_work_and_a_plugged_one_is_seen_too() -> None:
    assert timed(PLATFORM, "store_dumped") < 1
    assert timed(PLATFORM, "store_left") > 140


def test_a_short_circuit_valve_off_its_seat_is_felt_at_the_hand_pump() -> None:
    """No resistance at the lever, and the boom stays where it is."""
    healthy = Nominal(PLATFORM)
    dirt = Nominal(PLATFORM, "short_circuit:leaks=1")
    assert healthy.bar("hand_port", "hand_stop") > 140
    assert dirt.bar("hand_port", "hand_stop") < 20
    assert healthy.mm_s("boom", "hand_raise") == pytest.approx(
        14 * 40 / 60 / 5.027 / 10 * 10, rel=0.3
    )
    assert abs(dirt.mm_s("boom", "hand_raise")) < 0.1 * healthy.mm_s("boom", "hand_raise")
    # Capped before its check the pump is alone with its own valves.
    assert dirt.bar("hand_port", "hand_capped") < 20


def test_the_store_leaks_by_what_closes_it() -> None:
    healthy = timed(PLATFORM, "store_left")
    for leak in ("dump:leaks=0.6", "charge_check:poppet_lost=1"):
        assert timed(PLATFORM, "store_left", leak) < healthy - 20
    assert timed(PLATFORM, "charge_time", "charge_check:screen_blocked=0.9") > 1.5 * timed(
        PLATFORM, "charge_time"
    )


def test_lost_gas_lowers_the_boom_less_far() -> None:
    healthy = timed(PLATFORM, "lowered")
    assert healthy > 100
    assert timed(PLATFORM, "lowered", "accumulator:gas_lost=0.8") < 0.7 * healthy


# Stages that open one another (F17).


STRAIGHT_UP_S = 450 / 98.5
"""Stroke of the mast over its speed."""


def test_wings_go_out_once_the_mast_is_nearly_up_and_it_goes_home_behind_them() -> None:
    """The cam lets the lighter wings have the oil: the mast waits for them just below its top."""
    assert timed(BOOM, "unfold_time") > 0.92 * STRAIGHT_UP_S + 600 / 98.5
    assert timed(BOOM, "mast_time") > timed(BOOM, "unfold_time")
    assert timed(BOOM, "fold_time") > 8


def test_a_stage_that_never_arrives_explains_what_never_starts() -> None:
    """The cam is not pressed: the mast goes straight to its top, the wings never follow."""
    off = "out_cam:not_reached=1"
    assert timed(BOOM, "mast_time", off) == pytest.approx(STRAIGHT_UP_S + 0.2, abs=0.15)
    assert timed(BOOM, "unfold_time", off) == pytest.approx(60)
    assert Nominal(BOOM, off).bar("wings_port", "wings_stop") < 0.3 * Nominal(BOOM).bar(
        "wings_port", "wings_stop"
    )
    # A valve that hangs open lets the wings go before the mast is up.
    assert timed(BOOM, "unfold_time", "out_cam:stays_open=1") < timed(BOOM, "unfold_time") - 1


def test_reduced_pressure_stands_at_both_ports_and_one_leak_lowers_one() -> None:
    healthy = Nominal(BOOM)
    for port in ("hold_left_port", "hold_right_port"):
        # What passes its spool raises it until it relieves, 3 bar above its setting.
        assert healthy.bar(port, "spraying") == pytest.approx(38 + 3, abs=1)
    leaky = Nominal(BOOM, "down_left:seal_leaks=0.8")
    assert leaky.bar("hold_left_port", "spraying") < 20
    assert leaky.bar("hold_right_port", "spraying") > 33
    low = Nominal(BOOM, "reducer:set_low=0.5")
    assert low.bar("hold_left_port", "spraying") == pytest.approx(
        low.bar("hold_right_port", "spraying"), abs=0.2
    )
    assert low.bar("hold_left_port", "spraying") < 25


def test_a_lock_that_another_circuit_does_not_open_keeps_its_wing() -> None:
    healthy = Nominal(BOOM)
    locked = Nominal(BOOM, "lock_right:pilot_weak=1")
    assert abs(locked.mm_s("right", "wings_out")) < 0.2 * healthy.mm_s("right", "wings_out")
    assert locked.mm_s("left", "wings_out") > 0.9 * healthy.mm_s("left", "wings_out")


# Progressive lubrication (F4).


def test_a_divider_serves_every_outlet_alike() -> None:
    healthy = Nominal(CHIPPER)
    flows = healthy.flows("cycle")
    sixths = [-flows[f"divider.out_{n}"] for n in range(1, 7)]
    assert max(sixths) == pytest.approx(min(sixths), rel=0.01)
    # Strokes: what the pump gives over 0.1 cm³.
    assert healthy.rpm("lubrication", "cycle") == pytest.approx(sum(sixths) * 1e3 / 0.1, rel=0.01)


def test_one_blocked_outlet_stops_all_blows_the_relief_and_puts_its_pin_out() -> None:
    blocked = Nominal(CHIPPER, "line_3:plugged=1")
    assert blocked.bar("main_port", "cycle") == pytest.approx(280, abs=8)
    assert blocked.rpm("lubrication", "cycle") < 2
    assert blocked.bar("out_3_port", "cycle") > 150, "its pin is out"
    others = [blocked.bar(f"out_{n}_port", "cycle") for n in (1, 2, 4, 5, 6)]
    assert max(others) < 100


def test_over_torqued_sections_blow_the_relief_with_no_pin_out() -> None:
    jammed = Nominal(CHIPPER, "divider:over_torqued=1")
    assert jammed.bar("main_port", "cycle") == pytest.approx(280, abs=8)
    assert max(jammed.bar(f"out_{n}_port", "cycle") for n in range(1, 7)) < 100


def test_no_pressure_and_no_strokes_are_the_pump_or_its_strainer() -> None:
    for fault in ("pump:motor_dead=1", "pump:draws_air=1", "controller:never_makes=1"):
        silent = Nominal(CHIPPER, fault)
        assert silent.rpm("lubrication", "cycle") < 15
        assert silent.bar("main_port", "cycle") < 280
    worn = Nominal(CHIPPER, "pump:element_worn=1")
    assert worn.bar("main_port", "capped") < 100, "it does not reach its relief against a plug"


# A supply that a controller regulates (F12).


def test_actual_follows_commanded_and_the_sensor_says_so() -> None:
    healthy = Nominal(HEAD)
    for bar in (40, 140, 200):
        shown = healthy.bar("head_port", f"commanded_{bar}")
        assert shown == pytest.approx(bar, abs=4)
        volts = healthy.read("voltage_v", "actual", f"commanded_{bar}")
        assert volts == pytest.approx(0.5 + 4 * shown / 250, abs=0.01)
    assert healthy.bar("head_port", "forced_shut") < 4


def test_a_sensor_that_lies_is_told_by_a_gauge_beside_it() -> None:
    """The controller is content, the gauge is not."""
    liar = Nominal(HEAD, "sensor:reads_high=0.7")
    assert liar.read("voltage_v", "actual", "commanded_140") == pytest.approx(2.75, abs=0.06)
    assert liar.bar("head_port", "commanded_140") < 100
    weak = Nominal(HEAD, "regulator:sticks_shut=1")
    assert weak.read("voltage_v", "actual", "commanded_140") < 1.5, "commanded is not reached"
    assert weak.bar("supply_port", "commanded_140") > 200


def test_forced_shut_a_leaking_regulator_keeps_pressure() -> None:
    assert Nominal(HEAD, "regulator:hangs_open=0.3").bar("head_port", "forced_shut") > 20
    assert Nominal(HEAD, "sensor:dead=1").bar("head_port", "commanded_140") < 5, (
        "no signal: the controller shuts"
    )


# Dual-line lubrication (F3).


def test_each_line_reaches_the_pumps_own_maximum_in_turn_and_the_far_end_later() -> None:
    healthy = Nominal(CRUSHER)
    for line, other in (("a", "b"), ("b", "a")):
        state = f"line_{line}"
        assert healthy.bar(f"{line}_pump_port", state) == pytest.approx(307, abs=2)
        assert healthy.bar(f"{other}_pump_port", state) < 10
        assert 5 < timed(CRUSHER, f"{line}_arrives") < 60


@pytest.mark.parametrize("bypass", ["reverser:bypass=0.8", "near:pistons_worn=0.85"])
def test_both_lines_rising_is_a_bypass(bypass: str) -> None:
    machine = Nominal(CRUSHER, bypass)
    assert machine.bar("b_pump_port", "line_a") > 8
    assert machine.bar("a_pump_port", "line_a") < 250


def test_slow_at_the_far_end_is_air_a_leak_or_a_plugged_line() -> None:
    healthy = timed(CRUSHER, "a_arrives")
    for fault in ("pump:draws_air=0.7", "far_a:leaks_outside=0.85", "far_a:plugged=0.4"):
        assert timed(CRUSHER, "a_arrives", fault) > 1.5 * healthy
    # Only the line that is plugged is slow.
    assert timed(CRUSHER, "b_arrives", "far_a:plugged=0.4") == pytest.approx(healthy, rel=0.03)


def test_a_valve_that_does_not_shift_fills_the_same_line_again() -> None:
    stuck = Nominal(CRUSHER, "reverser:does_not_shift=1")
    assert stuck.bar("a_pump_port", "line_b") > 290
    assert stuck.bar("b_pump_port", "line_b") < 10


# What stands only for a moment.


def test_a_passing_state_is_read_in_time_and_not_steadily() -> None:
    legs = circuit(LEGS)
    assert "on_feet" in legs.states
    assert "on_feet" not in legs.steady
    suspects = Suspects.of(legs)
    steady = blank(Quantity("pressure_bar", "held_port"), "on_feet")
    with pytest.raises(ObservationError, match="only for a moment"):
        steady.check(suspects)
    blank(Quantity("left_bar", "left"), "on_feet").check(suspects)


def test_what_a_passing_state_warns_of_stands_at_the_step() -> None:
    chipper = circuit(CHIPPER)
    moment = chipper.states["rest"].model_copy(
        update={"passing": True, "cautions": ["The line still holds what the pump left in it."]}
    )
    changed = chipper.model_copy(update={"states": {**chipper.states, "rest": moment}})
    diagnosis = Diagnostician.of(changed, load_jobs()[0].instruments).diagnose([])
    step = next(s for s in diagnosis.steps if s.point == "main_left")
    assert "The line still holds what the pump left in it." in step.cautions
    assert step.highest_bar == pytest.approx(350), "a gauge for what its parts may bear"
