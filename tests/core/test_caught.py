"""What passes a piston at its stop: the torn seal runs, its twin and the valve that holds do not."""

import numpy as np
import pytest

from umweg.core.components import component_type, component_types
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.errors import ObservationError
from umweg.core.faults.population import parse_fault
from umweg.core.observe.exhibits import Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.caught import (
    AMOUNTS,
    EDGES_LPM,
    READ_SHARE,
    OilCaught,
    PassesBy,
    stops_of,
)
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor
from umweg.core.solve.steady import SteadySolver
from umweg.library import circuit_ids, load_circuit

LEFT, STOP = "tailgate_left", "tailgate_raise_stalled"


def caught(amount: str = "gush", component: str = LEFT, state: str = STOP) -> OilCaught:
    found = {"id": "c", "component": component, "state": state, "amount": amount}
    return OilCaught.model_validate(found)


def rows_of(predictor: Predictor, key: str) -> np.ndarray:
    population = predictor.population
    keys = [h.key for h in population.hypotheses]
    return population.members[keys.index(key)]


def test_ports_between_which_oil_passes_are_ports_of_the_type() -> None:
    declared = [kind for kind in component_types().values() if kind.leaks_past is not None]
    assert declared
    for kind in declared:
        assert kind.leaks_past is not None
        assert set(kind.leaks_past) <= set(kind.port_names())


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_every_stop_is_a_state_that_holds_a_function_there(circuit_id: str) -> None:
    circuit = load_circuit(circuit_id)
    for part in circuit.components:
        stops = stops_of(circuit, part.id)
        assert not stops or component_type(part.type).leaks_past
        for name in stops:
            state = circuit.states[name]
            assert "stalled" in state.loads.values()
            assert not state.interventions


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_whatever_may_be_entered_is_played_ahead(circuit_id: str) -> None:
    circuit = load_circuit(circuit_id)
    entered = {(p.id, state) for p in circuit.components for state in stops_of(circuit, p.id)}
    ahead = {(sight.component, sight.state) for _, sight, _ in OilCaught.sights(circuit)}
    assert entered == ahead


def test_a_torn_seal_passes_what_the_orifice_equation_says(packer_predictor: Predictor) -> None:
    # q = K·√Δp of the torn seal, beside which the sound one's laminar leak is nothing.
    table = packer_predictor[packer_predictor.circuit.states[STOP]]
    rows = rows_of(packer_predictor, f"{LEFT}:piston_bypass")
    net = packer_predictor.network.net_index["tailgate_cap"]
    passes = packer_predictor.population.value[rows, 0] * np.sqrt(table.solution.across[net, rows])
    found = PassesBy(LEFT, STOP).probability(packer_predictor)[:, rows]
    clear = np.abs(np.log(passes[:, None] / np.array(EDGES_LPM))).min(axis=1) > 3 * READ_SHARE
    assert clear.any()
    likeliest = np.searchsorted(EDGES_LPM, passes)
    assert found.argmax(axis=0)[clear].tolist() == likeliest[clear].tolist()
    assert found.max(axis=0)[clear].min() > 0.99


def test_nothing_passes_its_twin_nor_for_a_valve_that_does_not_hold(
    packer_predictor: Predictor,
) -> None:
    found = PassesBy(LEFT, STOP).probability(packer_predictor)
    assert found.sum(axis=0) == pytest.approx(np.ones(found.shape[1]))
    for key in ("tailgate_right:piston_bypass", "load_holding:seat_leaks", "healthy"):
        assert found[0, rows_of(packer_predictor, key)].min() > 0.99


def test_it_settles_which_of_three_lets_a_load_sink(packer_doctor: Diagnostician) -> None:
    sinks: list[Observation] = [
        Behaviour.model_validate(
            {"id": move, "function": "tailgate", "move": move, "how": "drifts", "when": "warm"}
        )
        for move in ("raise", "lower")
    ]
    asked = packer_doctor.diagnose(sinks)
    step = next(s for s in asked.steps if s.kind == "caught")
    assert not step.refused
    assert any("carries" in words for words in step.cautions)
    assert step.minutes > 20
    shares = [
        {s.hypothesis.key: s.share for s in packer_doctor.diagnose([*sinks, caught(how)]).suspects}
        for how in AMOUNTS
    ]
    mine = [found.get(f"{LEFT}:piston_bypass", 0.0) for found in shares]
    assert mine[0] < 0.1 < 0.8 < mine[-1]
    assert "load_holding:seat_leaks" in shares[0]


@pytest.mark.parametrize(
    ("fault", "amount"), [(f"{LEFT}:piston_bypass=0.95", "gush"), ("", "drops")]
)
def test_a_simulated_machine_runs_as_its_seal_is(
    packer_solver: SteadySolver, fault: str, amount: str
) -> None:
    faults = [parse_fault(packer_solver.network, fault)] if fault else []
    machine = HiddenMachine(
        packer_solver.network.circuit, faults, np.random.default_rng(4), packer_solver
    )
    assert caught("jet").witnessed(machine).amount == amount


def test_it_is_told_in_words_and_refused_where_nothing_stands_at_a_stop(
    packer_predictor: Predictor,
) -> None:
    circuit = packer_predictor.circuit
    suspects = Suspects(circuit, packer_predictor.network, packer_predictor.population)
    caught().check(suspects)
    assert "more than 1 L in a minute" in caught().words(circuit)
    with pytest.raises(ObservationError, match=STOP):
        caught(state="neutral_idle").check(suspects)
    with pytest.raises(ObservationError, match="none of the states"):
        caught(component="pump").check(suspects)


def test_two_looks_at_one_piston_are_one_topic() -> None:
    assert caught("gush").topic() == caught("drops").topic()
    assert caught().topic() != caught(component="tailgate_right").topic()


def test_what_was_caught_where_no_piston_is_is_left_out_and_said(
    packer_doctor: Diagnostician,
) -> None:
    """Once a traceback: oil caught at a pump."""
    ranking, _ = packer_doctor.rank([caught(component="pump")])
    (left_out,) = ranking.left_out
    assert left_out.observation == "c"
    assert "nothing is caught at “pump”" in left_out.why
