"""What must come out right on a brake worked by foot (F20) and on a reversing feeder (F16)."""

from functools import cache

import numpy as np
import pytest

from tests.core.machines import Nominal
from umweg.core.diagnose.make_safe import make_safe
from umweg.core.faults.population import healthy_only
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity
from umweg.library import load_circuit

CART, FEEDER = "utility_cart", "sludge_feeder"
BORE_CM2 = np.pi / 4 * 2.2**2


@cache
def timed(circuit_id: str, timing_id: str, *faults: str) -> float:
    timing = load_circuit(circuit_id).timing(timing_id)
    return Nominal(circuit_id, *faults).read(timing.of, timing_id, timing.state)


# A service brake with its master cylinder.


def test_force_at_the_pedal_is_pressure_at_both_wheels() -> None:
    healthy = Nominal(CART)
    for state, foot_n in (("pressed_light", 120), ("pressed", 300), ("pressed_hard", 500)):
        wanted = (foot_n - 30) * 5 / (10 * BORE_CM2)
        for port in ("left_port", "right_port"):
            assert healthy.bar(port, state) == pytest.approx(wanted, rel=0.01)
    assert healthy.bar("left_port", "released") == pytest.approx(0, abs=0.01)


def test_air_is_pressed_together_as_boyle_says() -> None:
    """The pedal goes further by the volume that the air has lost, over the bore and its lever.

    A tenth either way is what the compensating port lets back until it is shut: less, the slower.
    """
    more_l = 1e-5 * (2000**0.6 - 1)
    for timing, state in (("travel_light", "pressed_light"), ("travel_hard", "pressed_hard")):
        bar = Nominal(CART).bar("left_port", state)
        lost_cm3 = 1e3 * more_l * (1 - 1.013 / (1.013 + bar))
        further = timed(CART, timing, "main_pipe:air=0.6") - timed(CART, timing)
        assert further == pytest.approx(5 * 10 * lost_cm3 / BORE_CM2, rel=0.1)


def test_a_soft_pedal_gives_with_force_and_a_long_one_does_not() -> None:
    """Air: the further, the harder one presses. Worn linings: far, and then as firm as ever."""
    firm = timed(CART, "travel") - timed(CART, "travel_light")
    soft = "right_hose:air=0.85"
    assert timed(CART, "travel", soft) - timed(CART, "travel_light", soft) > 2 * firm
    long = "left_shoes:clearance=0.8"
    assert timed(CART, "travel", long) > timed(CART, "travel") + 8
    assert timed(CART, "travel", long) - timed(CART, "travel_light", long) == pytest.approx(
        firm, abs=0.5
    )
    assert timed(CART, "left_moves", long) == pytest.approx(0.8 * 5**0.8, rel=0.01)
    assert timed(CART, "right_moves", long) == pytest.approx(0.8, rel=0.01)


def test_capping_tells_the_master_cylinder_from_what_is_behind_it() -> None:
    """A pedal that sinks capped is the master's cup; one that stands capped leaks at a wheel."""
    for fault, capped_too in (("master:cup_leaks=0.55", True), ("left_cylinder:leaks=0.4", False)):
        assert timed(CART, "sinks", fault) > timed(CART, "sinks") + 10
        moved = timed(CART, "travel_capped", fault) - timed(CART, "travel_capped")
        assert (moved > 2) is capped_too
    air = "left_hose:air=0.75"
    assert timed(CART, "travel_capped", air) == pytest.approx(timed(CART, "travel_capped"), abs=0.1)
    assert timed(CART, "travel_left_capped", air) < 0.5 * timed(CART, "travel_right_capped", air)


def test_movement_at_the_far_end_tells_a_hose_from_a_seized_wheel() -> None:
    healthy = Nominal(CART)
    seized = Nominal(CART, "right_cylinder:seized=1")
    assert abs(seized.mm_s("right", "applying")) < 0.05 * healthy.mm_s("right", "applying")
    assert seized.bar("right_port", "pressed") == pytest.approx(
        healthy.bar("right_port", "pressed"), rel=0.01
    )
    # A swollen hose lets the brake on, and does not let it off.
    swollen = "left_hose:collapsed=1"
    assert timed(CART, "left_lets_go", swollen) > 4 * timed(CART, "left_lets_go")
    assert timed(CART, "right_lets_go", swollen) < 1.2 * timed(CART, "right_lets_go")


# Twin delivery cylinders that change over by a store.


def test_one_piston_comes_as_the_other_goes() -> None:
    healthy = Nominal(FEEDER)
    for there, back in (("piston_1", "piston_2"), ("piston_2", "piston_1")):
        state = f"stroke_{there[-1]}"
        assert healthy.machine.signed(
            Quantity("speed_mm_s", there), healthy.circuit.states[state]
        ) == pytest.approx(healthy.mm_s(back, state), rel=0.01)
    signed = healthy.machine.signed(
        Quantity("speed_mm_s", "piston_2"), healthy.circuit.states["stroke_1"]
    )
    assert signed < 0


