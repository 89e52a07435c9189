"""What lines keep once a machine was stopped: never less than what playing it leaves there."""

import json
from functools import cache

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit, MachineState, TimedPhase, read_circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.make_safe import make_safe
from umweg.core.diagnose.mend import mend
from umweg.core.diagnose.opening import Openings
from umweg.core.diagnose.rest import AtRest
from umweg.core.diagnose.safe_plan import SafePlan
from umweg.core.network.network import Network
from umweg.core.observe.predict import Predictor
from umweg.core.observe.timed import TimedReader
from umweg.core.observe.trapped import WATCHED_S, Trapped, trapped_pressure
from umweg.core.solve.relax import Relaxing
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.solve.transient import Accuracy, TransientSolver
from umweg.library import circuit_ids, load_circuit
from umweg.work.exhibits import once_of, once_to_bytes

SMALL = ("chipper_lubrication", "crusher_lubrication", "groomer_drive", "turf_lift", "utility_cart")
"""Played through at every run; all others by ``./umweg test --exhaustive``."""


@cache
def predictor_of(circuit_id: str) -> Predictor:
    return Predictor.of(load_circuit(circuit_id))


@cache
def plan_of(circuit_id: str) -> SafePlan:
    return make_safe(predictor_of(circuit_id))


def trapped_of(circuit_id: str) -> Trapped:
    trapped = AtRest(predictor_of(circuit_id), waits=True).trapped
    assert trapped is not None
    return trapped


def worst_rows(predictor: Predictor) -> np.ndarray:
    """The sound machine and the last, worst candidate of each fault."""
    members = predictor.population.members
    return np.array([m[-1] for m in members])


def stopped_from(state: MachineState, loads: dict[str, str]) -> MachineState:
    return MachineState.model_validate(
        {"label": "stopped", "engine": "off", "oil_c": state.oil_c, "loads": loads}
        | {"interventions": state.interventions}
    )


def left_by_playing(predictor: Predictor, state: str, rows: np.ndarray) -> tuple[np.ndarray, list]:
    """(R, M) what ten minutes after a stop from a named state leaves, in the nets that are told of."""
    circuit = predictor.circuit
    named = circuit.states[state]
    held = {f.id: "held" for f in circuit.functions if "held" in f.loads}
    stopped = stopped_from(named, held)
    played = circuit.model_copy(update={"states": {**circuit.states, "stopped_": stopped}})
    reader = TimedReader(played, predictor.solver)
    reader.transient = TransientSolver(predictor.solver, Accuracy(scale=3.0, patience=0.3))
    nets = [i for _, i in AtRest(predictor).oil_nets]
    population = predictor.population
    cases = Cases(
        np.zeros(len(rows), dtype=np.intp),
        population.slot_at(named.oil_c)[rows],
        population.value[rows],
    )
    curves = reader.curves(
        [TimedPhase(state=state, seconds=1.0), TimedPhase(state="stopped_", seconds=WATCHED_S)],
        {},
        cases,
        kept=np.array(nets, dtype=np.intp),
        grid=np.array([1.0 + WATCHED_S]),
    )
    return curves.across[:, 0].T, nets


def never_above(circuit_id: str) -> None:
    predictor = predictor_of(circuit_id)
    rest = AtRest(predictor, waits=True)
    rows = worst_rows(predictor)
    played = 0
    for name in predictor.circuit.steady:
        left, nets = left_by_playing(predictor, name, rows)
        said = rest.held[nets][:, rows]
        known = np.isfinite(left) & np.isfinite(said)
        played += int(known.any(axis=0).sum())
        over = np.where(known, left - said, -np.inf)
        r, c = np.unravel_index(int(over.argmax()), over.shape)
        key = predictor.population.hypotheses[int(predictor.population.hypothesis[rows[c]])].key
        where = predictor.network.net_names[nets[r]]
        assert over[r, c] <= 2.0, f"{key} in {where} after “{name}”: {left[r, c]:.1f} bar"
    assert played > 0.9 * len(rows) * len(predictor.circuit.steady)


