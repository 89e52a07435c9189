"""The solver against cases that can be written down."""

from collections.abc import Callable
from math import pi, sqrt
from typing import Any

import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.network.check import check_circuit
from umweg.core.network.network import Network
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.validation.machines import part

PUMP_LPM = 20.0
Bench = Callable[..., Circuit]


def orifice(identifier: str, a: str, b: str, k: float) -> dict[str, Any]:
    return part(identifier, "orifice", {"inlet": a, "outlet": b}, k=k)


def relief(set_bar: float = 300.0, override: float = 0.5) -> dict[str, Any]:
    return part(
        "relief",
        "relief_valve",
        {"inlet": "p", "outlet": "tank"},
        set_bar=set_bar,
        override_bar_per_lpm=override,
        seat_k=1e-6,
    )


def solve(circuit: Circuit, state: str = "run") -> dict[str, float]:
    check_circuit(circuit)
    network = Network(circuit)
    nothing = Cases.as_documented(1)
    solution = SteadySolver(network).solve([network.state(circuit.states[state])], nothing)
    assert solution.converged[0]
    return dict(zip(network.net_names, solution.across[:, 0].tolist(), strict=True))


def test_orifices_in_series(make_bench: Bench) -> None:
    """q = K·√Δp each: Δp = (q/K)², and they add."""
    nets = solve(
        make_bench([relief(), orifice("a", "p", "m", 2.0), orifice("b", "m", "tank", 4.0)])
    )
    assert nets["m"] == pytest.approx((PUMP_LPM / 4) ** 2, rel=2e-3)
    assert nets["p"] == pytest.approx((PUMP_LPM / 2) ** 2 + (PUMP_LPM / 4) ** 2, rel=2e-3)


def test_orifices_in_parallel(make_bench: Bench) -> None:
    """The conductances add: Δp = (q/ΣK)²."""
    nets = solve(
        make_bench([relief(), orifice("a", "p", "tank", 1.0), orifice("b", "p", "tank", 3.0)])
    )
    assert nets["p"] == pytest.approx((PUMP_LPM / 4) ** 2, rel=2e-3)


def test_relief_stands_at_setting_plus_override(make_bench: Bench) -> None:
    nets = solve(make_bench([relief(150.0, 0.5)]))
    assert nets["p"] == pytest.approx(150 + 0.5 * PUMP_LPM, abs=0.1)


def test_bridge_in_balance_carries_nothing(make_bench: Bench) -> None:
    """K1/K3 = K2/K4: no difference across the bridge, whatever its own size."""
    nets = solve(
        make_bench(
            [
                relief(),
                orifice("k1", "p", "left", 1.0),
                orifice("k3", "left", "tank", 2.0),
                orifice("k2", "p", "right", 1.5),
                orifice("k4", "right", "tank", 3.0),
                orifice("bridge", "left", "right", 5.0),
            ]
        )
    )
    assert nets["left"] == pytest.approx(nets["right"], abs=1e-6)


def test_bridge_out_of_balance(make_bench: Bench) -> None:
    """Continuity at both middle nets, with the square-root law of each arm."""
    nets = solve(
        make_bench(
            [
                relief(),
                orifice("k1", "p", "left", 1.0),
                orifice("k3", "left", "tank", 2.0),
                orifice("k2", "p", "right", 3.0),
                orifice("k4", "right", "tank", 1.0),
                orifice("bridge", "left", "right", 1.0),
            ]
        )
    )
    across = sqrt(nets["right"] - nets["left"])
    assert sqrt(nets["p"] - nets["left"]) + across == pytest.approx(
        2 * sqrt(nets["left"]), rel=3e-3
    )
    assert 3 * sqrt(nets["p"] - nets["right"]) == pytest.approx(
        sqrt(nets["right"]) + across, rel=3e-3
    )


