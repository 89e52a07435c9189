"""A hand and an ear at a part: what is throttled there, against what carries the heat away."""

import numpy as np
import pytest

from umweg.core.components import component_type
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.errors import ObservationError
from umweg.core.faults.population import parse_fault
from umweg.core.network.network import Network
from umweg.core.observe.exhibits import Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.hand_ear import (
    IMAGINED,
    MISSED,
    NOTICED,
    HandAndEar,
    Throttled,
    held_states,
)
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor
from umweg.core.observe.throttling import FELT_K, OIL_W_PER_K_LPM, felt_and_heard
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.library import circuit_ids, load_circuit

CYLINDER, STOP, FREE = "tailgate_left", "tailgate_raise_stalled", "tailgate_raise"


def noticed(what: str = "both", component: str = CYLINDER, state: str = STOP) -> HandAndEar:
    found = {"id": "h", "component": component, "state": state, "noticed": what}
    return HandAndEar.model_validate(found)


def rows_of(predictor: Predictor, key: str) -> np.ndarray:
    population = predictor.population
    keys = [h.key for h in population.hypotheses]
    return population.members[keys.index(key)]


@pytest.fixture(scope="module")
def orifice() -> SteadySolver:
    """One relief valve, the pressures at its ports being what a test says."""
    return SteadySolver(Network(load_circuit("packer_truck")))


def at_relief(solver: SteadySolver, inlet_bar: float) -> tuple[float, float]:
    """Chances of warmth and of a hiss of the main relief, its return without pressure."""
    network = solver.network
    across = np.zeros((len(network.net_names), 1))
    kind, nets, _ = network.laid_out("main_relief")
    across[nets[kind.port_names().index("inlet")]] = inlet_bar
    state = network.state(network.circuit.states[FREE])
    warm, hiss = felt_and_heard(solver, "main_relief", [state], Cases.as_documented(1), across)
    return float(warm[0]), float(hiss[0])


def test_oil_that_is_throttled_is_warmer_by_its_drop(orifice: SteadySolver) -> None:
    # Isenthalpic throttling: Δp / (ρ·c), 6 K for each 100 bar; a hand feels five half the time.
    bar_for_felt = FELT_K * OIL_W_PER_K_LPM * 600.0 / 1e3
    assert bar_for_felt == pytest.approx(FELT_K / (1e5 / (870.0 * 1900.0)), rel=0.01)
    shut, open_ = at_relief(orifice, 20.0), at_relief(orifice, 230.0)
    assert max(shut) < IMAGINED + 0.02
    assert min(open_) > 1.0 - MISSED - 0.1


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_whatever_may_be_entered_is_played_ahead_and_nothing_that_sprays_is_touched(
    circuit_id: str,
) -> None:
    circuit = load_circuit(circuit_id)
    entered = {(p.id, state) for p in circuit.components for state in held_states(circuit, p.id)}
    ahead = {(sight.component, sight.state) for _, sight, _ in HandAndEar.sights(circuit)}
    assert entered == ahead
    for component, name in entered:
        kind = component_type(circuit.component(component).type)
        assert all(mode.work != "outside" for mode in kind.fault_modes)
        assert not circuit.states[name].interventions


def test_a_torn_seal_is_warm_and_hisses_at_its_stop(packer_predictor: Predictor) -> None:
    found = Throttled(CYLINDER, STOP).probability(packer_predictor)
    assert found.sum(axis=0) == pytest.approx(np.ones(found.shape[1]))
    torn = rows_of(packer_predictor, f"{CYLINDER}:piston_bypass")
    assert found[NOTICED.index("both"), torn[-1]] > 0.5
    assert np.all(np.diff(found[NOTICED.index("nothing"), torn[:4]]) < 1e-9)
    for key in ("healthy", "tailgate_right:piston_bypass", "load_holding:seat_leaks"):
        assert found[NOTICED.index("nothing"), rows_of(packer_predictor, key)].min() > 0.8


def test_what_moves_is_not_heard_to_leak(packer_predictor: Predictor) -> None:
    found = Throttled(CYLINDER, FREE).probability(packer_predictor)
    torn = rows_of(packer_predictor, f"{CYLINDER}:piston_bypass")
    hisses = found[[NOTICED.index("hiss"), NOTICED.index("both")]].sum(axis=0)
    assert hisses[torn[:4]].max() == pytest.approx(IMAGINED)


def test_it_is_asked_where_the_suspect_stands_out_and_counts(
    packer_doctor: Diagnostician,
) -> None:
    sinks: list[Observation] = [
        Behaviour.model_validate(
            {"id": move, "function": "tailgate", "move": move, "how": "drifts", "when": "warm"}
        )
        for move in ("raise", "lower")
    ]
    asked = packer_doctor.diagnose(sinks)
    step = next(s for s in asked.steps if (s.kind, s.point) == ("hand_ear", CYLINDER))
    assert step.state == STOP
    assert any("propped" in words for words in step.cautions)
    shares = [
        {s.hypothesis.key: s.share for s in packer_doctor.diagnose([*sinks, noticed(w)]).suspects}
        for w in ("nothing", "both")
    ]
    mine = [found.get(f"{CYLINDER}:piston_bypass", 0.0) for found in shares]
    assert mine[0] < 0.25 < 0.6 < mine[1]


@pytest.mark.parametrize(("fault", "expected"), [(f"{CYLINDER}:piston_bypass=1.0", 0.6), ("", 0.0)])
def test_a_simulated_machine_answers_as_often_as_it_should(
    packer_solver: SteadySolver, fault: str, expected: float
) -> None:
    faults = [parse_fault(packer_solver.network, fault)] if fault else []
    circuit = packer_solver.network.circuit
    found = [
        noticed("nothing").witnessed(
            HiddenMachine(circuit, faults, np.random.default_rng(seed), packer_solver)
        )
        for seed in range(40)
    ]
    both = sum(f.noticed == "both" for f in found) / len(found)
    assert both == pytest.approx(expected, abs=0.25)


def test_it_is_told_in_words_and_refused_where_nobody_touches(
    packer_predictor: Predictor,
) -> None:
    circuit = packer_predictor.circuit
    suspects = Suspects(circuit, packer_predictor.network, packer_predictor.population)
    noticed().check(suspects)
    assert "it hisses" in noticed().words(circuit)
    with pytest.raises(ObservationError, match=STOP):
        noticed(state="neutral_idle").check(suspects)
    with pytest.raises(ObservationError, match="none of the states"):
        noticed(component="pressure_hose").check(suspects)
