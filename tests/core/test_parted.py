"""Whom a step parts, by what each suspect would show: against cases worked out by hand."""

import numpy as np
import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.parted import Owners, by_answer, by_reading
from umweg.core.diagnose.report import report
from umweg.core.faults.population import Hypothesis, single_faults
from umweg.core.network.network import Network
from umweg.library import load_cases, load_circuit, load_jobs


@pytest.fixture(scope="module")
def hypotheses() -> list[Hypothesis]:
    return list(single_faults(Network(load_circuit("turf_lift"))).hypotheses)


def test_a_reading_parts_those_whose_middles_lie_apart(hypotheses: list[Hypothesis]) -> None:
    owners = Owners(hypotheses, np.array([1, 1, 2, 3]), np.array([0.2, 0.2, 0.5, 0.1]))
    low, high = by_reading(owners, np.array([10.0, 11.0, 40.0, 12.0]), np.full(4, 1.0))
    # Hypothesis 2 stands alone above; of the two below the likelier one is named first.
    assert [h.key for h in low.hypotheses] == [hypotheses[1].key, hypotheses[3].key]
    assert [h.key for h in high.hypotheses] == [hypotheses[2].key]
    assert low.low is None
    assert high.high is None
    # Six of ten lie within 0.8416 standard deviations: half-way between 12.84 and 39.16.
    assert low.high == high.low == pytest.approx((12.8416 + 39.1584) / 2, abs=1e-3)


def test_three_apart_make_three_and_a_middle_one_has_both_ends(
    hypotheses: list[Hypothesis],
) -> None:
    owners = Owners(hypotheses, np.array([1, 2, 3]), np.full(3, 1 / 3))
    parts = by_reading(owners, np.array([30.0, 10.0, 20.0]), np.full(3, 1.0))
    assert [p.hypotheses[0].key for p in parts] == [hypotheses[i].key for i in (2, 3, 1)]
    assert (parts[1].low, parts[1].high) == (pytest.approx(15.0), pytest.approx(25.0))


def test_nobody_is_parted_where_middles_run_into_one_another(hypotheses: list[Hypothesis]) -> None:
    owners = Owners(hypotheses, np.array([1, 2]), np.full(2, 0.5))
    assert by_reading(owners, np.array([10.0, 11.0]), np.full(2, 1.0)) == ()
    # Nor is one worth a word that has a hundredth of the belief.
    slight = Owners(hypotheses, np.array([1, 2]), np.array([0.99, 0.01]))
    assert by_reading(slight, np.array([10.0, 50.0]), np.full(2, 1.0)) == ()


def test_an_answer_names_whom_it_speaks_for_most(hypotheses: list[Hypothesis]) -> None:
    owners = Owners(hypotheses, np.array([1, 2, 3]), np.array([0.2, 0.5, 0.3]))
    chances = np.array([[0.9, 0.1], [0.03, 0.97], [0.03, 0.97]])
    found, missing = by_answer(owners, chances)
    assert (found.answer, missing.answer) == (0, 1)
    assert [h.key for h in found.hypotheses] == [hypotheses[1].key]
    assert [h.key for h in missing.hypotheses] == [hypotheses[2].key, hypotheses[3].key]
    assert by_answer(owners, np.tile([0.3, 0.7], (3, 1))) == ()


def test_a_machine_that_is_most_likely_in_order_is_given_no_repair_to_begin_with(
    packer_doctor: Diagnostician,
) -> None:
    case = next(c for c in load_cases("packer_truck") if c.id == "nothing_wrong")
    found = packer_doctor.diagnose(case.observations)
    # There are repairs, cheap ones, of what is left; the cheapest first thing is to mend nothing.
    assert found.repairs
    assert found.gives_back
    assert found.do_first is None
    broken = packer_doctor.diagnose(
        next(j for j in load_jobs() if j.id == "packer_weak").observations
    )
    assert not broken.gives_back
    assert broken.do_first == broken.repairs[0]


def test_a_step_is_told_by_the_parts_and_by_what_is_wrong_where_they_are_the_same(
    packer_doctor: Diagnostician,
) -> None:
    """In the demo's job nearly everything is on one relief: its name says nothing any more."""
    job = next(j for j in load_jobs() if j.id == "packer_weak")
    doctor = Diagnostician(
        packer_doctor.predictor, job.instruments, job.labour_per_min, job.machine.history
    )
    view = report(doctor.circuit, doctor.diagnose(job.observations), job.observations)
    assert view.plan is not None
    look = next(s for s in view.plan.next_steps if s.point == "blade_relief_a:wrong_spring")
    found, missing = look.parts
    assert (found.answer, missing.answer) == ("found", "not found")
    assert found.suspects == ["wrong cartridge or spring fitted: opens too early"]
    assert "opens early: weak spring or backed off" in missing.suspects
    assert view.plan.enough
    assert view.plan.do_first is not None
    assert view.plan.do_first.component == "blade_relief_a"
    assert any("wrong cartridge" in title for title in view.plan.not_excluded)
    # Of two screws on one machine each is named by its part.
    early = doctor.diagnose(job.observations[:2])
    words = report(doctor.circuit, early, job.observations[:2])
    assert words.plan is not None
    named = {n for s in words.plan.next_steps for p in s.parts for n in p.suspects}
    assert len(named) > 2
    assert not words.plan.enough
    assert (words.plan.do_first, words.plan.not_excluded) == (None, ())
