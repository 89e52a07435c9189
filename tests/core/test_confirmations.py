"""Looking whether a fault is there: one more observation that is asked for, answered and weighed."""

import numpy as np
import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.play import observe
from umweg.core.errors import ObservationError
from umweg.core.faults.population import parse_fault
from umweg.core.observe.exhibits import Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.confirmations import Confirmation
from umweg.library import load_circuit, load_jobs

JOBS = {job.id: job for job in load_jobs()}


def look(component: str, mode: str, seen: str) -> Confirmation:
    return Confirmation.model_validate(
        {"id": "look", "component": component, "mode": mode, "seen": seen}
    )


def share_of(doctor: Diagnostician, key: str, *more: Confirmation) -> float:
    ranking, _ = doctor.rank([*JOBS["packer_weak"].observations, *more])
    keys = [h.key for h in ranking.population.hypotheses]
    return float(ranking.shares[keys.index(key)])


def test_found_speaks_for_it_and_not_found_against_it(packer_doctor: Diagnostician) -> None:
    key = "blade_relief_a:set_low"
    before = share_of(packer_doctor, key)
    found = share_of(packer_doctor, key, look("blade_relief_a", "set_low", "found"))
    missed = share_of(packer_doctor, key, look("blade_relief_a", "set_low", "not_found"))
    blind = share_of(packer_doctor, key, look("blade_relief_a", "set_low", "cannot_see"))
    assert missed < before < found
    assert blind == pytest.approx(before, rel=1e-6)


def test_what_would_show_and_is_not_seen_is_hardly_there(packer_doctor: Diagnostician) -> None:
    """A pin that is out is seen in 95 of 100, one that slipped a little in 30."""
    before = share_of(packer_doctor, "blade_section:linkage_off")
    after = share_of(
        packer_doctor,
        "blade_section:linkage_off",
        look("blade_section", "linkage_off", "not_found"),
    )
    assert before > 0.0015
    assert after < 0.6 * before


def test_what_the_machine_lacks_is_refused_with_what_it_has() -> None:
    suspects = Suspects.of(load_circuit("packer_truck"))
    with pytest.raises(ObservationError, match="no component “wing”"):
        look("wing", "worn", "found").check(suspects)
    with pytest.raises(ObservationError, match="no fault “tired”; it has: worn"):
        look("pump", "tired", "found").check(suspects)
    assert "found" in look("pump", "worn", "found").words(suspects.circuit)


def test_suspects_are_looked_for_with_time_and_cautions_of_their_own(
    packer_doctor: Diagnostician,
) -> None:
    steps = packer_doctor.diagnose(JOBS["packer_weak"].observations).steps
    looks = {s.point: s for s in steps if s.kind == "confirm"}
    assert "blade_relief_a:set_low" in looks
    dead = [
        Behaviour(id=move, function="blade", move=move, how="dead")
        for move in ("extend", "retract")
    ]
    outside = next(
        s for s in packer_doctor.diagnose(dead).steps if s.point == "blade_section:linkage_off"
    )
    inside = looks["blade_relief_a:seat_leaks"]
    assert outside.minutes < 15 < inside.minutes
    assert outside.cautions == ()
    assert [a.word for a, _ in inside.outcomes] == ["found", "not found", "cannot be seen"]
    assert sum(p for _, p in inside.outcomes) == pytest.approx(1.0)
    already = look("blade_relief_a", "seat_leaks", "not_found")
    again = packer_doctor.diagnose([*JOBS["packer_weak"].observations, already]).steps
    assert all(s.point != "blade_relief_a:seat_leaks" for s in again)


def test_opening_a_part_that_holds_a_load_is_cautioned() -> None:
    doctor = Diagnostician.of(load_circuit("turf_lift"), load_jobs()[0].instruments)
    steps = doctor.diagnose(JOBS["turf_sinks"].observations[:1]).steps
    cylinder = next(s for s in steps if s.point == "cylinder:seal_leaks")
    (words,) = cylinder.cautions
    assert words.startswith("Lift cylinder: the machine keeps 74 bar here with the engine off")
    assert "lower and support" in words


def test_a_simulated_machine_shows_what_is_wrong_with_it(packer_doctor: Diagnostician) -> None:
    network = packer_doctor.predictor.network
    fault = parse_fault(network, "blade_section:linkage_off=1")
    machine = HiddenMachine(
        network.circuit, [fault], np.random.default_rng(5), packer_doctor.predictor.solver
    )
    there = [look("blade_section", "linkage_off", "found").witnessed(machine) for _ in range(300)]
    gone = [look("pump", "worn", "found").witnessed(machine) for _ in range(300)]
    assert np.mean([o.seen == "found" for o in there]) == pytest.approx(0.95, abs=0.04)
    assert np.mean([o.seen == "found" for o in gone]) == pytest.approx(0.03, abs=0.03)
    step = next(
        s
        for s in packer_doctor.diagnose(JOBS["packer_weak"].observations).steps
        if s.kind == "confirm"
    )
    assert observe(machine, step, "x").id == "x"
