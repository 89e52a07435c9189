"""What must come out right on the power circuits, against closed-form expectation."""

from collections.abc import Callable
from math import pi, sqrt

import numpy as np
import pytest

from tests.core.machines import Nominal, solver_of
from tests.core.test_closed_form import orifice, solve
from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.diagnose.hazards import pressure_hazard
from umweg.core.errors import ObservationError, StateError
from umweg.core.faults.population import single_faults
from umweg.core.observe.kinds.indicators import IndicatorLook
from umweg.core.observe.kinds.oil import Look
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity
from umweg.core.shop.adjust import Difference, adjustment_for
from umweg.core.shop.repeats import repeatability
from umweg.validation.machines import part

Bench = Callable[..., Circuit]
MARGIN, DROOP, SET, FULL_LPM, LEAK = 22.0, 6.0, 210.0, 63.0, 0.012


def stroke_offset(share: float) -> float:
    """Where a compensator stands, in droops from half stroke, to give a share of full stroke.

    Solves 1 − S = share with S = t²(3 − 2t), t = ½ + offset, by bisection.
    """
    low, high = -0.5, 0.5
    for _ in range(60):
        t = 0.5 * (low + high) + 0.5
        low, high = (
            (0.5 * (low + high), high)
            if 1 - t * t * (3 - 2 * t) > share
            else (low, 0.5 * (low + high))
        )
    return 0.5 * (low + high)


def ls_bench(make_bench: Bench, load_k: float, signal_relief: bool, deadheaded: bool) -> Circuit:
    """A load-sensing pump on an orifice; its signal is taken before the load's orifice."""
    pump = part(
        "pump",
        "load_sensing_pump",
        {"inlet": "inlet", "outlet": "p", "LS": "ls", "case": "tank", "shaft": "engine"},
        displacement_cm3=63,
        leakage_lpm_per_bar=LEAK,
        margin_bar=MARGIN,
        set_bar=SET,
        droop_bar=DROOP,
        bleed_k=0.02,
    )
    parts = [
        part("metering", "orifice", {"inlet": "p", "outlet": "load"}, k=8.0),
        part("sense", "orifice", {"inlet": "load", "outlet": "ls"}, k=0.5),
        orifice("consumer", "load", "tank", 1e-4 if deadheaded else load_k),
    ]
    if signal_relief:
        parts.append(
            part(
                "signal_relief",
                "relief_valve",
                {"inlet": "ls", "outlet": "tank"},
                set_bar=150.0,
                override_bar_per_lpm=0.5,
                seat_k=1e-6,
            )
        )
    circuit = make_bench(parts)
    data = circuit.model_dump(mode="json")
    data["components"] = [pump if c["id"] == "pump" else c for c in data["components"]]
    return Circuit.model_validate(data)


@pytest.mark.parametrize("signal_relief", [False, True], ids=["compensator", "signal relief"])
def test_standby_working_stall_of_a_load_sensing_pump(
    make_bench: Bench, signal_relief: bool
) -> None:
    """Outlet less demand is the margin at standby and working; at stall what limits decides."""
    nets = solve(ls_bench(make_bench, 4.0, signal_relief, False))
    flow = 8.0 * sqrt(nets["p"] - nets["load"])
    share = flow / (FULL_LPM * 1.0)
    assert nets["p"] - nets["ls"] == pytest.approx(
        MARGIN + DROOP * stroke_offset(share), abs=0.3
    ), "working: demand and margin"
    bleed = 0.02 * sqrt(nets["ls"])
    assert nets["load"] == pytest.approx(((flow - bleed) / 4.0) ** 2, rel=0.003)
    stall = solve(ls_bench(make_bench, 4.0, signal_relief, True))
    if signal_relief:
        through = 0.5 * sqrt(stall["load"] - stall["ls"])
        assert stall["ls"] == pytest.approx(150 + 0.5 * through, abs=0.2)
        idle = DROOP * stroke_offset((LEAK * stall["p"] + through) / FULL_LPM)
        assert stall["p"] == pytest.approx(stall["ls"] + MARGIN + idle, abs=0.3)
    else:
        idle = DROOP * stroke_offset((LEAK * stall["p"] + 0.4) / FULL_LPM)
        assert stall["p"] == pytest.approx(SET + idle, abs=0.3), "stall: the compensator"
        assert stall["p"] - stall["ls"] < 1.0, "the demand signal has caught up with the outlet"


