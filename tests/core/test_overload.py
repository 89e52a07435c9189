"""More load than a machine is rated for: nothing on it is wrong, and that is what is said."""

import numpy as np
import pytest

from umweg.bench.ways import Own
from umweg.core.circuit.document import Circuit
from umweg.core.components import component_types
from umweg.core.components.overload import LADEN, OVERLOADED
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.play import complaint, observe
from umweg.core.diagnose.worth import action_of
from umweg.core.errors import CircuitError
from umweg.core.faults.population import faults_of, parse_fault
from umweg.core.network.check import check_circuit
from umweg.core.network.network import Network
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.machine import Machine
from umweg.core.solve.steady import SteadySolver
from umweg.library import load_circuit, load_jobs


@pytest.fixture(scope="module")
def lift() -> Circuit:
    return load_circuit("tail_lift")


def test_every_load_can_be_too_much() -> None:
    loads = [t for t in component_types().values() if OVERLOADED in t.fault_modes]
    assert {t.type_name for t in loads} == {"mechanical_load", "lever_load", "rotary_load"}
    assert all(LADEN in t.commands for t in loads)


def test_springs_of_a_brake_are_never_overloaded() -> None:
    """What a part cannot have is said in its document, and checked against its type."""
    dumper = load_circuit("dumper_interlock")
    keys = {f.key for f in faults_of(Network(dumper))}
    assert "brake_springs:binding" in keys
    assert "brake_springs:overloaded" not in keys
    assert "tracks:overloaded" in keys
    part = dumper.component("brake_springs").model_copy(update={"rules_out": ["overlaod"]})
    others = [c for c in dumper.components if c.id != part.id]
    with pytest.raises(CircuitError) as found:
        check_circuit(dumper.model_copy(update={"components": [*others, part]}))
    (problem,) = found.value.problems
    assert "“overlaod” is no fault of this type" in str(problem)
    assert "overloaded" in problem.hint


def test_it_counts_where_something_is_carried(lift: Circuit) -> None:
    """Held, the cylinders carry force over area; moved empty, there is nothing too much on it."""
    solver = SteadySolver(Network(lift))
    fault, _ = parse_fault(solver.network, "lift_load:overloaded=0.3")
    heavy = Machine(lift, solver, {fault.slot: float(fault.mode.value(fault.healthy, 0.3))})
    sound = Machine(lift, solver)
    row = solver.network.net_index[lift.component("lift_left").connections["A"]]
    held = lift.states["held"]
    two_pistons_cm2 = 2 * np.pi / 4 * 5.0**2
    carried = lift.function("lift").loads["held"]["force_n"] / two_pistons_cm2 / 10.0
    assert sound.across(held)[row] == pytest.approx(carried, rel=0.02)
    assert heavy.across(held)[row] == pytest.approx(1.3 * carried, rel=0.02)
    empty = held.model_copy(update={"loads": {"lift": "free"}})
    assert heavy.across(empty)[row] == pytest.approx(sound.across(empty)[row], rel=1e-6)


def test_who_carries_too_much_is_given_no_part_to_exchange(lift: Circuit) -> None:
    kit = load_jobs()[0].instruments
    doctor = Diagnostician.of(lift, kit)
    heavy = parse_fault(doctor.predictor.network, "lift_load:overloaded=0.8")
    machine = HiddenMachine(lift, [heavy], np.random.default_rng(0), doctor.predictor.solver)
    seen = list(complaint(machine))
    way = Own(doctor)
    diagnosis, step = way.begun(seen)
    while step is not None:
        seen.append(observe(machine, step, f"s{len(seen)}"))
        diagnosis, step = way.then(seen)
    # Whatever may be wrong beside it: it is overloaded, and that is mended first.
    overloaded = [
        s for s in diagnosis.suspects if "lift_load:overloaded" in s.hypothesis.key.split("+")
    ]
    assert overloaded[0] is diagnosis.suspects[0]
    assert sum(s.share for s in overloaded) > 0.9
    fault = next(f for f in overloaded[0].hypothesis.faults if f.component_id == "lift_load")
    assert action_of(fault) == ("lift_load", "by_hand")
    assert diagnosis.repairs[0].component_id == "lift_load"
