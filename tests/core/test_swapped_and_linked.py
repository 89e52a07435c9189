"""What is swapped goes the other way; what is unlinked does not arrive."""

import json
from typing import Any

import numpy as np
import pytest

from tests.core.machines import Nominal, Still, solver_of
from tests.core.test_components import TYPES, commanded, defaults, points
from umweg.core.circuit.document import MachineState, read_circuit
from umweg.core.components import component_type
from umweg.core.components.base import ComponentType, evaluate
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.play import complaint
from umweg.core.errors import CircuitError, StateError
from umweg.core.faults.population import faults_of, parse_fault, single_faults
from umweg.core.network.check import check_circuit
from umweg.core.network.network import Link, Network
from umweg.core.observe.exhibits import Played
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.behaviours import BEHAVIOURS, Behaviour, Spoken, how_it_behaves
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import speed_of
from umweg.core.solve.steady import Cases
from umweg.library import circuit_ids, load_circuit

PAIR = {
    "cylinder": ("A", "B"),
    "hydraulic_motor": ("A", "B"),
    "drained_motor": ("A", "B"),
    "two_speed_motor": ("A", "B"),
    "pressure_controlled_motor": ("A", "B"),
    "six_way_section": ("A", "B"),
    "directional_valve": ("A", "B"),
    "feedback_steering_valve": ("A", "B"),
    "ls_section": ("A", "B"),
    "flow_sharing_section": ("A", "B"),
    "ls_steering_unit": ("A", "B"),
    "pilot_directional_valve": ("X", "Y"),
    "solenoid_directional_valve": ("coil_a", "coil_b"),
    "proportional_directional_valve": ("coil_a", "coil_b"),
    "detent_solenoid_valve": ("coil_a", "coil_b"),
    "reversing_pump": ("X", "Y"),
    "check_valve": ("inlet", "outlet"),
    "back_pressure_check": ("inlet", "outlet"),
}
SWAPPED = [t for t in TYPES if "crossed" in t.Parameters.model_fields and t.ports]


@pytest.mark.parametrize("kind", SWAPPED, ids=[t.type_name for t in SWAPPED])
def test_a_swapped_part_is_the_part_with_its_pair_exchanged(kind: type[ComponentType]) -> None:
    one, two = PAIR[kind.type_name]
    names = list(kind.port_names())
    order = np.arange(len(names))
    order[[names.index(one), names.index(two)]] = names.index(two), names.index(one)
    x = points(kind, np.random.default_rng(12), 60)

    def run(across: np.ndarray, crossed: float) -> tuple[np.ndarray, np.ndarray]:
        k = commanded(kind, np.random.default_rng(13), 60)
        k[0, kind.parameter_names().index("crossed")] = crossed
        return evaluate(kind, across, k, np.full(60, 46.0))

    f, j = run(x, 1.0)
    mirrored, slopes = run(x[:, order], 0.0)
    np.testing.assert_allclose(f, mirrored[:, order], atol=1e-9)
    np.testing.assert_allclose(j, slopes[:, order][:, :, order], atol=1e-9)


@pytest.mark.parametrize(
    ("circuit", "fault", "function", "move"),
    [
        ("packer_truck", "tailgate_section:hoses_crossed=1", "tailgate", "raise"),
        ("forwarder_crane", "slew_section:hoses_crossed=1", "slew", "left"),
        ("groomer_drive", "motor:hoses_crossed=1", "travel", "forward"),
        ("loading_ramp", "ramp_rod:crossed=1", "ramp", "lower"),
        ("hedge_cutter", "head_motor:hoses_crossed=1", "head", "run"),
        ("suction_boom", "slew_valve:pilots_crossed=1", "slew", "left"),
    ],
)
def test_what_is_swapped_goes_the_other_way(
    circuit: str, fault: str, function: str, move: str
) -> None:
    machine = Nominal(circuit, fault).machine
    assert how_it_behaves(machine, function, move, "warm") == "reversed"
    assert how_it_behaves(Nominal(circuit).machine, function, move, "warm") == "as_usual"


def test_one_of_two_cylinders_swapped_locks_both() -> None:
    machine = Nominal("packer_truck", "tailgate_left:hoses_crossed=1").machine
    assert how_it_behaves(machine, "tailgate", "raise", "warm") in ("dead", "weak")