@pytest.mark.parametrize("circuit_id", SMALL)
def test_playing_leaves_no_more_than_safe_says(circuit_id: str) -> None:
    never_above(circuit_id)


@pytest.mark.exhaustive
@pytest.mark.parametrize("circuit_id", sorted(set(circuit_ids()) - set(SMALL)))
def test_playing_leaves_no_more_than_safe_says_anywhere(circuit_id: str) -> None:
    never_above(circuit_id)


def test_a_plugged_grease_line_keeps_what_the_pump_pressed_into_it() -> None:
    """Nothing presses on it at rest, and nothing lets it go: the steady machine would say 0 bar."""
    predictor = predictor_of("chipper_lubrication")
    rest = AtRest(predictor, waits=True)
    key = "line_4:plugged"
    (hypothesis,) = [h for h in predictor.population.hypotheses if h.key == key]
    worst = predictor.population.members[predictor.population.hypotheses.index(hypothesis)][-1]
    row = rest.row("out_4")
    assert abs(rest.table.solution.across[row, worst]) < 1.0
    assert 250 < rest.held[row, worst] < 300
    line = next(x for x in make_safe(predictor, [key]).lines if x.net == "out_4")
    assert line.worst_bar == pytest.approx(rest.held[row, worst])
    weight = np.zeros(predictor.population.count)
    weight[0], weight[worst] = 0.7, 0.3
    (words,) = Openings(predictor, weight).of_components(["line_4"])
    assert f"up to {rest.held[row, worst]:.0f} bar with" in words
    assert "closed in here" in words


def test_mending_says_the_same_as_make_safe() -> None:
    """One question, one answer: the caution at the divider is the plan's number."""
    doctor = Diagnostician(predictor_of("chipper_lubrication"), ())
    found = mend(doctor, [], "divider")
    line = next(x for x in plan_of("chipper_lubrication").lines if x.net == "divider_in")
    assert any(f"keeps {line.healthy_bar:.0f} bar" in words for words in found.cautions)


def test_a_held_stall_stays_closed_in_behind_its_valve() -> None:
    """What the pump pressed a cylinder up with stays behind the load-holding valve."""
    trapped = trapped_of("hedge_cutter")
    place = trapped.place[predictor_of("hedge_cutter").network.net_index["arm_cap"]]
    pressed = predictor_of("hedge_cutter")[load_circuit("hedge_cutter").states["arm_stop"]]
    row = predictor_of("hedge_cutter").network.net_index["arm_cap"]
    held = trapped.most[place, 0]
    # As much as the pump pressed there, but for what leaks in a minute.
    assert 0.85 * pressed.healthy[row] < held < 1.03 * pressed.healthy[row]
    assert "stop" in trapped.starts[int(trapped.before[place, 0])]


def test_what_falls_by_itself_says_when() -> None:
    trapped = trapped_of("chipper_lubrication")
    place = trapped.place[predictor_of("chipper_lubrication").network.net_index["main"]]
    assert trapped.below_after_s(place, 0, 1000.0) == 0.0
    first = float(trapped.bar[0, place, 0])
    falls = trapped.below_after_s(place, 0, 0.5 * first)
    assert falls is not None
    assert 60.0 < falls <= WATCHED_S
    assert trapped.below_after_s(place, 0, 1.0) is None


def test_nothing_is_moved_before_its_store_is_dumped_and_no_lever_where_there_is_none() -> None:
    kinds = [s.kind for s in plan_of("sludge_feeder").steps]
    assert kinds.index("empty") < kinds.index("levers")
    assert not any("lever" in s.words for s in plan_of("chipper_lubrication").steps)
    words = {s.kind: s.words for s in plan_of("utility_cart").steps}
    assert "lever" not in words.get("levers", "")
    assert "pilot" not in words.get("levers", "")