def test_standby_is_the_margin_alone() -> None:
    crane = Nominal("forwarder_crane")
    leak = 0.012 * 24.8 * 46 / 31.24
    offset = 6.0 * stroke_offset(leak / (85 * 1.7))
    assert crane.bar("pump_port", "standby") == pytest.approx(22.0 + offset, abs=0.2)
    assert crane.bar("signal_pump", "standby") < 0.1


def test_both_schools_set_the_same_spring() -> None:
    """A spring found at 14 bar: by standby, and by the margin at a known load with a flow meter."""
    solver = solver_of("forwarder_crane")
    crane = Nominal("forwarder_crane")
    found = [("pump.margin_bar", 14.0)]
    outlet = Quantity("pressure_bar", "pump_port")
    signal = Quantity("pressure_bar", "signal_pump")
    static = adjustment_for(
        solver,
        crane.circuit.states["standby"],
        "pump.margin_bar",
        Difference(outlet),
        crane.bar("pump_port", "standby"),
        found,
    )
    loaded = crane.circuit.states["grapple_loaded"]
    wanted = crane.bar("pump_port", "grapple_loaded") - crane.bar("signal_pump", "grapple_loaded")
    dynamic = adjustment_for(
        solver, loaded, "pump.margin_bar", Difference(outlet, signal), wanted, found
    )
    assert static.value == pytest.approx(22.0, abs=0.05)
    assert dynamic.value == pytest.approx(static.value, abs=0.1)
    assert static.turns == pytest.approx((22.0 - 14.0) / 8.0, abs=0.02)
    assert static.within_limit


def test_maximum_pressure_at_the_signal_relief_needs_the_compensator_above_it() -> None:
    """Set too low, no signal relief setting brings the stall pressure; the message says so."""
    crane = Nominal("forwarder_crane")
    reading = Difference(Quantity("pressure_bar", "pump_port"))
    stall = crane.circuit.states["grapple_stall"]
    with pytest.raises(StateError, match="something else is wrong"):
        adjustment_for(
            crane.solver, stall, "signal_relief.set_bar", reading, 221.0, [("pump.set_bar", 180.0)]
        )
    with pytest.raises(StateError, match="no adjuster for leakage_lpm_per_bar"):
        adjustment_for(crane.solver, stall, "pump.leakage_lpm_per_bar", reading, 221.0)


def test_a_good_function_at_stall_wakes_those_whose_shuttle_is_lost() -> None:
    """Shuttle 3 lost: slew, lift and dipper have no demand; the held grapple lends them its own."""
    good, bad = Nominal("forwarder_crane"), Nominal("forwarder_crane", "shuttle_3:a_blocked=1")
    for function in ("lift", "dipper"):
        state = f"{function}_working"
        assert bad.mm_s(function, state) < 0.05 * good.mm_s(function, state)
    assert bad.rpm("slew", "slew_working") < 0.05 * good.rpm("slew", "slew_working")
    for function in ("extension", "grapple"):
        state = f"{function}_working"
        assert bad.mm_s(function, state) == pytest.approx(good.mm_s(function, state), rel=0.02)
    assert bad.rpm("slew", "slew_with_grapple") > 0.9 * good.rpm("slew", "slew_with_grapple")
    assert bad.mm_s("lift", "lift_with_grapple") > 0.9 * good.mm_s("lift", "lift_with_grapple")


