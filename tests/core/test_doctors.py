"""What a worker keeps in memory of those it was asked about, and who puts it aside when."""

import resource
from pathlib import Path

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.question import Question, circuit_sha256
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.readings import Reading
from umweg.library import load_circuit, load_jobs
from umweg.work import doctors as module
from umweg.work.doctors import Doctors
from umweg.work.memory import give_back

KIT = load_jobs()[0].instruments
SEEN = (
    Behaviour(id="b1", function="arm", move="raise", how="drifts", when="warm"),
    Behaviour(id="b2", function="arm", move="lower", how="drifts", when="warm"),
    Behaviour(id="b3", function="head", move="run", how="dead", when="warm"),
    Reading(id="r1", point="valve_port", quantity="pressure_bar", state="cutter_light",
            value=188.0, unit="bar"),
    Reading(id="r2", point="arm", quantity="drift_mm_min", state="arm_held", value=38.0,
            unit="mm/min"),
)  # fmt: skip


def asked(circuit: Circuit) -> Question:
    return Question(
        circuit_sha256=circuit_sha256(circuit),
        model="m",
        instruments=KIT,
        labour_per_min=1.5,
        observations=(),
    )


def test_only_those_asked_lately_keep_their_pairs(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(module, "THINKING", 1)
    doctors = Doctors()
    cutter, cart = load_circuit("hedge_cutter"), load_circuit("utility_cart")
    question = asked(cutter)
    doctor = doctors.doctor(question, lambda: cutter)
    before, predictor = doctor.rank(SEEN)
    assert predictor.population.paired
    assert predictor._done

    with doctors.alone(question.circuit_sha256):
        doctors.doctor(asked(cart), lambda: cart)
        assert predictor._done, "nobody is interrupted"

    doctors.doctor(asked(cart), lambda: cart)
    assert not predictor._done
    assert doctor.predictor._done, "what the single faults show stays"

    again = doctors.doctor(question, lambda: cutter)
    assert again is doctor, "its single faults are kept"
    after, _ = again.rank(SEEN)
    assert after.keys == before.keys
    assert after.shares == pytest.approx(before.shares, abs=1e-9)


def test_another_kit_makes_another_of_whom_the_one_before_keeps_nothing() -> None:
    doctors = Doctors()
    cutter = load_circuit("hedge_cutter")
    question = asked(cutter)
    doctor = doctors.doctor(question, lambda: cutter)
    _, predictor = doctor.rank(SEEN)
    other = question.model_copy(update={"labour_per_min": 2.0})
    assert doctors.doctor(other, lambda: cutter) is not doctor
    assert not predictor._done
    assert doctor.predictor._done


def test_who_was_not_asked_for_longest_makes_room() -> None:
    doctors = Doctors(most=1)
    cart, lift = load_circuit("utility_cart"), load_circuit("turf_lift")
    first = doctors.predictor(circuit_sha256(cart), lambda: cart)
    first.prepare([next(iter(cart.steady.values()))])
    doctors.predictor(circuit_sha256(lift), lambda: lift)
    assert not first._done
    assert doctors.predictor(circuit_sha256(cart), lambda: cart) is not first


def resident_mb() -> float:
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() / 1e6


def test_what_was_freed_between_pieces_in_use_goes_back_to_the_system() -> None:
    """Every other one of many arrays is freed: the C library would keep their place."""
    kept = [np.ones(10_000) for _ in range(4000)]
    before = resident_mb()
    del kept[::2]
    give_back()
    assert resident_mb() < before - 120.0
