"""No set of readings, however absurd, may leave a job without an answer."""

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.question import answer
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.library import load_circuit, load_jobs

EXTREMES = (-1e6, -1.0, 0.0, 1e-9, 3.0, 118.0, 1e3, 1e6)
READ = ("pressure_bar", "flow_lpm", "speed_mm_s", "speed_rpm", "drift_mm_min", "voltage_v")


@pytest.fixture(scope="module", params=["turf_lift", "packer_truck"])
def doctor(request: pytest.FixtureRequest) -> Diagnostician:
    return Diagnostician.of(load_circuit(request.param), load_jobs()[0].instruments)


def reading(name: str, point: str, quantity: str, state: str, value: float) -> Reading:
    return Reading.model_validate(
        {
            "id": name,
            "point": point,
            "quantity": quantity,
            "state": state,
            "value": value,
            "unit": UNIT_OF_KIND[quantity],
        }
    )


def drawn(
    circuit: Circuit, doctor: Diagnostician, random: np.random.Generator
) -> list[Observation]:
    found: list[Observation] = []
    offered = [q for q in doctor.predictor.quantities if q.kind in READ]
    for number in range(int(random.integers(1, 5))):
        quantity = offered[int(random.integers(len(offered)))]
        state = list(circuit.states)[int(random.integers(len(circuit.states)))]
        value = float(random.choice(EXTREMES))
        found.append(reading(f"r{number}", quantity.place, quantity.kind, state, value))
    return found


@pytest.mark.parametrize("seed", range(10))
def test_any_set_of_readings_has_an_answer(doctor: Diagnostician, seed: int) -> None:
    seen = drawn(doctor.circuit, doctor, np.random.default_rng(seed))
    view = answer(doctor, seen)
    assert view.plan is not None
    assert view.left_out == []
    assert 0.0 <= view.other_share <= 1.0
    total = view.other_share + sum(s.share for s in view.suspects)
    assert total <= 1.0 + 1e-9
    numbers = [b for s in view.plan.next_steps for b in (s.minutes, s.bits, s.worth)]
    assert np.isfinite(numbers).all()
    assert view.model_validate_json(view.model_dump_json()) == view


def test_two_readings_that_agree_with_nobody_are_told_and_planned_on() -> None:
    doctor = Diagnostician.of(load_circuit("turf_lift"), load_jobs()[0].instruments)
    seen = [reading(str(v), "outlet_port", "pressure_bar", "held", v) for v in (248.0, 249.0)]
    view = answer(doctor, seen)
    assert view.explained is False
    assert view.other_share > 0.8
    assert view.plan is not None
    assert any(not s.refused for s in view.plan.next_steps)


def test_what_cannot_be_weighed_is_left_out_and_said() -> None:
    doctor = Diagnostician.of(load_circuit("turf_lift"), load_jobs()[0].instruments)
    good = reading("good", "outlet_port", "pressure_bar", "held", 74.0)
    alone = answer(doctor, [good])
    with_gone = answer(doctor, [good, good.model_copy(update={"id": "gone", "state": "flying"})])
    assert [(o.observation, "flying" in o.why) for o in with_gone.left_out] == [("gone", True)]
    assert [s.share for s in with_gone.suspects] == [s.share for s in alone.suspects]
