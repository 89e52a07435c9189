"""What pumps and motors give, ask for, draw, and lose once they are worn."""

from collections.abc import Iterator
from math import pi, sqrt

import numpy as np

from umweg.core.circuit.document import Circuit
from umweg.core.components import component_type
from umweg.core.faults.population import parse_fault
from umweg.core.network.network import Network
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.validation.compare import Point, through, validates
from umweg.validation.machines import machine, part, steady

_ROT = 2.0 * pi / 100.0
"""1 Nm·rpm in bar·L/min."""


@validates(
    "Torque and power of a pump and a motor",
    "`fixed_pump`, `hydraulic_motor`",
    "ISO 4391: `T = V·Δp/(20π)`",
    "Nm",
    1e-4,
)
def torque() -> Iterator[Point]:
    for volume, bar in ((11.0, 80.0), (32.0, 210.0), (125.0, 350.0)):
        pump = through(
            "fixed_pump", {"inlet": 0.0, "outlet": bar, "shaft": 1500.0}, displacement_cm3=volume
        )
        yield Point(
            f"pump {volume:g} cm³, {bar:g} bar", pump["shaft"] / _ROT, volume * bar / (20 * pi)
        )
        motor = through(
            "hydraulic_motor", {"A": bar, "B": 0.0, "shaft": 0.0}, displacement_cm3=volume
        )
        yield Point(
            f"motor {volume:g} cm³, {bar:g} bar", -motor["shaft"] / _ROT, volume * bar / (20 * pi)
        )


@validates(
    "A pump gives its displacement, less its slip",
    "`fixed_pump`",
    "ISO 4391: `q = V·n·η_v`; Schlösser, 1961: slip of a laminar and a turbulent part, at 150 bar 0.6 turbulent",
    "L/min",
    2e-3,
)
def delivery() -> Iterator[Point]:
    for bar, rpm, nu in ((0.0, 1000.0, 46.0), (150.0, 1500.0, 46.0), (210.0, 2200.0, 15.0)):
        slip = 0.012 * (0.4 * 46.0 / nu * bar + 0.6 * sqrt(150.0 * bar))
        ours = through("fixed_pump", {"inlet": 0.2, "outlet": 0.2 + bar, "shaft": rpm}, nu)["inlet"]
        yield Point(f"{bar:g} bar, {rpm:g} rpm, {nu:g} mm²/s", ours, 0.032 * rpm - slip)


def _shut(kind: str, fault: str, **given: float) -> tuple[float, float]:
    """Pressure of a pump against a relief at 250 bar, sound and with a fault at its worst."""
    law = component_type(kind)
    joins = {"inlet": "inlet", "outlet": "out", "shaft": "engine", "LS": "out", "case": "tank"}
    ports = {p: joins[p] for p in law.port_names()}
    parts = [
        part("tested", kind, ports, **given),
        part("relief", "relief_valve", {"inlet": "out", "outlet": "tank"}, set_bar=250.0),
        part("open", "orifice", {"inlet": "p", "outlet": "tank"}, k=500.0),
    ]
    circuit: Circuit = machine(parts, rpm=1800.0)
    network = Network(circuit)
    found, _ = parse_fault(network, f"tested:{fault}=1")
    cases = Cases(
        np.zeros(2, dtype=np.intp),
        np.array([[-1], [found.slot]], dtype=np.intp),
        np.array([[0.0], [float(found.mode.value(found.healthy, 1.0))]]),
    )
    solved = SteadySolver(network).solve([network.state(circuit.states["run"])], cases)
    row = network.net_index["out"]
    return float(solved.across[row, 0]), float(solved.across[row, 1])


@validates(
    "What a pump that is done for still brings against shut valves",
    "`worn`, `sheared` of every pump",
    "the trade: a blown seal, a cracked cover, a sheared key leave a fifth of the pressure or less",
    "bar",
    0.0,
    kind="at_most",
)
def done_for() -> Iterator[Point]:
    for kind in (
        "fixed_pump",
        "vane_pump",
        "piston_pump",
        "pressure_compensated_pump",
        "load_sensing_pump",
    ):
        for fault in ("worn", "sheared"):
            sound, worst = _shut(kind, fault)
            yield Point(f"{component_type(kind).label}, {fault}", worst, 0.2 * sound)


@validates(
    "A pump draws nothing from a shut suction",
    "`fixed_pump`, `hand_pump`",
    "no more than the air presses in: behind a shut check a share of one in fifty at most",
    "L/min",
    0.0,
    kind="at_most",
)
def starved() -> Iterator[Point]:
    for kind, given, sweeps in (("fixed_pump", {}, 20.0), ("hand_pump", {"stroke_cm3": 50.0}, 3.0)):
        joins = {"inlet": "dry", "outlet": "out"}
        if kind == "fixed_pump":
            joins["shaft"] = "engine"
        shut = part(
            "shut", "check_valve", {"inlet": "dry", "outlet": "tank"}, leak_lpm_per_bar=1e-6
        )
        away = part("away", "orifice", {"inlet": "out", "outlet": "tank"}, k=5.0)
        rest = part("open", "orifice", {"inlet": "p", "outlet": "tank"}, k=500.0)
        if kind == "fixed_pump":
            given = {"displacement_cm3": 20.0}
        settings = {"tested.strokes_per_min": 60.0} if kind == "hand_pump" else {}
        run = {"label": "Running", "engine": "rated", "oil_c": 40.0, "settings": settings}
        circuit = machine(
            [part("tested", kind, joins, **given), shut, away, rest], states={"run": run}
        )
        nets = steady(circuit)
        flow = through("orifice", {"inlet": nets["out"], "outlet": 0.0}, k=5.0)["inlet"]
        yield Point(component_type(kind).label, flow, sweeps / 50.0)
