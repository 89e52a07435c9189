"""A slip is questioned before it is kept; what may well be so is not."""

import numpy as np

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.doubts import doubts_of
from umweg.core.observe.exhibits import Played
from umweg.core.observe.kinds.readings import Reading
from umweg.core.units import to_base
from umweg.library import load_jobs

JOBS = {job.id: job for job in load_jobs()}
KIT = JOBS["packer_weak"].instruments
STATE = "blade_extend_stalled"


def words(
    doctor: Diagnostician, value: float, job: str | None = None, **changes: object
) -> list[str]:
    data = {
        "id": "new",
        "point": "block_gauge",
        "quantity": "pressure_bar",
        "state": STATE,
        "value": value,
        "unit": "bar",
    }
    ranking, predictor = doctor.rank([] if job is None else JOBS[job].observations)
    reading = Reading.model_validate(data | changes)
    return [d.words for d in doubts_of(Played(predictor), ranking, reading, KIT)]


def healthy(doctor: Diagnostician, point: str, state: str) -> float:
    table = doctor.predictor[doctor.circuit.states[state]]
    row = next(i for i, q in enumerate(table.quantities) if q.place == point)
    return float(table.mean[row, 0])


def test_what_somebody_would_show_is_not_questioned(packer_doctor: Diagnostician) -> None:
    assert words(packer_doctor, 182.0) == []
    assert words(packer_doctor, 120.0) == [], "a weak relief would show it"


def test_a_number_beyond_the_scale_is(packer_doctor: Diagnostician) -> None:
    gauge = max((i for i in KIT if i.measures == "pressure"), key=lambda i: i.high)
    found = words(packer_doctor, 1890.0, instrument=gauge.id)
    assert found[0] == f"{gauge.label} cannot show 1890 bar."
    assert any(w.startswith("Nobody under suspicion") for w in found)


def test_psi_read_as_bar_is_offered(packer_doctor: Diagnostician) -> None:
    stalled_psi = healthy(packer_doctor, "block_gauge", STATE) / to_base(1.0, "psi")
    found = words(packer_doctor, round(stalled_psi))
    assert f"{round(stalled_psi)} psi, read as bar?" in found


def test_another_coupling_or_state_is_offered(packer_doctor: Diagnostician) -> None:
    neutral = healthy(packer_doctor, "suction_gauge", "neutral_rated")
    at_block = words(packer_doctor, 182.0, point="suction_gauge", state="blade_extend_stalled")
    assert any("“Gauge port, inlet section” would show" in w for w in at_block)
    assert neutral < 0.1


def test_it_needs_no_prior_reading_and_changes_nothing(packer_doctor: Diagnostician) -> None:
    before, _ = packer_doctor.rank(JOBS["packer_weak"].observations)
    words(packer_doctor, 1e5)
    after, _ = packer_doctor.rank(JOBS["packer_weak"].observations)
    assert np.array_equal(before.inside, after.inside)


def test_no_state_is_offered_in_which_it_cannot_be_read(packer_doctor: Diagnostician) -> None:
    found = words(
        packer_doctor,
        1890.0,
        "packer_weak",
        point="blade",
        quantity="time_s",
        unit="s",
        state="blade_extend_free",
    )
    assert found
    assert not any("Engine off" in w or "neutral" in w for w in found)


def test_repeats_that_fall_are_said_to_fall(packer_doctor: Diagnostician) -> None:
    usual = healthy(packer_doctor, "block_gauge", STATE)
    found = words(packer_doctor, usual, repeats=[0.93 * usual, 0.88 * usual])
    assert any("falls each time" in w for w in found)
    assert words(packer_doctor, usual) == []