def test_priority_steering_is_the_last_to_die_as_the_source_declines() -> None:
    """The feed's screen clogs: what is upstream of the priority valve keeps its oil longest."""
    healthy = Nominal("sprayer_feed")
    whole = {f: healthy.mm_s(f, "steer_and_lift") for f in ("steering", "lift")}
    lost: dict[str, float] = {}
    for severity in (0.3, 0.4, 0.5, 0.6, 0.65, 0.7, 0.8, 0.9):
        tired = Nominal("sprayer_feed", f"screen:clogged={severity}")
        now = {f: tired.mm_s(f, "steer_and_lift") / v for f, v in whole.items()}
        for function, share in now.items():
            if share < 0.5:
                lost.setdefault(function, severity)
        assert now["steering"] > 0.9 or now["lift"] < 0.05, "steering suffers only after the boom"
    assert lost["lift"] < lost["steering"]


def test_deadhead_repeats_and_returns() -> None:
    """Setting, override and idle flow less leakage give the peak; each try gives it again."""
    sweeper = Nominal("sweeper_steering")
    peaks = [sweeper.bar("pump_port", "deadhead") for _ in range(3)]
    assert peaks[0] == pytest.approx(100 + 0.35 * (9.35 - 0.012 * 102.6 * 46 / 31.24), abs=0.3)
    idle = sweeper.bar("pump_port", "idle")
    judged = repeatability(peaks, 3.0, idle, sweeper.bar("pump_port", "idle"))
    assert judged.good
    assert judged.spread_bar == 0.0
    assert not repeatability([101.0, 96.0, 103.0], 3.0, idle, idle).repeats
    assert not repeatability([101.0, 101.5, 102.0], 3.0, idle, idle + 4.0).returns
    with pytest.raises(ObservationError, match="three peaks"):
        repeatability([100.0, 101.0], 3.0, idle, idle)


def test_too_high_at_idle_is_a_restriction_downstream_and_spares_the_peak() -> None:
    good = Nominal("sweeper_steering")
    bad = Nominal("sweeper_steering", "unit:bypass_dammed=0.9")
    assert bad.bar("pump_port", "idle") > 6.0 > good.bar("pump_port", "idle")
    assert bad.bar("pump_port", "deadhead") == pytest.approx(good.bar("pump_port", "deadhead"))


def test_charge_pressure_first_in_a_closed_loop() -> None:
    """A weak charge shows at its own port before anything is felt at the tracks."""
    good = Nominal("groomer_drive")
    low = next(s.low for s in good.circuit.specifications if s.id == "charge")
    assert low is not None
    weak = Nominal("groomer_drive", "charge_relief:set_low=0.25")
    assert weak.bar("charge_port", "neutral") < low
    assert weak.rpm("travel", "forward_light") > 0.97 * good.rpm("travel", "forward_light")
    dead = Nominal("groomer_drive", "suction_filter:clogged=1")
    assert dead.bar("control_port", "neutral") < 2.0, "no charge flow, no control pressure"
    assert dead.rpm("travel", "forward_light") < 0.5 * good.rpm("travel", "forward_light")


def test_forward_against_reverse_names_the_side() -> None:
    good = Nominal("groomer_drive")
    bad = Nominal("groomer_drive", "shock:a_low=0.5")
    set_bar = 370 * 0.2**0.5
    assert bad.bar("forward_port", "forward_stalled") == pytest.approx(set_bar + 24 + 24, rel=0.1)
    assert bad.bar("reverse_port", "reverse_stalled") == pytest.approx(
        good.bar("reverse_port", "reverse_stalled"), rel=0.01
    )


def test_change_over_point_of_the_motor() -> None:
    """Below it speed is flow over the small displacement, above over the large one."""
    groomer = Nominal("groomer_drive")
    for torque, share in ((100, 0.45), (180, 0.45), (700, 1.0)):
        state = MachineState(
            label=f"{torque} Nm",
            moves={"travel": "forward"},
            settings={"drive.resistance_nm": torque},
        )
        flow = groomer.machine.value(Quantity("speed_rpm", "travel"), state) * 0.16 * share
        nets = groomer.read("pressure_bar", "forward_port", state)
        back = groomer.read("pressure_bar", "reverse_port", state)
        if share == 1.0:
            assert nets - back > 190 + 35
        else:
            assert nets - back < 190
        losses = (nets + back) * (0.006 + 0.004) * 46 / 31.24
        assert flow == pytest.approx(198 - 0.5 * losses, rel=0.04)


