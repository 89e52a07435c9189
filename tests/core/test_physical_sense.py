"""The packer truck behaves as a technician would expect, healthy and with each fault."""

from itertools import pairwise
from math import pi

import numpy as np
import pytest

from tests.core.machines import Nominal
from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components import component_type
from umweg.core.faults.population import faults_of, parse_fault
from umweg.core.network.network import Network, engine_rpm
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.quantities import Quantity, speed_of
from umweg.core.solve.elimination import factor, substitute
from umweg.core.solve.steady import CAVITY_BAR, Cases, SteadySolver
from umweg.core.trace.ways import port_flows_lpm


class Still:
    """A generator that draws nothing: every unknown stays at its nominal value."""

    def standard_normal(self, size: int | None = None) -> object:
        return 0.0 if size is None else np.zeros(size)


@pytest.fixture(scope="module")
def read(packer: Circuit, packer_solver: SteadySolver):  # type: ignore[no-untyped-def]
    """Value of a quantity in a state, healthy or with ``component:mode=severity``."""

    def value(kind: str, place: str, state: str, *faults: str) -> float:
        found = [parse_fault(packer_solver.network, f) for f in faults]
        machine = HiddenMachine(packer, found, Still(), packer_solver)  # type: ignore[arg-type]
        return machine.value(Quantity.named(kind, place), packer.states[state])

    return value


# --- hand calculation of the healthy machine -------------------------------------------------

PUMP_LPM = 51e-3 * 1400
"""Displacement times rated speed, before leakage and what the coupling slips: 71.4 L/min."""
BLADE_CM2 = 2 * pi / 4 * 100
BLADE_RING_CM2 = 2 * pi / 4 * (100 - 36)
TAILGATE_CM2 = 2 * pi / 4 * 64


def test_pump_delivers_displacement_times_speed_less_leakage(read) -> None:  # type: ignore[no-untyped-def]
    flow = read("flow_lpm", "pump_outlet", "pump_loaded")
    leakage = 0.016 * 150 * 46 / 30.5
    assert flow == pytest.approx(PUMP_LPM - leakage, rel=0.01)


def test_blade_speed_is_flow_over_area(read) -> None:  # type: ignore[no-untyped-def]
    out = read("speed_mm_s", "blade", "blade_extend_free")
    back = read("speed_mm_s", "blade", "blade_retract_free")
    assert out == pytest.approx(PUMP_LPM / (0.006 * BLADE_CM2), rel=0.02)
    assert back / out == pytest.approx(BLADE_CM2 / BLADE_RING_CM2, rel=0.03)


def test_a_full_load_asks_its_pressure(read) -> None:  # type: ignore[no-untyped-def]
    """190 kN and the seals' friction on 157 cm², and what the return side presses back."""
    pressure = read("pressure_bar", "blade_left_port", "blade_extend_working")
    assert pressure == pytest.approx((190_000 + 3_000) / (10 * BLADE_CM2), abs=5)


def test_tailgate_weight_stands_behind_the_load_holding_valve(
    packer: Circuit, packer_solver: SteadySolver
) -> None:
    """60 kN on 100.5 cm²: 59.7 bar, with the engine off as with it running."""
    network = packer_solver.network
    for name in ("tailgate_held", "parked"):
        state = network.state(packer.states[name])
        nothing = Cases.as_documented(1)
        across = packer_solver.solve([state], nothing).across
        held = across[network.net_index["tailgate_cap"], 0]
        assert held == pytest.approx(60_000 / (10 * TAILGATE_CM2), abs=1.0)


def test_stall_stands_at_the_main_relief(read) -> None:  # type: ignore[no-untyped-def]
    """175 bar and 0.12 bar per L/min of what the pump then gives, and the return's own pressure."""
    pressure = read("pressure_bar", "block_gauge", "tailgate_raise_stalled")
    assert pressure == pytest.approx(175 + 0.12 * 68 + 1.0, abs=1.5)


def test_retracting_stall_stands_at_its_port_relief(read) -> None:  # type: ignore[no-untyped-def]
    pressure = read("pressure_bar", "blade_port_b", "blade_retract_stalled")
    assert pressure == pytest.approx(120 + 0.2 * 69 + 1.0, abs=2)


def test_engine_speeds(packer: Circuit) -> None:
    assert engine_rpm(packer, packer.states["neutral_idle"], "engine") == 700
    assert engine_rpm(packer, packer.states["neutral_rated"], "engine") == 1400
    assert engine_rpm(packer, packer.states["parked"], "engine") == 0


# --- each fault moves what it should, and leaves alone what it should ------------------------

