"""Doing is testing: what a part's type declares to be tried, solved for everybody like any state."""

import numpy as np
import pytest

from umweg.core.circuit.document import MachineState
from umweg.core.components import component_types
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.errors import ObservationError
from umweg.core.faults.population import parse_fault
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.behaviours import HEARD, NEXT_WORD_SHARE, Behaviour, Spoken
from umweg.core.observe.kinds.trials import Tried, commands_of, trials_of
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import How
from umweg.core.record.proof import Kept, proof_of
from umweg.library import load_circuit, load_jobs


@pytest.fixture(scope="module")
def lift() -> Diagnostician:
    return Diagnostician.of(load_circuit("tail_lift"), load_jobs()[0].instruments)


DEAD: list[Observation] = [Behaviour(id="d", function="lift", move="raise", how="dead")]


def pressed(how: How, component: str = "lift_valve", trial: str = "override") -> Tried:
    return Tried(id="t", component=component, trial=trial, function="lift", move="raise", how=how)


def share_of(doctor: Diagnostician, seen: list[Observation], *keys: str) -> float:
    ranking, _ = doctor.rank(seen)
    named = [h.key for h in ranking.population.hypotheses]
    return float(sum(ranking.shares[named.index(key)] for key in keys))


def test_every_trial_is_a_command_of_its_type_that_nobody_gives_at_work() -> None:
    tried = [(kind, trial) for kind in component_types().values() for trial in kind.trials]
    assert len(tried) >= 8
    for kind, trial in tried:
        command = next(c for c in kind.commands if c.name == trial.command)
        assert command.by == "trial"
        assert command.default == 0.0, "a machine that nobody tries anything on is as it was"
        assert command.low <= trial.value <= command.high


def test_the_pin_goes_round_everything_electrical_and_nothing_else(lift: Diagnostician) -> None:
    """With its pin pressed the valve is open: a coil without current shows that no more, a pump
    that gives nothing all the more."""
    circuit = lift.circuit
    words = lift.exhibits.seen(
        Spoken("lift", "raise", "warm", tried=commands_of(circuit, "lift_valve", "override"))
    )
    population = lift.predictor.population
    row = {h.key: m[-1] for h, m in zip(population.hypotheses, population.members, strict=True)}
    goes = words[0]
    # At their worst: the same again, but for the eye.
    assert goes[row["lift_valve:coil_open"]] > 0.9
    assert goes[row["healthy"]] > 0.9
    assert (
        goes[row["coupling:broken"] if "coupling:broken" in row else row["relay:coil_open"]] < 0.1
    )


def test_what_helps_speaks_for_what_lies_before_it_and_what_does_not_for_the_rest(
    lift: Diagnostician,
) -> None:
    coil, relay = "lift_valve:coil_open", "relay:coil_open"
    before = share_of(lift, DEAD, coil) / share_of(lift, DEAD, relay)
    helped = [*DEAD, pressed("as_usual")]
    in_vain = [*DEAD, pressed("dead")]
    for_coil = share_of(lift, helped, coil) / share_of(lift, helped, relay)
    against = share_of(lift, in_vain, coil) / share_of(lift, in_vain, relay)
    assert for_coil > 10 * before
    assert against < before / 10


def test_it_is_proposed_where_a_command_may_be_missing_and_tells(lift: Diagnostician) -> None:
    steps = lift.diagnose(DEAD).steps
    trial = next(s for s in steps if s.kind == "trial" and s.point == "lift_valve.override")
    assert trial.bits > 0.1
    # The pin is beside the plug, which is reached in two minutes; two more to press and watch.
    assert trial.minutes == 4.0
    assert any("nobody near" in words for words in trial.cautions)
    assert sum(share for _, share in trial.outcomes) == pytest.approx(1.0, abs=1e-6)
    # Whoever complains of nothing is asked to try nothing.
    fine: list[Observation] = [Behaviour(id="f", function="lift", move="raise", how="as_usual")]
    assert not [s for s in lift.diagnose(fine).steps if s.kind == "trial"]


