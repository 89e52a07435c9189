"""A few candidates solved by themselves show what they show among all."""

import time

import numpy as np
import pytest

from tests.core.test_plan import KIT, SINKS, doctor_of
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.network.network import Indices
from umweg.core.observe.narrow import Narrow
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import SEVERITIES
from umweg.core.observe.quantities import quantity_of
from umweg.library import load_jobs


@pytest.fixture(scope="module")
def doctor() -> Diagnostician:
    return doctor_of("turf_lift", KIT)


@pytest.fixture(scope="module")
def joined(doctor: Diagnostician) -> Predictor:
    """Single faults at more severities than the grid's, and pairs of them."""
    job = next(job for job in load_jobs() if job.circuit == "turf_lift")
    ranking, whole = doctor.rank(job.observations)
    assert ranking.population.paired
    assert (whole.of_grid < 0).any()
    return whole


def some_of(whole: Predictor) -> Indices:
    """Pairs, severities between the grid's, and some of the grid's own."""
    return np.arange(3, whole.population.count, 29)


@pytest.mark.parametrize("of_grid", [False, True])
def test_the_wanted_show_what_they_show_among_all(
    doctor: Diagnostician, joined: Predictor, of_grid: bool
) -> None:
    wanted = some_of(joined)
    states = list(doctor.circuit.steady.values())
    # Whether the grid was solved before or not, nothing else is asked of it.
    doctor.predictor.forget(states)
    if of_grid:
        doctor.prepare()
    few = Narrow(joined, wanted)
    for state in states[:3]:
        joined.forget([state])
        if of_grid:
            doctor.predictor.prepare([state])
        assert not joined.has(state)
        table = few[state]
        whole = joined[state]
        np.testing.assert_array_equal(table.known[wanted], whole.known[wanted])
        shown = wanted[table.known[wanted]]
        np.testing.assert_allclose(table.mean[:, shown], whole.mean[:, shown], rtol=1e-5, atol=1e-4)
        for row in range(len(whole.quantities)):
            np.testing.assert_allclose(
                table.slope[row][:, shown], whole.slope[row][:, shown], rtol=1e-3, atol=2e-3
            )
        np.testing.assert_allclose(
            table.overload.ratio[shown], whole.overload.ratio[shown], rtol=1e-4
        )
        np.testing.assert_allclose(table.healthy, whole.healthy, rtol=1e-9)


def test_slopes_of_some_are_those_among_everybodys(
    doctor: Diagnostician, joined: Predictor
) -> None:
    wanted = some_of(joined)
    state = list(doctor.circuit.steady.values())[1]
    joined.forget([state])
    few = Narrow(joined, wanted)
    for predictor in (few, few.grid, joined):
        table = predictor[state]
        choices = [wanted[wanted < predictor.population.count][k:] for k in range(5)]
        # More choices than are kept, and one of them again once all its row was asked for.
        asked = [table.slope.of(0, some) for some in (*choices, choices[0])]
        whole = table.slope[0]
        for some, slope in zip((*choices, choices[0]), asked, strict=True):
            np.testing.assert_allclose(slope, whole[:, some], rtol=1e-6, atol=1e-9)
        np.testing.assert_array_equal(table.slope.of(0, choices[1]), whole[:, choices[1]])


def test_nobody_else_is_known(doctor: Diagnostician, joined: Predictor) -> None:
    state = next(iter(doctor.circuit.steady.values()))
    wanted = some_of(joined)[:4]
    joined.forget([state])
    table = Narrow(joined, wanted)[state]
    population = joined.population
    near = np.concatenate([population.below[wanted].ravel(), population.above[wanted].ravel()])
    assert set(np.flatnonzero(table.known)) <= {0, *wanted.tolist(), *near.tolist()}
    others = np.flatnonzero(~table.known)
    assert len(others) > 0.9 * population.count
    assert np.abs(table.slope[0][:, others]).max() == 0.0


def test_what_all_have_solved_is_taken_from_them(doctor: Diagnostician, joined: Predictor) -> None:
    state = next(iter(doctor.circuit.steady.values()))
    joined.prepare([state])
    few = Narrow(joined, some_of(joined))
    assert few[state] is joined[state]
    few.clear()
    assert not few.has(state)
    assert joined.has(state)
    few.forget([state])
    assert not joined.has(state)


def test_heat_is_worked_out_of_the_wanted_alone() -> None:
    doctor = doctor_of("dumper_interlock", KIT)
    (heat,) = [quantity_of(t) for t in doctor.circuit.timings if t.of == "settled_c"]
    wanted = np.arange(0, doctor.predictor.population.count, 11)
    few = Narrow(doctor.predictor, wanted)
    alone, whole = few.timed(heat), doctor.predictor.timed(heat)
    np.testing.assert_array_equal(alone.known[wanted], whole.known[wanted])
    np.testing.assert_allclose(alone.mean[wanted], whole.mean[wanted], rtol=1e-4, atol=1e-3)
    np.testing.assert_allclose(
        alone.slope[:-SEVERITIES, wanted], whole.slope[:-SEVERITIES, wanted], rtol=1e-6, atol=1e-9
    )


def test_who_plans_for_the_same_few_again_finds_them_solved() -> None:
    doctor = doctor_of("turf_lift", KIT)
    first = doctor.planner(SINKS)
    first.predictor.prepare(doctor.circuit.steady.values())
    assert doctor.planner(SINKS).predictor is first.predictor
    other = doctor.planner(SINKS[:1])
    assert other.predictor is not first.predictor


def test_what_is_played_once_is_played_for_the_whole(doctor: Diagnostician) -> None:
    """Who narrows again for each answer asks the same one for what depends on no belief."""
    made = []

    def make() -> dict[str, np.ndarray]:
        made.append(1)
        return {"a": np.zeros(1)}

    wanted, name = np.arange(3), f"played for a test at {time.time()}"
    for _ in range(2):
        few = Narrow(doctor.predictor, wanted)
        assert few.grid is doctor.predictor.grid
        few.grid.once(name, make)
    assert len(made) == 1