def test_control_pressure_goes_with_the_square_of_the_speed() -> None:
    groomer = Nominal("groomer_drive")
    drop = {
        s: groomer.bar("before_port", s) - groomer.bar("charge_port", s)
        for s in ("neutral", "neutral_idle")
    }
    assert drop["neutral"] / drop["neutral_idle"] == pytest.approx((2200 / 900) ** 2, rel=0.06)
    case = groomer.bar("case_port", "neutral")
    assert groomer.bar("control_port", "neutral") - case == pytest.approx(
        3.4 * drop["neutral"], abs=1.0
    )


def test_inching_and_retarding() -> None:
    groomer = Nominal("groomer_drive")
    assert groomer.rpm("travel", "inching") < 0.01 * groomer.rpm("travel", "forward_light")
    assert groomer.bar("reverse_port", "retarding") > 100, "downhill the other side is high"
    assert groomer.bar("forward_port", "retarding") == pytest.approx(
        groomer.bar("charge_port", "retarding"), abs=2.5
    )


def test_reduced_pressure_stands_at_both_its_test_ports(make_bench: Bench) -> None:
    """A reducing valve at 30 bar: the same at the valve and at the far end of a dead line."""
    nets = solve(
        make_bench(
            [
                part("relief", "relief_valve", {"inlet": "p", "outlet": "tank"}, set_bar=150.0),
                part(
                    "reducer",
                    "reducing_valve",
                    {"inlet": "p", "outlet": "near", "tank": "tank"},
                    set_bar=30.0,
                    band_bar=1.5,
                ),
                part("run", "line", {"inlet": "near", "outlet": "far"}, length_m=6.0, bore_mm=6.0),
                orifice("hold", "far", "tank", 0.001),
            ]
        )
    )
    assert nets["near"] == pytest.approx(30.0, abs=3.1)
    assert nets["far"] == pytest.approx(nets["near"], abs=0.1)
    boom = Nominal("suction_boom")
    assert boom.bar("slew_x_port", "slew_stall") == pytest.approx(
        boom.bar("pilot_port", "slew_stall"), abs=0.2
    )


def test_two_pumps_behind_checks_are_read_at_either_port() -> None:
    ramp = Nominal("loading_ramp")
    check_bar = 0.5 + 0.15 + (14.9 / 16) ** 2
    for port in ("port_one", "port_two"):
        both = ramp.bar(port, "raise_25") - ramp.bar("feed_port", "raise_25")
        assert both == pytest.approx(check_bar, abs=0.3)
    assert ramp.bar("port_one", "one_off") < 1.0, "declutched: its check keeps the feed out"
    assert ramp.bar("port_two", "one_off") > 90.0
    assert ramp.mm_s("ramp", "one_off") == pytest.approx(
        0.5 * ramp.mm_s("ramp", "raise_25"), rel=0.04
    )


def lifting_bench(make_bench: Bench, cap_side: bool) -> Circuit:
    """The same 20 kN lifted by the piston side and by the rod side of an 80/50 cylinder."""
    joins = {"A": "p", "B": "tank", "rod": "arm"} if cap_side else {
        "A": "tank", "B": "p", "rod": "arm"
    }  # fmt: skip
    cylinder = part("ram", "cylinder", joins, bore_mm=80, rod_mm=50, friction_n=1)
    load = part("load", "mechanical_load", {"rod": "arm"})
    relief = part("relief", "relief_valve", {"inlet": "p", "outlet": "tank"}, set_bar=250.0)
    force = 20000 if cap_side else -20000
    return make_bench(
        [relief, cylinder, load],
        functions=[
            {
                "id": "lift",
                "label": "Lift",
                "actuator": "ram",
                "moves": {"go": {"label": "go", "commands": {}}},
                "load": "load",
                "loads": {"working": {"force_n": force}},
            }
        ],
        states={
            "run": {
                "label": "go",
                "moves": {"lift": "go"},
                "loads": {"lift": "working"},
                "oil_c": 40,
            }
        },
    )