def test_a_state_to_be_in_last_is_found_where_it_lets_lines_go() -> None:
    """Raising the mast opens the wings' locks; where it lies by then nobody raises it again."""
    predictor = predictor_of("sprayer_boom")
    rest = AtRest(predictor, waits=True)
    loads, release = rest.state("").loads, [rest.state("let go")]
    free = trapped_pressure(predictor, loads, release)
    lying = trapped_pressure(predictor, loads, release, lying=["mast"])
    assert free is not None
    assert lying is not None
    ring = free.place[rest.row("ring_left")]
    assert (free.leave_by, lying.leave_by) == ("Mast going up, wings folded", "")
    assert free.freed[ring, 0] <= 5.0 < lying.freed[ring, 0]


LEAKING = {
    "format": "umweg-circuit/1",
    "id": "leaking",
    "name": "A volume that leaks",
    "family": ["F1"],
    "machine_kind": "bench",
    "fluid": {"grade": "HLP 46", "viscosity_40_c_mm2_s": 46, "viscosity_100_c_mm2_s": 6.8},
    "prime_movers": [],
    "components": [
        {
            "id": "store",
            "type": "accumulator",
            "label": "Store",
            "parameters": {"volume_l": 1.0, "precharge_bar": 50.0, "cooling_s": 0.0},
            "connections": {"port": "p"},
        },
        {
            "id": "gap",
            "type": "orifice",
            "label": "Gap",
            "parameters": {"k": 0.05},
            "connections": {"inlet": "p", "outlet": "t"},
        },
        {
            "id": "tank",
            "type": "reservoir",
            "label": "Tank",
            "connections": {"tank": "t", "suction": "s"},
        },
    ],
    "states": {"rest": {"label": "Rest", "engine": "off"}},
}


def leaking() -> tuple[Circuit, Network]:
    circuit = read_circuit(json.dumps(LEAKING))
    return circuit, Network(circuit)


def test_long_steps_follow_gas_that_empties_through_a_gap_from_above() -> None:
    """Boyle's gas through a turbulent gap: ``dV/dt = −k·√p``, ``p·V = p₀·V₀``; integrated by hand.

    Backward Euler never falls faster than the gas does, and ends within a tenth of it.
    """
    circuit, network = leaking()
    solver = SteadySolver(network)
    relaxing = Relaxing(solver)
    state = network.state(circuit.states["rest"])
    cases = Cases.as_documented(1)
    row = network.net_index["p"]
    across = np.zeros((len(network.net_names), 1))
    across[row] = 150.0
    moment = relaxing.standing(state, cases, across)
    gas_l, k = 51.013 / 151.013, 0.05
    bar, time_s, dt = 150.0, 0.0, 0.005
    for now in relaxing.go([state], cases, moment, [1.0] * 20):
        end = time_s + 1.0
        while time_s < end - 1e-9:
            gas_l += dt * k * np.sqrt(max(bar, 0.0)) / 60.0
            bar = 51.013 / gas_l - 1.013
            time_s += dt
        assert now.known[0]
        assert now.across[row, 0] >= bar - 0.05
    assert now.across[row, 0] == pytest.approx(bar, rel=0.1)
    assert bar < 130.0


def test_until_it_is_played_a_line_keeps_the_highest_that_any_state_had() -> None:
    predictor = Predictor.of(load_circuit("chipper_lubrication"), shelved=False)
    predictor.patient = False
    rest = AtRest(predictor)
    assert rest.trapped is None
    for state in predictor.circuit.steady.values():
        across = predictor[state].solution.across[: len(rest.held)]
        assert np.all(rest.held >= across - 1e-9)
    weight = np.zeros(predictor.population.count)
    weight[0] = 1.0
    (words,) = Openings(predictor, weight).cautions(["main_port"])
    assert "as much as it had before: how it falls is not played yet" in words


def test_what_was_played_once_is_taken_over_by_name() -> None:
    played = predictor_of("chipper_lubrication")
    known = AtRest(played, waits=True).trapped
    other = Predictor.of(load_circuit("chipper_lubrication"), shelved=False)
    other.patient = False
    for name, arrays in once_of(once_to_bytes(played.at_hand())).items():
        other.bring(name, arrays)
    found = AtRest(other).trapped
    assert known is not None
    assert found is not None
    np.testing.assert_array_equal(found.most, known.most)
    assert found.starts == known.starts