def test_the_operators_word_points_at_what_is_swapped() -> None:
    solver = solver_of("groomer_drive")
    predictor = Predictor(solver.network.circuit, single_faults(solver.network), solver)
    words = Played(predictor).seen(Spoken("travel", "forward", "warm"))
    np.testing.assert_allclose(words.sum(axis=0), 1.0)
    population = predictor.population
    swapped = next(i for i, h in enumerate(population.hypotheses) if h.key == "motor:hoses_crossed")
    assert len(population.members[swapped]) == 1, "right or wrong has one severity"
    assert words[BEHAVIOURS.index("reversed"), population.members[swapped][0]] > 0.9
    said = Behaviour(id="b", function="travel", move="forward", how="reversed")
    leader = Diagnostician(predictor, []).diagnose([said], False).suspects[0]
    assert leader.hypothesis.key == "motor:hoses_crossed"


def test_travel_of_a_linkage() -> None:
    """Closed form: (0.9·0.8 − 0.1) joined, turned round when crossed, the offset alone when off."""
    kind = component_type("lever_linkage")
    assert kind.travel is not None

    def travel(**changes: float) -> float:
        names = dict(zip(kind.parameter_names(), defaults(kind, **changes), strict=True))
        return float(kind.travel({n: np.array([v]) for n, v in names.items()})[0])

    assert travel(lever=0.8, ratio=0.9, play=0.1) == pytest.approx(0.62)
    assert travel(lever=-0.8, ratio=0.9, play=0.1) == pytest.approx(-0.62)
    assert travel(lever=0.8, ratio=0.9, play=0.1, crossed=1) == pytest.approx(-0.62)
    assert travel(lever=0.05, play=0.1) == 0.0
    assert travel(lever=1.0, engaged=0, offset=0.2) == pytest.approx(0.2)


def ramp(**changes: Any) -> dict[str, Any]:
    return {**json.loads(load_circuit("loading_ramp").model_dump_json()), **changes}


def unlinked() -> dict[str, Any]:
    """The ramp with its lever straight on the valve."""
    data = ramp()
    data["components"] = [c for c in data["components"] if c["type"] != "lever_linkage"]
    for part in data["components"]:
        part["connections"].pop("lever", None)
    return json.loads(json.dumps(data).replace("ramp_rod.lever", "valve.lever"))  # type: ignore[no-any-return]


def test_a_sound_linkage_changes_nothing() -> None:
    direct = read_circuit(json.dumps(unlinked()))
    machine = HiddenMachine(direct, (), Still())  # type: ignore[arg-type]
    linked = Nominal("loading_ramp").machine
    assert linked.network.unknown_nets == machine.network.unknown_nets
    for state in direct.states.values():
        speed = speed_of(direct, "ramp")
        assert linked.value(speed, state) == machine.value(speed, state)


def test_a_linkage_takes_the_place_of_the_valves_own_mode() -> None:
    def modes(network: Network) -> set[str]:
        return {f.key for f in faults_of(network)}

    linked = modes(solver_of("loading_ramp").network)
    direct = modes(Network(read_circuit(json.dumps(unlinked()))))
    assert "valve:linkage_off" in direct - linked
    assert {"ramp_rod:came_off", "ramp_rod:worn", "ramp_rod:crossed"} <= linked - direct


def test_a_linkage_that_is_off_leaves_the_function_dead() -> None:
    for move in ("raise", "lower"):
        machine = Nominal("loading_ramp", "ramp_rod:came_off=1").machine
        assert how_it_behaves(machine, "ramp", move, "warm") == "dead"
    worn = Nominal("loading_ramp", "ramp_rod:worn=0.6").machine
    assert how_it_behaves(worn, "ramp", "raise", "warm") in ("slow", "weak", "dead")


