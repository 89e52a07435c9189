"""A machine's own numbers: what words compare with, and where the belief solves it again."""

import numpy as np
import pytest

from umweg.bench.belief import compared, drawn_circuit
from umweg.bench.real import RealMachine
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.evidence import believe
from umweg.core.diagnose.moved import SolvedAgain, each_first
from umweg.core.diagnose.play import complaint
from umweg.core.faults.population import parse_fault, single_faults, unknowns_of
from umweg.core.network.check import check_circuit
from umweg.core.network.network import Network
from umweg.core.observe.kinds.behaviours import BEHAVIOURS, Behaviour, Spoken
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.predict import Predictor
from umweg.library import load_jobs, load_typed, typed_ids

USUAL, SLOW, DEAD = (BEHAVIOURS.index(how) for how in ("as_usual", "slow", "dead"))


@pytest.fixture(scope="module")
def gate() -> Diagnostician:
    """A lock gate's pack, its pump's setting, its displacement and its throttle being guesses."""
    return Diagnostician.of(load_typed("gate_pack"), load_jobs()[0].instruments)


@pytest.mark.parametrize("name", typed_ids())
def test_every_typed_list_is_a_machine_whose_numbers_are_half_guessed(name: str) -> None:
    circuit = load_typed(name)
    check_circuit(circuit)
    network = Network(circuit)
    unknowns = unknowns_of(network)
    share = unknowns.sigma / np.abs(network.base_parameters[unknowns.slot])
    assert 8 <= len(circuit.components) <= 30
    assert (share > 0.15).sum() >= 4, "what was guessed is known to a fifth"


def test_a_word_compares_a_machine_with_itself(gate: Diagnostician) -> None:
    """Nobody calls a sound machine slow because somebody guessed its pump too large."""
    itself = Spoken("gate", "in", "warm").probability(gate.predictor)
    papers = Spoken("gate", "in", "warm", "document").probability(gate.predictor)
    assert itself[USUAL, 0] > 0.96
    assert papers[USUAL, 0] < 0.9
    # What stands stands by either.
    stuck = gate.predictor.population.members[
        gate.predictor.population.place_of["close:never_makes"]
    ][0]
    assert min(itself[DEAD, stuck], papers[DEAD, stuck]) > 0.95


def test_a_word_says_what_it_compares_with_and_is_weighed_by_it(gate: Diagnostician) -> None:
    told = Behaviour(id="b", function="gate", move="in", how="slow")
    by_papers = told.model_copy(update={"against": "document"})
    assert "papers" in by_papers.words(gate.circuit)
    assert "papers" not in told.words(gate.circuit)
    fit, by = (b.weigh(gate.exhibits, ()).log_likelihood[0] for b in (told, by_papers))
    assert by > fit + 0.5, "a sound machine is sooner slow by its papers than by what it was"


def test_a_hidden_machine_far_off_its_papers_is_as_usual_while_nothing_is_wrong() -> None:
    circuit = load_typed("bin_tipper")
    for seed in range(4):
        machine = RealMachine(circuit, (), np.random.default_rng(seed))
        complaint(machine)
        assert set(machine.seen) == {"as_usual"}
        assert machine.in_order.own == machine.own
    # And slow against itself once its pump is worn, whatever its pump was.
    fault = parse_fault(Network(circuit), "pump:worn=0.9")
    worn = RealMachine(circuit, [fault], np.random.default_rng(1))
    complaint(worn)
    assert {"slow", "weak", "dead"} & set(worn.seen)
    assert worn.in_order.own != worn.own


def reading(value: float, state: str) -> Reading:
    return Reading(
        id=f"r-{state}", point="at_p", quantity="pressure_bar", state=state, value=value,
        unit="bar", instrument="gauge_400",
    )  # fmt: skip


def test_who_is_in_question_is_solved_where_its_numbers_are_believed_to_be(
    gate: Diagnostician,
) -> None:
    """A pump that was guessed to cut off at 140 bar and shows 118: solved again, the sound machine
    shows what was read, and its line goes through that."""
    seen = [reading(118.0, "gate_out_stalled")]
    evidence = [o.weigh(gate.exhibits, gate.instruments) for o in seen]
    belief = believe(gate.exhibits.suspects, evidence)
    again = SolvedAgain(gate.predictor, evidence)
    (moved,) = again.round(belief) or ()
    keys = gate.predictor.unknowns.keys
    away = belief.moved(np.array([0]))[: len(keys), 0]
    assert away[keys.index("pump.set_bar")] < -0.5, "it is believed to be set lower"
    found = gate.predictor.elsewhere(
        gate.circuit.states["gate_out_stalled"], np.array([0]), away[:, None],
        [evidence[0].quantity], sloped=1,
    )  # fmt: skip
    assert found.solution.converged.all()
    there = found.mean[0, 0]
    assert there == pytest.approx(118.0, abs=4.0)
    line = moved.mean[0] + moved.slope[: len(keys), 0] @ away
    assert line == pytest.approx(there, abs=1e-6)


