"""Of two states to stay in a machine takes the one that it comes to; all who solve agree on it."""

from math import pi

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.faults.population import parse_fault, single_faults
from umweg.core.network.network import Network
from umweg.core.observe.machine import Machine
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.library import circuit_ids, load_circuit


@pytest.mark.parametrize("name", circuit_ids())
def test_it_stands_with_nothing_moved_and_no_kit_in_it(name: str) -> None:
    circuit = load_circuit(name)
    standing = circuit.standing
    if standing is None:
        running = [s for s in circuit.steady.values() if s.engine != "off"]
        assert all(s.moves or s.interventions for s in running)
    else:
        assert standing in circuit.steady.values()
        assert not standing.moves
        assert not standing.interventions
        assert standing.engine != "off" or not circuit.prime_movers


def broken(circuit: Circuit, text: str) -> Machine:
    """The documented machine with one fault."""
    solver = SteadySolver(Network(circuit))
    fault, severity = parse_fault(solver.network, text)
    return Machine(circuit, solver, {fault.slot: float(fault.mode.value(fault.healthy, severity))})


def test_a_slipping_clutch_never_brings_the_pump_to_its_standby() -> None:
    """On stroke the pump asks for p·V/2π: above what the clutch carries it slips, and nothing takes
    the pump off stroke. The sound machine's standby, once reached, would ask for next to nothing."""
    circuit = load_circuit("sprayer_boom")
    machine = broken(circuit, "drive:slips=0.6")
    state = circuit.states["standby"]
    fault, severity = parse_fault(machine.network, "drive:slips=0.6")
    torque_nm = float(fault.mode.value(fault.healthy, severity))
    pump = circuit.component("pump")
    cm3, set_bar = pump.parameters["displacement_cm3"], pump.parameters["set_bar"]
    # Half a newton metre of it goes into the seal of what it drives.
    carried_bar = (torque_nm - 0.5) * 2.0 * pi * 10.0 / cm3
    assert carried_bar < 0.9 * set_bar
    bar = machine.value(Quantity("pressure_bar", "supply_port"), state)
    assert bar == pytest.approx(carried_bar, rel=0.01)
    # Both are steady: from where the sound machine stands, this one would stay there, too.
    sound = Machine(circuit, machine.solver).across(state)
    start = sound[: machine.network.unknown_count, None]
    other = machine.solver.solve([machine.network.state(state)], Cases.one(machine.own), start)
    assert other.converged[0]
    row = machine.network.net_index[circuit.test_point("supply_port").net]
    assert other.across[row, 0] > 0.9 * set_bar


@pytest.mark.parametrize("name", ["dumper_interlock", "harvester_head", "sprayer_boom"])
def test_a_candidate_shows_what_the_machine_with_its_fault_does(name: str) -> None:
    circuit = load_circuit(name)
    solver = SteadySolver(Network(circuit))
    predictor = Predictor(circuit, single_faults(solver.network), solver)
    population = predictor.population
    random = np.random.default_rng(2)
    known = [
        i
        for i, h in enumerate(population.hypothesis)
        if population.hypotheses[h].key.endswith((":slips", ":worn", ":dead"))
    ]
    states = [s for s in circuit.steady.values() if s.engine != "off"]
    for candidate in [*random.choice(known, 12), *random.choice(population.count, 12)]:
        state = states[int(random.integers(len(states)))]
        table = predictor[state]
        slots = population.slot_at(state.oil_c)[candidate]
        values = population.value[candidate]
        own = {int(s): float(v) for s, v in zip(slots, values, strict=True) if s >= 0}
        across = Machine(circuit, solver, own).across(state)
        assert table.known[candidate]
        np.testing.assert_allclose(
            table.solution.across[:, candidate], across, rtol=1e-3, atol=0.05
        )