def test_line_against_hagen_poiseuille(make_bench: Bench) -> None:
    """Δp = 128·μ·L·q/(π·d⁴), Re 577: nothing of it is turbulent; 40 °C, 46 mm²/s, 20 L/min."""
    nets = solve(
        make_bench(
            [
                relief(),
                part(
                    "hose",
                    "line",
                    {"inlet": "p", "outlet": "tank"},
                    length_m=10.0,
                    bore_mm=16.0,
                    fittings_zeta=0.0,
                ),
            ]
        )
    )
    mu = 870 * 46e-6
    laminar = 128 * mu * 10 * (PUMP_LPM / 60000) / (pi * 0.016**4) / 1e5
    assert nets["p"] == pytest.approx(laminar, rel=1e-3)


def cylinder_bench(
    joins: dict[str, str], resistance_n: float, force_n: float = 0.0
) -> dict[str, Any]:
    return {
        "components": [
            relief(),
            part(
                "cylinder",
                "cylinder",
                {**joins, "rod": "rod"},
                bore_mm=50.0,
                rod_mm=30.0,
                friction_n=1.0,
                seal_lpm_per_bar=1e-8,
            ),
            part("load", "mechanical_load", {"rod": "rod"}),
        ],
        "functions": [
            {
                "id": "lift",
                "label": "Lift",
                "actuator": "cylinder",
                "stroke_mm": 500,
                "moves": {},
                "load": "load",
                "loads": {"held": {"resistance_n": resistance_n, "force_n": force_n}},
            }
        ],
    }


def test_cylinder_speed_and_pressure(make_bench: Bench) -> None:
    """v = q/A and p = F/A with the rod side open to tank."""
    nets = solve(make_bench(**cylinder_bench({"A": "p", "B": "tank"}, 20000.0)))
    area_cm2 = pi / 4 * 25.0
    speed = PUMP_LPM / (0.006 * area_cm2)
    assert nets["rod"] == pytest.approx(speed, rel=1e-3)
    assert nets["p"] == pytest.approx((20000 + 1 + 10 * speed) / (10 * area_cm2), rel=1e-3)


def test_regenerative_cylinder(make_bench: Bench) -> None:
    """Both ports on the pump: the rod's area alone counts, v = q/A_rod, p = F/A_rod."""
    nets = solve(make_bench(**cylinder_bench({"A": "p", "B": "p"}, 10000.0)))
    rod_cm2 = pi / 4 * 9.0
    speed = PUMP_LPM / (0.006 * rod_cm2)
    assert nets["rod"] == pytest.approx(speed, rel=1e-3)
    assert nets["p"] == pytest.approx((10000 + 1 + 10 * speed) / (10 * rod_cm2), rel=1e-3)


def test_pump_leakage_costs_speed_in_proportion_to_pressure(make_bench: Bench) -> None:
    """K·√p through an orifice is V·n less the slip, G·(0.4·p + 0.6·√150·√p)."""
    data = [relief(), orifice("a", "p", "tank", 1.5)]
    circuit = make_bench(data)
    pump = next(c for c in circuit.components if c.id == "pump")
    worn = pump.model_copy(update={"parameters": {**pump.parameters, "leakage_lpm_per_bar": 0.05}})
    parts = [worn if c.id == "pump" else c for c in circuit.components]
    nets = solve(circuit.model_copy(update={"components": parts}))
    laminar, orifice_like = 0.4 * 0.05, 1.5 + 0.6 * sqrt(150) * 0.05
    root = (-orifice_like + sqrt(orifice_like**2 + 4 * laminar * PUMP_LPM)) / (2 * laminar)
    assert nets["p"] == pytest.approx(root**2, rel=2e-3)


def test_slipping_coupling_limits_pressure(make_bench: Bench) -> None:
    """T = V·Δp/(20π): a clutch that carries 10 Nm holds a 20 cm³ pump to 31.4 bar."""
    circuit = make_bench(
        [
            relief(),
            part(
                "clutch",
                "drive_coupling",
                {"driver": "engine", "driven": "shaft"},
                torque_max_nm=10.0,
            ),
        ]
    )
    parts = [
        c.model_copy(update={"connections": {**c.connections, "shaft": "shaft"}})
        if c.id == "pump"
        else c
        for c in circuit.components
    ]
    nets = solve(circuit.model_copy(update={"components": parts}))
    assert nets["p"] == pytest.approx(10 * 20 * pi / 20, rel=0.01)
    assert nets["shaft"] < 50