def test_rod_side_lifting_needs_more_pressure(make_bench: Bench) -> None:
    cap = solve(lifting_bench(make_bench, True))["p"]
    rod = solve(lifting_bench(make_bench, False))["p"]
    bore, ring = pi / 4 * 64, pi / 4 * (64 - 25)
    drag = 10.0 * 20 / 0.006
    assert cap == pytest.approx((20000 + drag / bore) / (10 * bore), rel=0.01)
    assert rod == pytest.approx((20000 + drag / ring) / (10 * ring), rel=0.01)
    assert rod / cap == pytest.approx(bore / ring, rel=0.05)


def test_load_pressure_falls_toward_the_balance_point() -> None:
    """Force at the rod is weight times lever; beyond balance the rod side carries it."""
    ramp = Nominal("loading_ramp")
    bore, ring = pi / 4 * 64, pi / 4 * (64 - 25)
    forces = []
    for state, lever in (("raise_25", 2.7), ("raise_50", 1.6), ("raise_75", 0.3)):
        net = 10 * (ramp.bar("bore_port", state) * bore - ramp.bar("ring_port", state) * ring)
        drag = 10.0 * ramp.mm_s("ramp", state)
        assert net == pytest.approx(16000 * lever + 300 + 600 + drag, rel=0.02)
        forces.append(net)
    assert forces == sorted(forces, reverse=True)
    lever = 0.3 + (-1.6 - 0.3) * (0.95 - 0.75) / 0.25
    net = 10 * (ramp.bar("bore_port", "beyond") * bore - ramp.bar("ring_port", "beyond") * ring)
    assert net == pytest.approx(16000 * lever + 900 + 10 * ramp.mm_s("ramp", "beyond"), rel=0.03)
    assert net < 0


def test_residual_pressure_stays_until_the_locking_check_is_piloted() -> None:
    ramp = Nominal("loading_ramp")
    held = 16000 * 1.6 / (10 * pi / 4 * 64)
    for state in ("parked", "parked_shifted"):
        assert ramp.bar("bore_port", state) == pytest.approx(held, rel=0.02)


COILS = {
    "lift_stop": {"s1", "s2"},
    "lift_down": {"s2", "s4"},
    "tilt_stop": {"s1", "s3"},
    "tilt_down": {"s3", "s4"},
    "rest": set(),
    "motor_only": set(),
}


@pytest.mark.parametrize("state", COILS)
def test_which_coil_for_which_move(state: str) -> None:
    lift = Nominal("tail_lift")
    for coil in ("s1", "s2", "s3", "s4"):
        volts = lift.read("voltage_v", f"plug_{coil}", state)
        # At rest a coil stands at the earth of its pack, not at the battery's.
        assert volts > 10.5 if coil in COILS[state] else volts < 0.3


def test_default_path_of_the_solenoid_block_is_through_the_build_up_valve() -> None:
    lift = Nominal("tail_lift")
    flows = lift.flows("motor_only")
    pump = -flows["pump.outlet"]
    assert pump > 5.0
    assert flows["unload.inlet"] == pytest.approx(pump, rel=0.01)
    assert lift.bar("pump_port", "motor_only") < 6.0