def test_what_would_break_a_rating_is_not_tried(lift: Diagnostician) -> None:
    """Judged as strictly as a test with kit in the circuit: no control of the machine limits it."""
    weak = [
        part.model_copy(update={"ratings": dict.fromkeys(part.ratings, 5.0)})
        for part in lift.circuit.components
    ]
    circuit = lift.circuit.model_copy(update={"components": weak})
    doctor = Diagnostician(Predictor.of(circuit, shelved=False), lift.instruments)
    trial = next(
        s
        for s in doctor.diagnose(DEAD).steps
        if s.kind == "trial" and s.point == "lift_valve.override"
    )
    assert "rated 5 bar" in trial.refused


def test_a_simulated_machine_answers_as_the_pin_makes_it_go(lift: Diagnostician) -> None:
    circuit, network = lift.circuit, lift.predictor.network
    for key, how in (("lift_valve:coil_open=1", "as_usual"), ("relay:coil_open=1", "dead")):
        words = [
            pressed("slow")
            .witnessed(
                HiddenMachine(
                    circuit,
                    [parse_fault(network, key)],
                    np.random.default_rng(seed),
                    lift.predictor.solver,
                )
            )
            .how
            for seed in range(12)
        ]
        # Nine in ten say the right word.
        assert words.count(how) >= 12 * (1.0 - NEXT_WORD_SHARE) - 4, (key, words)
    assert HEARD.sum(axis=0) == pytest.approx(1.0)


@pytest.mark.parametrize("name", ["tail_lift", "suction_boom", "dumper_interlock"])
def test_no_sound_machine_goes_wrong_for_what_is_tried_while_it_is_called(name: str) -> None:
    """What is pressed or bridged beside a command that arrives changes nothing of that move, or
    works against it."""
    circuit = load_circuit(name)
    doctor = Diagnostician.of(circuit, ())
    for part, trial in list(trials_of(circuit))[:4]:
        for function in circuit.functions[:1]:
            move = next(iter(function.moves))
            tried = commands_of(circuit, part.id, trial.name)
            words = Spoken(function.id, move, "warm", tried=tried).probability(doctor.predictor)
            assert words[0, 0] > 0.9, (part.id, trial.name)


def test_a_trial_is_not_shown_again_to_prove_a_repair(lift: Diagnostician) -> None:
    """The lift is to go up by its own buttons: the pin proves nothing of that."""
    told, tried = DEAD[0], pressed("as_usual")
    proof = proof_of([Kept(1, told), Kept(2, tried)], 0, 3, {tried.id}, lambda o: None)
    assert [a.before for a in proof.asked] == [told.id]
    assert tried.answers() == ()


def test_what_cannot_be_tried_is_refused_in_words(lift: Diagnostician) -> None:
    with pytest.raises(ObservationError, match=r"lift_valve:override"):
        pressed("dead", "lift_valve", "kick").check(lift.predictor)
    with pytest.raises(ObservationError, match=r"lift\.raise"):
        pressed("dead").model_copy(update={"move": "fly"}).check(lift.predictor)
    pressed("dead").check(lift.predictor)
    said = pressed("as_usual").words(lift.circuit)
    assert "hand override pressed" in said
    assert said.endswith("as usual")


def test_a_contact_bridged_carries_what_it_should() -> None:
    """Its coil gets the supply's voltage, whatever the switch does."""
    circuit = load_circuit("tail_lift")
    doctor = Diagnostician.of(circuit, ())
    fault = parse_fault(doctor.predictor.network, "pendant_lift:burnt=1")
    machine = HiddenMachine(circuit, [fault], np.random.default_rng(0), doctor.predictor.solver)
    plain = next(s for s in circuit.steady.values() if s.moves == {"lift": "raise"})
    bridged = plain.model_copy(update={"settings": {"pendant_lift.bridged": 1.0}})
    net = doctor.predictor.network.net_index[
        circuit.component("pendant_lift").connections["outlet"]
    ]

    def volts(state: MachineState) -> float:
        return float(machine.across(state, machine.cases(state.oil_c))[net])

    assert volts(plain) < 0.6 * volts(bridged)
    sound = machine.in_order
    usual = float(sound.across(plain, sound.cases(plain.oil_c))[net])
    assert volts(bridged) == pytest.approx(usual, rel=0.05)