def test_flow_regulator_sets_speed_whatever_the_load(make_bench: Bench) -> None:
    """The rest of the pump's flow leaves over the relief; the regulator passes its set flow."""
    for resistance in (5000.0, 30000.0):
        bench = cylinder_bench({"A": "metered", "B": "tank"}, resistance)
        bench["components"].append(
            part("regulator", "flow_regulator", {"inlet": "p", "outlet": "metered"}, set_lpm=8.0)
        )
        nets = solve(make_bench(**bench))
        assert nets["rod"] == pytest.approx(8.0 / (0.006 * pi / 4 * 25), rel=2e-3)


def test_pilot_check_holds_and_lets_go(make_bench: Bench) -> None:
    """A load of 20 kN on 50 mm: 101.9 bar stand behind the check with the pump relieved to tank."""
    bench = cylinder_bench({"A": "held", "B": "tank"}, 100.0, 20000.0)
    bench["components"] += [
        part("lock", "pilot_check_valve", {"inlet": "p", "outlet": "held", "pilot": "signal"}),
        orifice("open_centre", "p", "tank", 50.0),
    ]
    closed = [
        *bench["components"],
        orifice("drain", "signal", "tank", 1.0),
        orifice("plug", "signal", "p", 1e-4),
    ]
    nets = solve(make_bench(**{**bench, "components": closed}))
    assert nets["held"] == pytest.approx(20000 / (10 * pi / 4 * 25), rel=0.02)
    assert abs(nets["rod"]) < 0.5
    opened = [
        *bench["components"],
        orifice("feed", "held", "signal", 0.5),
        orifice("drain", "signal", "tank", 0.01),
    ]
    nets = solve(make_bench(**{**bench, "components": opened}))
    assert nets["rod"] < -100


def test_shuttle_takes_the_higher_pressure(make_bench: Bench) -> None:
    nets = solve(
        make_bench(
            [
                relief(),
                orifice("a", "p", "low", 2.0),
                orifice("b", "low", "tank", 4.0),
                part("shuttle", "shuttle_valve", {"A": "p", "B": "low", "X": "signal"}),
                orifice("gauge", "signal", "tank", 1e-3),
            ]
        )
    )
    assert nets["p"] > nets["low"] + 50
    assert nets["signal"] == pytest.approx(nets["p"], abs=0.3)


def test_fan_drive_balances_torque(make_bench: Bench) -> None:
    """n = q/V when nothing leaks, and Δp = 20π·(T_fan + T_friction)/V."""
    nets = solve(
        make_bench(
            [
                relief(),
                part(
                    "motor",
                    "hydraulic_motor",
                    {"A": "p", "B": "tank", "shaft": "fan"},
                    displacement_cm3=10.0,
                    leakage_lpm_per_bar=1e-5,
                    friction_nm=0.01,
                ),
                part(
                    "fan",
                    "fan_load",
                    {"shaft": "fan"},
                    torque_nm_at_1000=4.0,
                    drag_nm_at_1000=0.001,
                ),
            ]
        )
    )
    assert nets["fan"] == pytest.approx(PUMP_LPM / 10 * 1000, rel=2e-3)
    torque = 4.0 * (nets["fan"] / 1000) ** 2 + 0.001 * nets["fan"] / 1000 + 0.01
    assert nets["p"] == pytest.approx(20 * pi * torque / 10, rel=2e-3)


def test_compensated_pump_gives_what_is_taken_at_its_pressure(make_bench: Bench) -> None:
    """Through an orifice that takes half its flow at the set pressure: it stands there."""
    circuit = make_bench([relief(), orifice("use", "p", "tank", 10 / sqrt(100))])
    pump = next(c for c in circuit.components if c.id == "pump")
    variable = pump.model_copy(
        update={
            "type": "pressure_compensated_pump",
            "parameters": {"displacement_cm3": 20, "leakage_lpm_per_bar": 1e-5, "set_bar": 100},
        }
    )
    parts = [variable if c.id == "pump" else c for c in circuit.components]
    nets = solve(circuit.model_copy(update={"components": parts}))
    assert nets["p"] == pytest.approx(100.0, abs=0.1)