@pytest.mark.parametrize(
    ("fault", "dead", "alive"),
    [
        ("unload:coil_open=0.9", {"lift.raise", "tilt.raise"}, {"lift.lower", "tilt.lower"}),
        ("lift_valve:coil_open=0.9", {"lift.raise", "lift.lower"}, {"tilt.raise", "tilt.lower"}),
        ("tilt_valve:coil_open=0.9", {"tilt.raise", "tilt.lower"}, {"lift.raise", "lift.lower"}),
        ("down_valve:coil_open=0.9", {"lift.lower", "tilt.lower"}, {"lift.raise", "tilt.raise"}),
        ("gallery:plugged=1", {"lift.raise", "tilt.raise"}, {"lift.lower", "tilt.lower"}),
    ],
)
def test_a_lost_coil_or_gallery_takes_its_moves_and_no_other(
    fault: str, dead: set[str], alive: set[str]
) -> None:
    good, bad = Nominal("tail_lift"), Nominal("tail_lift", fault)
    for name in dead | alive:
        function, move = name.split(".")
        state = MachineState(label=name, moves={function: move}, loads={function: "free"})
        share = bad.read("speed_mm_s", function, state) / good.read("speed_mm_s", function, state)
        assert share < 0.25 if name in dead else share > 0.9, name


def test_a_shorted_coil_pulls_the_fused_supply_down() -> None:
    good = Nominal("dumper_interlock")
    bad = Nominal("dumper_interlock", "interlock_valve:coil_shorted=1")
    assert good.read("voltage_v", "battery", "released") > 12.0
    assert bad.read("voltage_v", "battery", "released") < 9.0
    assert bad.bar("release_port", "released") < 2.0 < 20 < good.bar("release_port", "released")


def test_late_brake_release_through_a_dammed_check() -> None:
    """Seconds, not never: stroke over speed, from what the dammed check lets pass and the control
    of the travel pump leaves of it."""
    stroke = 5.0
    good = stroke / Nominal("dumper_interlock").mm_s("release", "releasing")
    late_machine = Nominal("dumper_interlock", "branch_check:poppet_sticks=0.36")
    late = stroke / late_machine.mm_s("release", "releasing")
    k = 2.2 * 250**-0.36
    both = k * 4 / sqrt(k * k + 16)
    drop = late_machine.bar("charge_port", "releasing") - late_machine.bar(
        "branch_port", "releasing"
    )
    control = 0.02 * late_machine.bar("control_port", "releasing")
    flow = both * sqrt(drop - 0.4 - 0.15) - control
    speed = flow / (0.006 * pi / 4 * 225)
    assert late == pytest.approx(stroke / speed, rel=0.15)
    assert good < 1.5
    assert 4 < late < 15
    assert late_machine.bar("release_port", "released") > 20, "in the end it does release"


def test_plugging_the_fan_motor_overloads_its_drain_and_accelerating_does_not() -> None:
    hauler = Nominal("hauler_fan")
    rating = hauler.circuit.component("fan_motor").ratings["case"]
    assert hauler.bar("case_port", "outlet_plugged") > 2 * rating
    assert hauler.bar("case_port", "max") < 0.2 * rating
    peak = hauler.read("peak_bar", "fan_peak", "max")
    assert peak == pytest.approx(170.0 + 0.25 * 46, abs=2.0), "setting and override of the relief"
    low = Nominal("hauler_fan", "fan_relief:set_low=0.3").read("peak_bar", "fan_peak", "max")
    assert low == pytest.approx(peak - 170 * (1 - 0.25**0.3), abs=8), "the peak follows the setting"
    predictor = Predictor(hauler.circuit, single_faults(hauler.network), hauler.solver)
    weight = np.zeros(predictor.population.count)
    weight[0] = 1.0
    plugged = pressure_hazard(predictor, hauler.circuit.states["outlet_plugged"], weight)
    assert plugged is not None
    assert plugged.refused
    assert "Fan motor" in plugged.words
    assert pressure_hazard(predictor, hauler.circuit.states["max"], weight) is None