def test_two_faults_on_one_linkage_are_worked_out_together() -> None:
    """Crossed and with 0.3 of play: travel −0.7, as a lever at −0.7 would give."""
    solver = solver_of("loading_ramp")
    network, circuit = solver.network, solver.network.circuit
    state = network.state(next(s for s in circuit.states.values() if s.moves == {"ramp": "raise"}))
    slots = [network.slot["ramp_rod.crossed"], network.slot["ramp_rod.play"]]
    cases = Cases(
        np.zeros(2, dtype=np.intp),
        np.array([slots, [network.slot["valve.lever"], -1]]),
        np.array([[1.0, 0.3], [-0.7, 0.0]]),
    )
    solution = solver.solve([state], cases)
    np.testing.assert_allclose(solution.across[:, 0], solution.across[:, 1], atol=1e-6)
    values = solver.parameters_of([state], cases)[network.slot["valve.lever"]]
    np.testing.assert_allclose(values, -0.7)


def refused(data: dict[str, Any]) -> list[str]:
    with pytest.raises(CircuitError) as caught:
        check_circuit(read_circuit(json.dumps(data)))
    return [f"{p.where}: {p.message} {p.hint}" for p in caught.value.problems]


def test_check_names_what_is_wrong_with_a_linkage() -> None:
    data = ramp()
    for part in data["components"]:
        if part["id"] == "valve":
            part["connections"]["lever"] = "nowhere"
    found = " | ".join(refused(data))
    assert "net nowhere: moved by no linkage" in found
    assert "net ramp_rod_travel: has one end only, at ramp_rod.spool" in found

    data = ramp()
    rod = next(c for c in data["components"] if c["type"] == "lever_linkage")
    data["components"].append({**rod, "id": "second_rod"})
    assert any("moved by ramp_rod, second_rod at once" in m for m in refused(data))


def test_check_names_a_command_that_cannot_arrive() -> None:
    data = json.loads(json.dumps(ramp()).replace('"ramp_rod.lever"', '"valve.lever"'))
    found = refused(data)
    assert any("“valve.lever” is moved by the linkage on net ramp_rod_travel" in m for m in found)

    data = json.loads(
        json.dumps(ramp()).replace('{"ramp_rod.lever": 1.0}', '{"ramp_rod.lever": 7}')
    )
    assert any("given 7 it goes from -1 to 1" in m for m in refused(data))


def test_a_state_with_a_setting_out_of_range_is_refused() -> None:
    network = solver_of("loading_ramp").network
    with pytest.raises(StateError) as caught:
        network.state(MachineState(label="odd", settings={"ramp_rod.lever": -3}))
    assert "it goes from -1 to 1" in str(caught.value.problems[0])


def test_a_hidden_machine_with_swapped_hoses_is_found() -> None:
    solver = solver_of("groomer_drive")
    predictor = Predictor(solver.network.circuit, single_faults(solver.network), solver)
    fault = parse_fault(solver.network, "motor:hoses_crossed=1")
    machine = HiddenMachine(solver.network.circuit, [fault], np.random.default_rng(5), solver)
    seen = complaint(machine)
    assert any(isinstance(o, Behaviour) and o.how == "reversed" for o in seen)
    diagnosis = Diagnostician(predictor, []).diagnose(seen, False)
    assert "motor:hoses_crossed" in diagnosis.suspects[0].group


NOTICED = ("hoses_crossed", "pilots_crossed", "plugs_crossed", "came_off", "crossed")


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_no_swap_and_no_lost_pin_goes_unnoticed(circuit_id: str) -> None:
    """Some move of some function is dead, weak, slow, drifting or goes the other way."""
    network = solver_of(circuit_id).network
    for fault in faults_of(network):
        if fault.mode.name not in NOTICED:
            continue
        machine = Nominal(circuit_id, f"{fault.key}=1").machine
        words = {
            how_it_behaves(machine, function.id, move, "warm")
            for function in network.circuit.functions
            for move in function.moves
        }
        assert words - {"as_usual"}, fault.key


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_a_linkage_moves_what_its_functions_command(circuit_id: str) -> None:
    """In every library circuit: a lost pin leaves the functions of that lever without their move."""
    network = solver_of(circuit_id).network
    linkages = [link for link in network.links if isinstance(link, Link)]
    for link in linkages:
        machine = Nominal(circuit_id, f"{link.component_id}:came_off=1").machine
        for function in network.circuit.functions:
            for name, move in function.moves.items():
                pulled = {key for key, value in move.commands.items() if value and "lever" in key}
                if pulled == {f"{link.component_id}.lever"}:
                    assert how_it_behaves(machine, function.id, name, "warm") == "dead", (
                        link,
                        name,
                    )