MOVES = [
    # fault, quantity, place, state, direction
    ("pump:worn=0.6", "flow_lpm", "pump_outlet", "pump_loaded_hot", "falls"),
    ("pump:worn=0.6", "speed_mm_s", "tailgate", "tailgate_raise_hot", "falls"),
    ("pump:worn=0.3", "pressure_bar", "block_gauge", "neutral_rated", "stays"),
    ("main_relief:set_low=0.3", "pressure_bar", "block_gauge", "tailgate_raise_stalled", "falls"),
    ("main_relief:set_low=0.3", "speed_mm_s", "blade", "blade_extend_free", "stays"),
    ("main_relief:set_high=0.3", "pressure_bar", "block_gauge", "tailgate_raise_stalled", "rises"),
    ("blade_relief_a:set_low=0.5", "pressure_bar", "block_gauge", "blade_extend_stalled", "falls"),
    (
        "blade_relief_a:set_low=0.5",
        "pressure_bar",
        "block_gauge",
        "tailgate_raise_stalled",
        "stays",
    ),
    ("blade_relief_a:set_low=0.5", "pressure_bar", "blade_port_a", "blade_a_blocked", "falls"),
    (
        "blade_relief_b:set_low=0.5",
        "pressure_bar",
        "blade_port_b",
        "blade_retract_stalled",
        "falls",
    ),
    ("blade_relief_b:set_low=0.5", "pressure_bar", "blade_port_a", "blade_extend_stalled", "stays"),
    ("blade_left:piston_bypass=0.9", "speed_mm_s", "blade", "blade_extend_working", "falls"),
    ("blade_left:piston_bypass=0.9", "pressure_bar", "blade_port_a", "blade_a_blocked", "stays"),
    ("blade_left:piston_bypass=1", "pressure_bar", "block_gauge", "blade_extend_stalled", "falls"),
    ("blade_left:piston_bypass=1", "pressure_bar", "block_gauge", "blade_left_isolated", "stays"),
    ("blade_right:piston_bypass=1", "pressure_bar", "block_gauge", "blade_left_isolated", "falls"),
    ("suction_screen:clogged=0.6", "pressure_bar", "suction_gauge", "neutral_rated", "falls"),
    ("tank:low_level=0.8", "speed_mm_s", "blade", "blade_extend_free", "falls"),
    ("pto:slips=0.8", "pressure_bar", "block_gauge", "blade_extend_stalled", "falls"),
    ("pto:slips=0.5", "pressure_bar", "block_gauge", "neutral_rated", "stays"),
    ("return_filter:clogged=0.8", "filter_drop_bar", "return_filter", "neutral_rated", "rises"),
    ("return_filter:clogged=0.8", "pressure_bar", "return_gauge", "neutral_rated", "rises"),
    ("cooler:clogged=0.8", "pressure_bar", "block_gauge", "neutral_rated", "rises"),
    ("cooler:clogged=0.8", "pressure_bar", "return_gauge", "neutral_rated", "stays"),
    ("load_holding:seat_leaks=0.9", "drift_mm_min", "tailgate", "tailgate_held", "rises"),
    ("load_holding:check_stuck=1", "speed_mm_s", "tailgate", "tailgate_raise", "falls"),
    ("load_holding:stuck_shut=1", "speed_mm_s", "tailgate", "tailgate_lower", "falls"),
    ("load_holding:stuck_shut=1", "speed_mm_s", "tailgate", "tailgate_raise", "stays"),
    ("blade_section:linkage_off=1", "speed_mm_s", "blade", "blade_extend_free", "falls"),
    ("blade_section:linkage_off=1", "speed_mm_s", "tailgate", "tailgate_raise", "stays"),
    ("tailgate_section:spool_worn=1", "speed_mm_s", "tailgate", "tailgate_raise_hot", "falls"),
    ("tailgate_section:spool_worn=1", "drift_mm_min", "tailgate", "tailgate_held", "stays"),
    ("blade_load:binding=0.9", "speed_mm_s", "blade", "blade_extend_working", "falls"),
    ("blade_load:binding=0.9", "pressure_bar", "block_gauge", "blade_extend_free", "rises"),
    ("pressure_hose:collapsed=1", "pressure_bar", "pump_outlet", "neutral_rated", "rises"),
    ("blade_feed_check:stuck_shut=1", "speed_mm_s", "blade", "blade_extend_free", "falls"),
]