def test_supply_against_clutch_tells_seal_from_source() -> None:
    good = Nominal("mulcher_clutches")
    seal = Nominal("mulcher_clutches", "rotor:seal_leaks=0.8")
    spring = Nominal("mulcher_clutches", "regulator:spring_weak=0.6")
    at = "rotor_on_hot"

    def gap(machine: Nominal) -> float:
        return machine.bar("supply_port", at) - machine.bar("rotor_port", at)

    assert gap(seal) > 8 > 2 > gap(good)
    assert gap(spring) < 1.0
    assert spring.bar("supply_port", at) < 0.6 * good.bar("supply_port", at)
    assert seal.bar("travel_port", "travel_on_hot") == pytest.approx(
        good.bar("travel_port", "travel_on_hot"), rel=0.01
    )


def test_what_can_still_release_pressure_with_the_engine_off() -> None:
    """A lever does; pilot oil and a solenoid with a pilot stage do nothing."""
    boom = Nominal("suction_boom")
    assert boom.mm_s("lift", "off_lever") > 50
    assert boom.mm_s("telescope", "off_joystick") < 0.1
    assert boom.bar("slew_x_port", "off_button") < 1.0
    assert boom.read("voltage_v", "y1_plug", "off_button") > 23, "power alone is not enough"


def test_lifts_empty_not_loaded_and_sinks() -> None:
    good = Nominal("turf_lift")
    bad = Nominal("turf_lift", "cylinder:seal_leaks=0.977")
    assert bad.mm_s("lift", "raise_empty") > 0.3 * good.mm_s("lift", "raise_empty")
    loaded = bad.machine.signed(Quantity("speed_mm_s", "lift"), bad.circuit.states["raise_loaded"])
    assert loaded < 0.05 * good.mm_s("lift", "raise_loaded")
    assert bad.read("drift_mm_min", "lift", "held") > 100


def test_feed_seen_at_the_header_tank() -> None:
    """Overflow tells the feed good; with the clutch down it stops."""
    sprayer = Nominal("sprayer_feed")
    neutral, declutched = MachineState(label="n", engine="idle"), MachineState(
        label="d", engine="idle", settings={"feed_clutch.engaged": 0}
    )  # fmt: skip
    glass = IndicatorLook(id="g", component="overflow_glass", state=neutral, tripped=False)
    shut = glass.model_copy(update={"state": declutched})
    assert glass.witnessed(sprayer.machine).tripped
    assert not shut.witnessed(sprayer.machine).tripped


def test_stored_pressure_stays_with_the_engine_off_until_it_is_seen_discharged() -> None:
    hauler = Nominal("hauler_fan")
    assert hauler.bar("store_port", "parked") == pytest.approx(155.0, abs=0.5)
    assert hauler.bar("store_port", "discharged") < 1.0


def test_wrong_oil_is_felt_in_every_clearance_and_every_laminar_way() -> None:
    """Five times thinner: five times the laminar slip; six times thicker: six times the drop."""
    good = Nominal("packer_truck")
    thin = Nominal("packer_truck", "tank:oil_thin=1")
    thick = Nominal("packer_truck", "tank:oil_thick=1")
    laminar = 0.4 * 0.016 * 150 * 46 / 31.24
    lost = good.read("flow_lpm", "pump_outlet", "pump_loaded") - thin.read(
        "flow_lpm", "pump_outlet", "pump_loaded"
    )
    assert lost == pytest.approx(4 * laminar, rel=0.05)
    drop = thick.bar("return_gauge", "neutral_idle") / good.bar("return_gauge", "neutral_idle")
    assert drop == pytest.approx(6.0, rel=0.05)


def test_a_pump_that_draws_air_delivers_foam() -> None:
    good, airy = Nominal("hedge_cutter"), Nominal("hedge_cutter", "pump:draws_air=1")
    share = airy.read("flow_lpm", "pump_port", "pump_open") / good.read(
        "flow_lpm", "pump_port", "pump_open"
    )
    assert share < 0.5
    assert [Look(id="l", look="clear").witnessed(m.machine).look for m in (good, airy)] == [
        "clear",
        "foamy",
    ]
