"""The newer component types on small benches, against what can be written down."""

from collections.abc import Callable
from math import pi, sqrt
from typing import Any

import numpy as np
import pytest

from tests.core.test_closed_form import PUMP_LPM, orifice, relief, solve
from umweg.core.circuit.document import Circuit
from umweg.core.components import component_type
from umweg.core.components.base import evaluate
from umweg.validation.machines import part

Bench = Callable[..., Circuit]


def law(kind_name: str, across: dict[str, float], **values: float) -> dict[str, float]:
    """Through variables of one part at given across variables."""
    kind = component_type(kind_name)
    known = {**kind.Parameters().model_dump(), **{c.name: c.default for c in kind.commands}}
    known.update(values)
    x = np.array([across[p] for p in kind.port_names()]).reshape(1, -1, 1)
    k = np.array([known[n] for n in kind.parameter_names()]).reshape(1, -1, 1)
    f, _ = evaluate(kind, x, k, np.array([46.0]))
    return dict(zip(kind.port_names(), f[0, :, 0].tolist(), strict=True))


def wired(components: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """A 12 V supply besides."""
    supply = part("supply", "power_supply", {"frame": "frame", "plus": "plus"}, volts=12.0)
    return [supply, *components]


# --- pressure --------------------------------------------------------------------------------


def test_pilot_operated_relief_holds_and_unloads_when_vented(make_bench: Bench) -> None:
    """Held: pilot setting, the pilot's rise and the main spring; vented: the main spring alone."""
    valve = part(
        "valve",
        "pilot_operated_relief",
        {"inlet": "p", "outlet": "tank", "vent": "vent"},
        set_bar=150.0,
        spring_bar=5.0,
        screen_k=0.5,
        pilot_bar_per_lpm=2.0,
    )
    held = solve(make_bench([valve, orifice("plug", "vent", "tank", 1e-4)]))
    through = 0.5 * sqrt(held["p"] - held["vent"])
    assert held["vent"] == pytest.approx(150 + 2.0 * through, abs=0.5)
    assert held["p"] - held["vent"] == pytest.approx(5.0, abs=1.5)
    vented = solve(make_bench([valve, orifice("open", "vent", "tank", 20.0)]))
    lift = vented["p"] - vented["vent"] - 5.0 - 0.25
    rest = PUMP_LPM - 0.5 * sqrt(vented["p"] - vented["vent"])
    assert 2.5 * lift * sqrt(vented["p"]) == pytest.approx(rest, rel=0.03)
    assert vented["p"] < 9.0


def test_unloading_valve_opens_by_its_pilot_alone(make_bench: Bench) -> None:
    def outlet(pilot: str) -> float:
        valve = {"inlet": "p", "outlet": "tank", "pilot": pilot}
        return solve(
            make_bench([relief(200.0), part("valve", "unloading_valve", valve, set_bar=80.0)])
        )["p"]

    assert outlet("tank") == pytest.approx(200 + 0.5 * PUMP_LPM, abs=0.2)
    assert 80 < outlet("p") < 90, "piloted by its own inlet it is a relief"


def test_sequence_valve_serves_the_first_consumer_first(make_bench: Bench) -> None:
    """Nothing passes below its setting; then the inlet stands a little above it."""

    def bench(first_k: float) -> dict[str, float]:
        return solve(
            make_bench(
                [
                    relief(250.0),
                    orifice("first", "p", "tank", first_k),
                    part(
                        "valve",
                        "sequence_valve",
                        {"inlet": "p", "outlet": "second", "drain": "tank"},
                        set_bar=60.0,
                        span_bar_per_k=0.5,
                    ),
                    orifice("consumer", "second", "tank", 10.0),
                ]
            )
        )

    low = bench(5.0)
    assert low["p"] == pytest.approx((PUMP_LPM / 5.0) ** 2, rel=0.01)
    assert low["second"] < 0.1
    high = bench(1.0)
    assert 60 < high["p"] < 64
    left = PUMP_LPM - sqrt(high["p"])
    assert high["second"] == pytest.approx((left / 10.0) ** 2, rel=0.05)


def test_reducing_valve_relieves_what_is_pressed_back() -> None:
    """Below its setting it feeds, above its dead band it drains, between it does neither."""
    feeding = law("reducing_valve", {"inlet": 100, "outlet": 20, "tank": 0}, set_bar=30)
    idle = law("reducing_valve", {"inlet": 100, "outlet": 32, "tank": 0}, set_bar=30)
    draining = law("reducing_valve", {"inlet": 100, "outlet": 40, "tank": 0}, set_bar=30)
    assert feeding["outlet"] == pytest.approx(-6 * sqrt(80), rel=0.01)
    assert abs(idle["outlet"]) < 0.05
    assert draining["tank"] == pytest.approx(-4 * sqrt(40), rel=0.01)


def test_joystick_pressure_follows_the_lever(make_bench: Bench) -> None:
    for lever in (0.3, 0.6, 1.0):
        circuit = make_bench(
            [
                relief(40.0),
                part("stick", "joystick_valve", {"inlet": "p", "outlet": "x", "tank": "tank"}),
                orifice("chamber", "x", "tank", 0.002),
            ],
            states={
                "run": {"label": "run", "oil_c": 40, "settings": {"stick.lever": lever}},
            },
        )
        assert solve(circuit)["x"] == pytest.approx(5 + 20 * lever, abs=1.3)


def test_shock_valves_guard_both_sides_and_make_up_the_lower() -> None:
    over = law("cross_port_relief", {"A": 400, "B": 10, "makeup": 10}, a_set_bar=380)
    assert over["A"] == pytest.approx((390 - 380) / 0.3, rel=0.02)
    mirrored = law("cross_port_relief", {"A": 10, "B": 400, "makeup": 10}, b_set_bar=380)
    assert mirrored["B"] == pytest.approx(over["A"])
    starved = law("cross_port_relief", {"A": 200, "B": 5, "makeup": 20})
    assert starved["B"] == pytest.approx(-30 * sqrt(15 - 0.2 - 0.15), rel=0.02)
    assert starved["A"] == pytest.approx(0.0, abs=0.01)


def test_flushing_takes_from_the_lower_side_whichever_it_is() -> None:
    one = law("flushing_valve", {"A": 200, "B": 20, "tank": 0})
    other = law("flushing_valve", {"A": 20, "B": 200, "tank": 0})
    assert one["B"] == pytest.approx(other["A"])
    assert one["B"] == pytest.approx(3 * (20 - 13 - 0.5))
    assert law("flushing_valve", {"A": 20, "B": 20, "tank": 0})["tank"] == 0.0


def test_charging_valve_gives_the_accumulator_first() -> None:
    ports = {"inlet": 40, "accumulator": 120, "outlet": 20, "tank": 0}
    assert law("charging_valve", ports, charging=1)["outlet"] == pytest.approx(0.0), "holds back"
    assert -law("charging_valve", ports, charging=0)["outlet"] > 100, "cut out: free"
    above = {**ports, "inlet": 145}
    charging = law("charging_valve", above, charging=1)
    assert -charging["accumulator"] == pytest.approx(2 * sqrt(25), rel=0.01)


# --- flow ------------------------------------------------------------------------------------


def test_static_priority_divider_keeps_its_first_flow_at_any_second_load(make_bench: Bench) -> None:
    for load_k in (20.0, 1.5):
        nets = solve(
            make_bench(
                [
                    relief(250.0),
                    part(
                        "divider",
                        "priority_divider",
                        {"inlet": "p", "priority": "first", "bypass": "second"},
                        set_lpm=8.0,
                        spring_bar=6.0,
                    ),
                    orifice("steering", "first", "tank", 2.0),
                    orifice("rest", "second", "tank", load_k),
                ]
            )
        )
        assert 2.0 * sqrt(nets["first"]) == pytest.approx(8.0, rel=0.05)


def test_load_sensing_priority_closes_the_rest_while_steering_is_short() -> None:
    short = {"inlet": 60, "priority": 50, "excess": 0, "LS": 46}
    assert -law("ls_priority_valve", short)["excess"] < 0.01
    served = {**short, "priority": 58}
    assert -law("ls_priority_valve", served)["excess"] > 100


def test_flow_divider_halves_whatever_the_loads(make_bench: Bench) -> None:
    nets = solve(
        make_bench(
            [
                relief(250.0),
                part("divider", "flow_divider", {"inlet": "p", "A": "a", "B": "b"}),
                orifice("heavy", "a", "tank", 1.0),
                orifice("light", "b", "tank", 5.0),
            ]
        )
    )
    a, b = sqrt(nets["a"]), 5 * sqrt(nets["b"])
    error = 0.005 * (nets["a"] - nets["b"])
    assert a == pytest.approx(PUMP_LPM / 2 - error, rel=0.02)
    assert b == pytest.approx(PUMP_LPM / 2 + error, rel=0.02)


def test_throttle_meters_one_way_and_frees_the_other() -> None:
    forward = law("throttle", {"inlet": 50, "outlet": 0}, k=2)
    back = law("throttle", {"inlet": 0, "outlet": 50}, k=2)
    assert forward["inlet"] == pytest.approx(2 * sqrt(50), rel=0.01)
    assert back["outlet"] == pytest.approx(25 * sqrt(50 - 0.4 - 0.15) + 2 * sqrt(50), rel=0.01)


def test_retained_check_with_its_poppet_lost_passes_both_ways() -> None:
    sound = law("retained_check", {"inlet": 0, "outlet": 20})
    lost = law("retained_check", {"inlet": 0, "outlet": 20}, seat_k=3.0)
    assert sound["outlet"] < 1e-4
    assert lost["outlet"] == pytest.approx(3 * 5 / sqrt(34) * sqrt(20), rel=0.01)


def test_flow_sharing_sections_share_what_is_short() -> None:
    """Both meter over the drop from the pump to the highest load, whatever their own load."""
    heavy = law("flow_sharing_section", {"P": 110, "T": 0, "A": 100, "B": 0, "LS": 100}, lever=1)
    light = law("flow_sharing_section", {"P": 110, "T": 0, "A": 20, "B": 0, "LS": 100}, lever=1)
    assert -light["A"] == pytest.approx(-heavy["A"] + 1.2 * (sqrt(80)), rel=0.2)
    full = law("flow_sharing_section", {"P": 120, "T": 0, "A": 20, "B": 0, "LS": 100}, lever=1)
    shortage = 60 * sqrt(9.85 / 20)
    assert light["P"] == pytest.approx(shortage, rel=0.03)
    assert full["P"] == pytest.approx(60 * sqrt(19.85 / 20), rel=0.03)


def test_compensated_section_gives_its_flow_at_any_load() -> None:
    flows = [
        law("ls_section", {"P": load + 20, "T": 0, "A": load, "B": 0, "LS": load}, lever=1)["P"]
        for load in (10, 100, 250)
    ]
    assert flows == pytest.approx([flows[0]] * 3, rel=0.01)
    assert flows[0] == pytest.approx(60 * 1.79 / (1 + 1.79**4) ** 0.25, rel=0.02)


# --- motors and brakes -----------------------------------------------------------------------


def test_two_speed_motor_takes_half_the_oil_when_shifted() -> None:
    slow = law("two_speed_motor", {"A": 100, "B": 0, "case": 0, "shaft": 500, "pilot": 0})
    fast = law("two_speed_motor", {"A": 100, "B": 0, "case": 0, "shaft": 500, "pilot": 25})
    leak = 0.006 * 100
    assert (fast["A"] - leak) / (slow["A"] - leak) == pytest.approx(0.5)
    stuck = law(
        "two_speed_motor", {"A": 100, "B": 0, "case": 0, "shaft": 500, "pilot": 25}, reach=0
    )
    assert stuck["A"] == pytest.approx(slow["A"])


def test_spring_brake_holds_without_pressure_and_frees_with_it() -> None:
    held = law("spring_brake", {"release": 0, "drain": 0, "shaft": 50})
    free = law("spring_brake", {"release": 20, "drain": 0, "shaft": 50})
    assert held["shaft"] == pytest.approx(400 * 2 * pi * 0.01, rel=0.01)
    assert free["shaft"] == 0.0


def test_disengaged_coupling_carries_its_drag_only() -> None:
    on = law("drive_coupling", {"driver": 1500, "driven": 1490})
    off = law("drive_coupling", {"driver": 1500, "driven": 0}, engaged=0)
    assert on["driver"] > 20
    assert off["driver"] == pytest.approx(0.02 * 2 * pi * 0.01, rel=1e-3)


def test_hand_pump_gives_its_strokes_until_its_valve_leaks() -> None:
    sound = law("hand_pump", {"inlet": 0, "outlet": 100}, strokes_per_min=40)
    worn = law("hand_pump", {"inlet": 0, "outlet": 100}, strokes_per_min=40, valve_lpm_per_bar=0.01)
    assert -sound["outlet"] == pytest.approx(0.48, abs=0.002)
    assert -worn["outlet"] == pytest.approx(0.48 - 1.0)


# --- electrical ------------------------------------------------------------------------------


def test_switches_in_series_are_an_and(make_bench: Bench) -> None:
    """Seat and bar both made: the coil has its voltage; one open: nothing."""
    chain = wired(
        [
            relief(),
            part("seat", "interlock_switch", {"inlet": "plus", "outlet": "a"}),
            part("key", "switch", {"inlet": "a", "outlet": "coil"}),
            part(
                "valve",
                "solenoid_poppet_valve",
                {"inlet": "p", "outlet": "tank", "plus": "coil", "minus": "frame"},
                k=4.0,
            ),
        ]
    )

    def run(**settings: float) -> dict[str, float]:
        named = {f"{k}.closed": v for k, v in settings.items()}
        states = {"run": {"label": "run", "oil_c": 40, "settings": named}}
        return solve(make_bench(chain, states=states))

    both = run(key=1)
    assert both["coil"] == pytest.approx(12 * 7 / (7 + 0.1 + 0.02), rel=0.01)
    assert both["p"] == pytest.approx((PUMP_LPM / 4) ** 2, rel=0.02)
    assert run(key=1, seat=0)["p"] > 250
    assert run(key=0)["p"] > 250


def test_relay_makes_and_a_normally_closed_one_breaks(make_bench: Bench) -> None:
    for closed, expected in ((0.0, 12.0), (1.0, 0.0)):
        nets = solve(
            make_bench(
                wired(
                    [
                        relief(),
                        part(
                            "relay",
                            "relay",
                            {"plus": "plus", "minus": "frame", "inlet": "plus", "outlet": "lamp"},
                            normally_closed=closed,
                        ),
                        part("lamp", "voltmeter", {"plus": "lamp", "minus": "frame"}),
                    ]
                )
            )
        )
        assert nets["lamp"] == pytest.approx(expected, abs=0.1)


def test_proportional_valve_follows_its_driver(make_bench: Bench) -> None:
    flows = []
    for demand in (0.2, 0.55, 1.0):
        nets = solve(
            make_bench(
                wired(
                    [
                        relief(60.0),
                        part(
                            "driver",
                            "proportional_driver",
                            {"plus": "plus", "minus": "frame", "outlet": "coil"},
                        ),
                        part(
                            "valve",
                            "proportional_directional_valve",
                            {
                                "P": "p",
                                "T": "tank",
                                "A": "a",
                                "B": "tank",
                                "coil_a": "coil",
                                "coil_b": "frame",
                                "minus": "frame",
                            },
                            work_k=4.0,
                        ),
                        orifice("consumer", "a", "tank", 4.0),
                    ]
                ),
                states={
                    "run": {"label": "run", "oil_c": 40, "settings": {"driver.demand": demand}}
                },
            )
        )
        assert nets["coil"] == pytest.approx(12 * demand * 7 / 7.3, rel=0.02)
        flows.append(4 * sqrt(max(nets["a"], 0)))
    assert flows[0] < 0.2
    assert 0.1 * flows[2] < flows[1] < 0.9 * flows[2]


def test_motor_speed_falls_by_its_winding_drop() -> None:
    """U = R·i + k·ω: at 100 A through 12 mΩ the speed is (12 − 1.2)/k."""
    rpm = (12 - 1.2) / 0.035 * 60 / (2 * pi)
    found = law("dc_motor", {"plus": 12, "minus": 0, "shaft": rpm})
    assert found["plus"] == pytest.approx(0.6 * 100, rel=1e-6)
    torque = 0.035 * 100 - 0.15 * rpm / 1000
    assert -found["shaft"] == pytest.approx(torque * 2 * pi * 0.01, rel=1e-6)


def test_fuse_limits_what_a_short_takes() -> None:
    found = law("power_supply", {"frame": 0, "plus": 0.5}, fuse_a=15)
    assert -found["plus"] / 0.6 == pytest.approx(15.0, rel=0.01)