@pytest.mark.parametrize(
    ("fault", "kind", "place", "state", "direction"),
    MOVES,
    ids=[f"{m[0]}-{m[2]}-{m[3]}" for m in MOVES],
)
def test_a_fault_shows_where_it_should(  # type: ignore[no-untyped-def]
    read, fault: str, kind: str, place: str, state: str, direction: str
) -> None:
    good = read(kind, place, state)
    bad = read(kind, place, state, fault)
    scale = max(abs(good), 0.5)
    if direction == "falls":
        assert bad < good - 0.03 * scale
    elif direction == "rises":
        assert bad > good + 0.03 * scale
    else:
        assert bad == pytest.approx(good, abs=0.03 * scale)


def test_hot_oil_costs_a_worn_pump_more_than_a_good_one(read) -> None:  # type: ignore[no-untyped-def]
    def loss(*faults: str) -> float:
        warm = read("flow_lpm", "pump_outlet", "pump_loaded", *faults)
        return float(warm - read("flow_lpm", "pump_outlet", "pump_loaded_hot", *faults))

    assert loss("pump:worn=0.6") > 4 * loss()


def test_two_faults_add_up(read) -> None:  # type: ignore[no-untyped-def]
    place = ("speed_mm_s", "blade", "blade_extend_working_hot")
    worn, torn = "pump:worn=0.5", "blade_left:piston_bypass=0.6"
    both = read(*place, worn, torn)
    assert both < min(read(*place, worn), read(*place, torn))


# --- bookkeeping of the solution --------------------------------------------------------------


def test_oil_is_conserved_at_every_net_in_every_state(
    packer: Circuit, packer_solver: SteadySolver
) -> None:
    network = packer_solver.network
    nothing = Cases.as_documented(1)
    for state in packer.states.values():
        solvable = network.state(state)
        across = packer_solver.solve([solvable], nothing).across[:, 0]
        ports, at_ports = port_flows_lpm(network, solvable, across[:, None])
        flows = dict(zip(ports, at_ports[:, 0].tolist(), strict=True))
        total = dict.fromkeys(network.net_names, 0.0)
        for part in network.parts:
            for port in component_type(part.type).ports:
                if port.domain == "hydraulic":
                    total[part.connections[port.name]] += flows[f"{part.id}.{port.name}"]
        for net in network.unknown_nets:
            if across[network.net_index[net]] > CAVITY_BAR:
                assert abs(total[net]) < 1e-5, (state.label, net)


def test_every_fault_of_every_part_is_known(packer: Circuit, packer_solver: SteadySolver) -> None:
    faults = faults_of(packer_solver.network)
    expected = sum(len(component_type(c.type).fault_modes) for c in packer.components)
    assert len(faults) == expected
    assert len({f.key for f in faults}) == expected
    assert all(f.rate > 0 for f in faults)


def test_elimination_solves_what_numpy_solves(packer_solver: SteadySolver) -> None:
    """Random diagonally strong matrices of the circuit's own pattern, three at a time."""
    s = packer_solver.structure
    n = len(s.order)
    generator = np.random.default_rng(2)
    values = np.zeros((s.slot_count, 3))
    dense = np.zeros((n, n, 3))
    pairs = {}
    for rows, slots in zip(s.rows_of, s.slots_of, strict=True):
        for member, places in zip(rows, slots, strict=True):
            for a, i in enumerate(member):
                for c, j in enumerate(member):
                    if places[a, c] >= 0:
                        pairs[int(i), int(j)] = int(places[a, c])
    for (i, j), slot in pairs.items():
        values[slot] = dense[i, j] = generator.normal(size=3) + (12.0 if i == j else 0.0)
    right = generator.normal(size=(n, 3))
    solved = right.copy()
    factor(
        values,
        s.diagonal,
        s.lower_first,
        s.lower_slot,
        s.update_first,
        s.update_target,
        s.update_right,
    )
    substitute(
        values,
        s.diagonal,
        s.lower_first,
        s.lower_row,
        s.lower_slot,
        s.upper_first,
        s.upper_row,
        s.upper_slot,
        solved,
    )
    for b in range(3):
        np.testing.assert_allclose(
            solved[:, b], np.linalg.solve(dense[..., b], right[:, b]), rtol=1e-9
        )


def test_order_of_components_does_not_change_the_answer(packer: Circuit) -> None:
    shuffled = packer.model_copy(update={"components": packer.components[::-1]})
    nothing = Cases.as_documented(1)
    answers = []
    for circuit in (packer, shuffled):
        network = Network(circuit)
        state = network.state(circuit.states["blade_extend_working"])
        answers.append(SteadySolver(network).solve([state], nothing).across)
    assert np.array_equal(answers[0], answers[1])