def test_nobody_is_solved_again_whose_numbers_are_known() -> None:
    """Weighed by what every number is exactly, nothing has moved."""
    network = Network(load_typed("gate_pack"))
    certain = Predictor(network.circuit, single_faults(network), certain=True)
    known = Diagnostician(certain, load_jobs()[0].instruments)
    evidence = [reading(118.0, "gate_out_stalled").weigh(known.exhibits, known.instruments)]
    belief = believe(known.exhibits.suspects, evidence)
    assert SolvedAgain(known.predictor, evidence).round(belief) is None


def test_the_belief_is_what_enumeration_finds() -> None:
    """Machines drawn from what is believed of the list, each fault solved with their numbers."""
    kit = load_jobs()[0].instruments
    found = compared(load_typed("lift_table"), kit, seed=31, machines=60, steps=3)
    assert found.machines > 40
    keys = found.exact.keys() | found.program.keys()
    off = [abs(found.exact.get(k, 0.0) - found.program.get(k, 0.0)) for k in keys]
    assert 0.5 * sum(off) < 0.12
    assert found.worst < 2.5


def test_a_drawn_machine_has_numbers_of_its_own_and_none_below_nothing() -> None:
    circuit = load_typed("gate_pack")
    one, other = (drawn_circuit(circuit, np.random.default_rng(s)) for s in (1, 2))
    pumps = [c.component("pump").parameters["set_bar"] for c in (circuit, one, other)]
    assert len(set(pumps)) == 3
    assert min(float(v) for c in one.components for v in c.parameters.values()) >= 0.0


def test_the_machine_in_order_is_solved_again_first_then_the_likeliest_of_each() -> None:
    """A fault that is looked at in many severities keeps nobody else out."""
    weight = np.array([-17.0, -0.1, -0.2, -0.3, -5.0, -4.0])
    hypothesis = np.array([0, 1, 1, 1, 2, 2])
    rows = np.array([0, 1, 2, 3, 4, 5])
    assert each_first(rows, weight, hypothesis).tolist() == [0, 1, 5, 2, 3, 4]
    assert each_first(rows[1:], weight, hypothesis).tolist() == [1, 5, 2, 3, 4]


@pytest.mark.parametrize("gauge", ["gauge_400", None])
def test_a_sound_machine_whose_pump_is_set_far_below_its_guess_is_believed_in_order(
    gate: Diagnostician, gauge: str | None
) -> None:
    """Set 29 % lower than somebody guessed, it stands before a load that the guess would move; it is
    as it always was, and by a straight line it is far behind every fault that stalls it."""

    def usual(move: str, before: str | None = None, how: str = "as_usual") -> Behaviour:
        return Behaviour.model_validate(
            {"id": f"{move}-{before}", "function": "gate", "move": move, "how": how}
            | {"told_before": before}
        )

    def read(state: str, point: str, kind: str, value: float) -> Reading:
        return Reading.model_validate(
            {"id": f"{state}-{point}-{value}", "state": state, "point": point, "quantity": kind}
            | {"value": value, "unit": "bar" if kind == "pressure_bar" else "mm/s"}
            | {"instrument": gauge if kind == "pressure_bar" else None}
        )

    seen = [
        usual("out", how="slow"),
        usual("in"),
        usual("out", before="slow"),
        usual("in", before="as_usual"),
        read("gate_in_free", "at_p", "pressure_bar", 32.1),
        read("gate_in_free", "gate", "speed_mm_s", 110.1),
        read("gate_out_working", "gate", "speed_mm_s", 56.8),
        read("gate_out_working", "gate", "speed_mm_s", 51.2),
        read("gate_out_working", "at_p", "pressure_bar", 102.8),
        read("idle", "at_gate_b", "pressure_bar", 11.0),
        read("idle", "at_p", "pressure_bar", 104.6),
        read("gate_in_working", "gate", "speed_mm_s", 1.04),
        read("gate_in_working", "at_p", "pressure_bar", 103.3),
    ]
    ranking, _ = gate.rank(seen)
    share = {h.key: float(ranking.shares[i]) for i, h in enumerate(ranking.population.hypotheses)}
    # A clogged filter tells itself by nothing that was read; the settings would have to have moved.
    assert share["healthy"] > 3.0 * (share["pump:set_low"] + share["relief:set_low"])
    assert share["healthy"] + share["fine:clogged"] > 0.4
