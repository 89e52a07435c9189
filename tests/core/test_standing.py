"""Of two states to stay in a machine takes the one that it comes to; all who solve agree on it."""

from math import pi

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit, TimedPhase
from umweg.core.faults.population import parse_fault, single_faults
from umweg.core.network.network import Network
from umweg.core.observe.machine import Machine
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity
from umweg.core.observe.timed import TimedReader
from umweg.core.solve.begin import stood
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.library import circuit_ids, load_circuit, load_typed, typed_ids


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


@pytest.mark.parametrize(
    ("name", "fault", "state", "seconds"),
    [
        # A load behind a lock stays there if nothing ever opens it …
        ("lift_table", "lock:pilot_weak=1.0", "ram_in_stalled", 10.0),
        # … a loop that is put under load without charge pressure does not get it there …
        ("dumper_interlock", "tank:low_level=1.0", "driving", 20.0),
        ("dumper_interlock", f"servo:worn={4 / 7}", "driving", 20.0),
        # … and what a regulator once held by a dead sensor it holds on.
        ("harvester_head", "sensor:dead=0.86", "commanded_140", 8.0),
    ],
)
def test_it_takes_the_state_that_a_play_from_standing_ends_in(
    name: str, fault: str, state: str, seconds: float
) -> None:
    circuit = load_typed(name) if name in typed_ids() else load_circuit(name)
    standing = next(n for n, s in circuit.states.items() if s is circuit.standing)
    machine = broken(circuit, fault)
    network = machine.network
    rows = np.arange(network.unknown_count)
    phases = [
        TimedPhase(state=standing, seconds=3.0),
        TimedPhase(state=state, seconds=seconds),
    ]
    played = TimedReader(circuit, machine.solver).curves(
        phases, {}, Cases.one(machine.own), rows, np.linspace(3.0, 3.0 + seconds, 20)
    )
    oil = [row for row in rows if network.domains[row] == "hydraulic"]
    settled = machine.across(circuit.states[state])
    # A play is still on its way where leaks of a drop an hour empty something.
    assert settled[oil] == pytest.approx(played.across[0, -1, oil], abs=5.0)
    # From where the sound machine is, it would have stayed elsewhere.
    sound = Machine(circuit, machine.solver).across(circuit.states[state])
    start = sound[: network.unknown_count, None]
    stays = machine.solver.solve(
        [network.state(circuit.states[state])], Cases.one(machine.own), start
    )
    assert stays.converged[0]
    assert np.abs(stays.across[oil, 0] - settled[oil]).max() > 20.0


def test_who_does_not_settle_from_where_it_stands_is_tried_from_where_the_sound_one_is() -> None:
    """Lost from where they stand alone, found all the same."""
    predictor = Predictor.of(load_typed("tree_shear"), shelved=False)
    solver, population = predictor.solver, predictor.population
    standing = predictor.circuit.standing
    assert standing is not None
    begun = stood(solver, predictor.network.state(standing), population.cases(0, standing.oil_c))
    lost = 0
    for state in predictor.circuit.steady.values():
        alone = solver.solve(
            [predictor.network.state(state)], population.cases(0, state.oil_c), begun
        )
        lost += int((~alone.converged).sum())
        assert predictor[state].solution.converged.all()
    assert lost