def test_a_half_worn_pump_loses_two_to_three_times_as_much_hot() -> None:
    """Slip over scores does not thin with the oil: not the fivefold of clearances alone."""
    lost = []
    for state in ("pump_loaded", "pump_loaded_hot"):
        good, worn = Nominal("packer_truck"), Nominal("packer_truck", "pump:worn=0.5")
        lost.append(
            good.read("flow_lpm", "pump_outlet", state)
            - worn.read("flow_lpm", "pump_outlet", state)
        )
    assert lost[0] > 3
    assert 1.2 < lost[1] / lost[0] < 2.2


def test_air_takes_its_share_of_the_flow_and_leaves_the_vacuum() -> None:
    good = Nominal("packer_truck")
    before = good.read("flow_lpm", "pump_outlet", "pump_loaded")
    flows = [
        Nominal("packer_truck", f"pump:draws_air={s}").read(
            "flow_lpm", "pump_outlet", "pump_loaded"
        )
        / before
        for s in (0.25, 0.5, 1.0)
    ]
    assert flows == pytest.approx([0.85, 0.7, 0.4], abs=0.05)
    vacuum = Nominal("packer_truck", "pump:draws_air=1").bar("suction_gauge", "neutral_rated")
    assert vacuum > good.bar("suction_gauge", "neutral_rated") - 0.02


@pytest.mark.parametrize(
    ("circuit", "function", "state", "fault"),
    [
        ("turf_lift", "lift", "held", "cylinder:seal_leaks"),
        ("packer_truck", "tailgate", "tailgate_held", "tailgate_left:piston_bypass"),
        ("loading_ramp", "ramp", "held_half", "cylinder:piston_bypass"),
    ],
)
def test_drift_starts_near_nothing_and_grows_over_decades(
    circuit: str, function: str, state: str, fault: str
) -> None:
    drift = [
        Nominal(circuit, f"{fault}={s / 7}").read("drift_mm_min", function, state)
        for s in range(1, 8)
    ]
    assert drift[0] < 5
    assert all(b > 0.99 * a for a, b in pairwise(drift))
    assert drift[2] == pytest.approx(25, abs=15), "a sinker of 25 mm/min is an ordinary one"
    assert drift[-1] > 60


@pytest.mark.parametrize(
    ("circuit", "fault", "function", "state"),
    [
        ("suction_boom", "pilot_supply:stuck_shut", "telescope", "telescope_working"),
        ("suction_boom", "joystick_out:feed_blocked", "telescope", "telescope_working"),
        ("dumper_interlock", "control_feed:stuck_shut", "travel", "forward"),
    ],
)
def test_a_blocked_pilot_feed_starves_what_it_feeds(
    circuit: str, fault: str, function: str, state: str
) -> None:
    good, bad = Nominal(circuit), Nominal(circuit, f"{fault}=1")
    quantity = speed_of(good.circuit, function)
    there = good.circuit.states.get(state) or MachineState(
        label="moving", moves={function: state}, loads={function: "free"}
    )
    assert bad.machine.value(quantity, there) < 0.3 * good.machine.value(quantity, there)


@pytest.mark.parametrize("circuit", ["packer_truck", "forwarder_crane", "suction_boom"])
def test_a_low_level_costs_flow_and_leaves_the_vacuum(circuit: str) -> None:
    """Air from an uncovered pick-up fills the chamber; only what is in the way makes a vacuum."""
    healthy, low = Nominal(circuit), Nominal(circuit, "tank:low_level=0.5")
    point = next(p.id for p in healthy.machine.circuit.test_points if p.id.startswith("suction_"))
    state = {"packer_truck": "neutral_rated"}.get(circuit, "lift_working")
    before, after = healthy.bar(point, state), low.bar(point, state)
    assert before <= after + 1e-9, "less is drawn: the vacuum cannot grow"
    assert after == pytest.approx(before, abs=0.05)


def test_air_of_the_tank_and_of_a_joint_leave_the_rest_of_the_chamber() -> None:
    """Of 70 L/min, 1 − 0.85·0.4 of it from the tank, and of that 1 − 0.6·0.3 past the joint."""
    healthy = Nominal("packer_truck")
    tank = Nominal("packer_truck", "tank:low_level=0.4")
    both = Nominal("packer_truck", "tank:low_level=0.4", "pump:draws_air=0.3")
    full = healthy.read("flow_lpm", "pump_outlet", "pump_open")
    slip = 51 * 1.4 - full
    assert tank.read("flow_lpm", "pump_outlet", "pump_open") == pytest.approx(
        51 * 1.4 * (1 - 0.85 * 0.4) - slip, rel=0.02
    )
    assert both.read("flow_lpm", "pump_outlet", "pump_open") == pytest.approx(
        51 * 1.4 * (1 - 0.85 * 0.4) * (1 - 0.6 * 0.3) - slip, rel=0.03
    )
