"""What observations are weighed by is known beforehand, and solved at once."""

from collections.abc import Sequence

import pytest

from tests.core.test_plan import KIT
from umweg.core.components.base import Array
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.plan import Asker, readings_of
from umweg.core.diagnose.setup import setup_after
from umweg.core.network.network import SolvableState
from umweg.core.observe.exhibits import Played
from umweg.core.observe.kinds.base import Observed
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.observations import OBSERVATIONS
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import quantity_of
from umweg.core.solve.steady import Cases, Solution, SteadySolver
from umweg.library import load_circuit, load_jobs


@pytest.fixture(scope="module")
def doctor() -> Diagnostician:
    return Diagnostician.of(load_circuit("packer_truck"), KIT)


@pytest.fixture(scope="module")
def everything(doctor: Diagnostician) -> list[Observed]:
    """An answer to every look that is proposed for a job, and some readings."""
    job = next(job for job in load_jobs() if job.circuit == "packer_truck")
    planner = doctor.planner(job.observations)
    asker = Asker(planner, setup_after(doctor.circuit, job.observations), job.observations)
    looks = [p.answers[0].observation for kind in OBSERVATIONS for p in kind.proposals(asker)]
    doctor.prepare()
    readings = [blank(quantity, state) for state, quantity in readings_of(doctor.predictor)]
    return [*looks, *readings[::9], *job.observations]


def test_nothing_more_is_solved_of_everybody_once_what_they_name_is(
    doctor: Diagnostician, everything: Sequence[Observed], monkeypatch: pytest.MonkeyPatch
) -> None:
    predictor = Predictor(doctor.circuit, doctor.predictor.population, doctor.predictor.solver)
    for timing in doctor.circuit.timings:
        predictor.remember(quantity_of(timing), doctor.predictor.timed(quantity_of(timing)))
    exhibits, solved = Played(predictor), []
    solve = SteadySolver.solve

    def counted(
        self: SteadySolver,
        states: Sequence[SolvableState],
        cases: Cases,
        start: Array | None = None,
    ) -> Solution:
        solved.append(cases.count)
        return solve(self, states, cases, start)

    kinds = set()
    for observation in everything:
        predictor.prepare(observation.solved_in(doctor.circuit))
        with monkeypatch.context() as patch:
            patch.setattr(SteadySolver, "solve", counted)
            observation.weigh(exhibits, doctor.instruments)
        # The machine in order may still be asked what it does when a lever is let go.
        assert max(solved, default=0) <= 1, observation.words(doctor.circuit)
        kinds.add(type(observation))
    assert len(kinds) > 5