def test_blocked_delivery_ends_at_the_limiter_and_not_at_the_shock_valves() -> None:
    healthy = Nominal(FEEDER)
    for side in (1, 2):
        shown = healthy.bar(f"loop_{side}_port", f"blocked_{side}")
        assert 250 < shown < 262
    stuck = Nominal(FEEDER, "limiter:stuck_shut=1")
    assert stuck.bar("loop_1_port", "blocked_1") > 315, "the shock valve is what is left"
    low = Nominal(FEEDER, "limiter:set_low=0.6")
    assert low.bar("loop_1_port", "blocked_1") == pytest.approx(
        low.bar("loop_2_port", "blocked_2"), abs=0.5
    )


def test_the_pump_turns_round_once_the_pipe_has_arrived() -> None:
    """By oil: the signal valve at the pipe's end, not the switch, reverses the pump."""
    healthy = Nominal(FEEDER)
    assert (
        healthy.bar("control_1_port", "stroke_1") > 18 > healthy.bar("control_2_port", "stroke_1")
    )
    assert (
        healthy.bar("control_2_port", "stroke_2") > 18 > healthy.bar("control_1_port", "stroke_2")
    )
    off = Nominal(FEEDER, "signal_2:not_reached=1")
    assert abs(off.mm_s("piston_2", "stroke_2")) < 1
    assert off.mm_s("piston_1", "stroke_1") == pytest.approx(
        healthy.mm_s("piston_1", "stroke_1"), rel=0.01
    )
    both = Nominal(FEEDER, "signal_2:stays_open=1")
    assert abs(both.mm_s("piston_1", "stroke_1")) < 1, (
        "signals at both sides: it stays in the middle"
    )


def test_a_whole_stroke_ends_in_a_change_over_by_itself() -> None:
    assert timed(FEEDER, "stroke_time") == pytest.approx(980 / 185.6, rel=0.03)
    assert timed(FEEDER, "auto_change") < 1.2
    for fault in ("end_1:never_makes=1", "automatic:never_makes=1", "changeover:coil_b_open=1"):
        assert timed(FEEDER, "auto_change", fault) == pytest.approx(1.6), fault
    # By its button it tells the switch from the coil.
    assert timed(FEEDER, "change_time", "end_1:never_makes=1") < 0.6
    assert timed(FEEDER, "change_time", "changeover:coil_b_open=1") == pytest.approx(3)
    assert timed(FEEDER, "change_back", "changeover:coil_b_open=1") < 0.6


def test_the_feeder_goes_on_by_itself_for_its_valve_remembers() -> None:
    """From switch to switch 940 mm, a change-over at each end; without coil b it stays where it was."""
    once = timed(FEEDER, "change_time")
    cycle = timed(FEEDER, "auto_cycle")
    assert cycle == pytest.approx(2 * (940 / 185.6 + once), rel=0.03)
    for fault in ("changeover:coil_b_open=1", "end_1:never_makes=1"):
        assert timed(FEEDER, "auto_cycle", fault) == pytest.approx(14), fault
    slow = timed(FEEDER, "auto_cycle", "main_pump:worn=0.6")
    assert cycle < slow <= 14


def test_a_store_without_gas_changes_over_slowly_and_fills_late() -> None:
    lost = "store:gas_lost=1"
    assert timed(FEEDER, "change_time", lost) > 1.5 * timed(FEEDER, "change_time")
    assert timed(FEEDER, "charge_time", lost) > 1.5 * timed(FEEDER, "charge_time")


def test_which_pump_of_the_stack_serves_what() -> None:
    """A worn section shows at what it feeds, and only there."""
    healthy = Nominal(FEEDER)

    def agitator_and_piston(fault: str) -> tuple[float, float]:
        worn = Nominal(FEEDER, fault)
        return (
            worn.rpm("agitator", "stroke_1") / healthy.rpm("agitator", "stroke_1"),
            worn.mm_s("piston_1", "stroke_1") / healthy.mm_s("piston_1", "stroke_1"),
        )

    agitator, piston = agitator_and_piston("change_pump:worn=1")
    assert agitator < 0.9
    assert piston == pytest.approx(1, abs=0.01)
    agitator, piston = agitator_and_piston("main_pump:worn=0.8")
    assert piston < 0.9
    assert agitator == pytest.approx(1, abs=0.03)


def test_the_guard_takes_the_signals_and_not_the_pressure() -> None:
    """Opened, nothing changes over any more; the store stands as it was until it is dumped."""
    healthy = Nominal(FEEDER)
    assert healthy.read("voltage_v", "coil_2_plug", "guard_open") < 0.1
    assert healthy.bar("store_port", "guard_open") > 180
    assert timed(FEEDER, "store_dumped") < 1
    plan = make_safe(Predictor(healthy.circuit, healthy_only(), healthy.solver))
    emptied = next(s for s in plan.steps if s.kind == "empty")
    assert "dump valve" in emptied.words
    assert emptied.point == "store_port"
    assert emptied.before_bar == pytest.approx(195, abs=1)
    assert emptied.after_bar == pytest.approx(0, abs=0.1)
    store = next(line for line in plan.lines if line.net == "store")
    assert "after ten minutes" in store.falls
