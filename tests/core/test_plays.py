"""What is read in time is played for those who are asked for, and comes out as if all were."""

from pathlib import Path

import numpy as np
import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.plan import next_steps
from umweg.core.faults.population import PAIR_SEVERITIES, between, fault_pairs
from umweg.core.observe.composed import Divided, Joined, Paired
from umweg.core.observe.plays import Plays
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import quantity_of
from umweg.core.observe.timed import TimedReader
from umweg.core.solve.steady import Cases
from umweg.library import load_circuit, load_jobs

KIT = load_jobs()[0].instruments


@pytest.fixture(autouse=True)
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("UMWEG_KERNELS", str(tmp_path))
    return tmp_path


@pytest.fixture
def counted(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """How many machines were played at once, each time."""
    counts: list[int] = []
    values = TimedReader.values

    def counting(reader: TimedReader, timing: object, cases: Cases, **rest: object) -> object:
        counts.append(cases.count)
        return values(reader, timing, cases, **rest)  # type: ignore[arg-type]

    monkeypatch.setattr(TimedReader, "values", counting)
    return counts


def predictor_of(circuit_id: str) -> Predictor:
    return Diagnostician.of(load_circuit(circuit_id), KIT).predictor


def plays_of(predictor: Predictor, timing_id: str) -> Plays:
    timing = next(t for t in predictor.circuit.timings if t.id == timing_id)
    return predictor._plays_of(quantity_of(timing))


def test_some_show_what_they_show_among_all(counted: list[int]) -> None:
    predictor = predictor_of("turf_lift")
    some = np.array([7, 41, 200])
    few = plays_of(predictor, "raise_time")
    first = few.of(some)
    asked = sum(counted)
    second = few.of(np.array([90, 91]))
    predictor.clear()
    # On the shelf lies what was played, not what was not.
    whole = plays_of(predictor, "raise_time").of()
    assert sum(counted) > 3 * asked
    for found, rows in ((first, some), (second, np.append(some, [90, 91]))):
        assert found.known[rows].all()
        np.testing.assert_allclose(found.mean[rows], whole.mean[rows], rtol=1e-9)
        np.testing.assert_allclose(found.slope[:, rows], whole.slope[:, rows], atol=1e-7)
    assert first.known.sum() < 0.6 * whole.known.sum()
    assert not first.slope[:, ~first.known].any()


def test_what_was_played_is_not_played_again(counted: list[int]) -> None:
    predictor = predictor_of("utility_cart")
    told: list[tuple[str, int]] = []
    plays = plays_of(predictor, "travel")
    plays.told = lambda timing, candidates: told.append((timing.id, candidates))
    before = plays.of(np.array([30]))
    assert told == [("travel", int(before.known.sum()))]
    counted.clear()
    assert plays.of(np.array([30])) is before
    again = plays_of(predictor_of("utility_cart"), "travel").of(np.array([30]))
    assert not counted
    np.testing.assert_array_equal(again.mean, before.mean)
    np.testing.assert_array_equal(again.slope, before.slope)
    np.testing.assert_array_equal(again.known, before.known)


def test_who_plans_has_those_played_who_are_in_question(counted: list[int]) -> None:
    job = next(j for j in load_jobs() if j.circuit == "turf_lift")
    doctor = Diagnostician.of(load_circuit("turf_lift"), job.instruments)
    planner = doctor.planner(job.observations)
    counted.clear()
    steps = next_steps(planner, job.observations).steps
    assert {s.quantity for s in steps} & {"within_s", "moved_mm"}
    most = max(counted)
    counted.clear()
    # Who weighs such a reading has the rest of them played.
    plays_of(predictor_of("turf_lift"), "sink").of()
    assert most < 0.6 * (most + max(counted))


def test_pairs_drawn_beside_other_severities_count_their_faults_among_those() -> None:
    """A second question may look at more severities of one fault, or at fewer, and at the same
    pairs: which candidates the two of a pair are is a matter of whom they were drawn beside."""
    singles = predictor_of("utility_cart")
    population = singles.population
    last = len(population.hypotheses) - 1
    finer = Divided(
        singles, [Predictor(singles.circuit, between(population, last), singles.solver)]
    )
    two = population.hypotheses[last].faults[0], population.hypotheses[1].faults[0]
    pairs = fault_pairs(population, [two], PAIR_SEVERITIES)
    quantity = quantity_of(next(t for t in singles.circuit.timings if t.id == "travel"))
    for own, others in ((singles, finer), (finer, singles)):
        joined = Joined(own, Paired(others, pairs))
        rows = np.array([0, joined.population.count - 1])
        some, whole = joined.played(quantity, rows), joined.played(quantity)
        np.testing.assert_allclose(some.mean[rows], whole.mean[rows], rtol=1e-9)
        assert (some.known[rows] == whole.known[rows]).all()
        assert some.known[rows].all()
