"""Diagnoses worked out in the background: once, without waiting for one another, never silently."""

import threading
import time
import uuid
from collections.abc import Callable
from typing import Any, cast

import pytest

from umweg.core.diagnose.diagnosis import Diagnosis, Diagnostician
from umweg.core.errors import SolveError
from umweg.core.observe.observations import Look, Observation
from umweg.web.doctors import Doctors


class Slow:
    """Stands for a diagnostician: counts, and takes as long as it is told."""

    def __init__(self, wait: threading.Event | None = None) -> None:
        self.calls = 0
        self.wait = wait

    def diagnose(self, _: Any) -> str:
        self.calls += 1
        if self.wait is not None:
            assert self.wait.wait(10)
        return f"diagnosis {self.calls}"


SEEN: list[Observation] = [Look(id="o", look="clear")]


def doctor(slow: Slow) -> Diagnostician:
    return cast(Diagnostician, slow)


def until(done: Callable[[], object]) -> None:
    for _ in range(200):
        if done():
            return
        time.sleep(0.02)
    raise AssertionError("it never came")


def test_a_diagnosis_is_worked_out_once_for_what_was_seen() -> None:
    doctors, slow, job = Doctors(), Slow(), uuid.uuid4()
    first = doctors.diagnose(job, doctor(slow), SEEN)
    assert doctors.diagnose(job, doctor(slow), SEEN) is first
    assert slow.calls == 1
    assert doctors.kept(job, SEEN) is first
    assert doctors.kept(job, []) is None
    doctors.close()


def test_two_requests_for_the_same_share_one_computation() -> None:
    doctors, gate, job = Doctors(), threading.Event(), uuid.uuid4()
    slow = Slow(gate)
    found: list[Diagnosis] = []
    threads = [
        threading.Thread(target=lambda: found.append(doctors.diagnose(job, doctor(slow), SEEN)))
        for _ in range(3)
    ]
    for thread in threads:
        thread.start()
    gate.set()
    for thread in threads:
        thread.join(10)
    assert slow.calls == 1
    assert len(found) == 3
    doctors.close()


def test_one_job_does_not_wait_for_another() -> None:
    doctors, gate = Doctors(), threading.Event()
    busy = threading.Thread(
        target=lambda: doctors.diagnose(uuid.uuid4(), doctor(Slow(gate)), SEEN), daemon=True
    )
    busy.start()
    try:
        begin = time.perf_counter()
        doctors.diagnose(uuid.uuid4(), doctor(Slow()), SEEN)
        assert time.perf_counter() - begin < 1.0
    finally:
        gate.set()
        busy.join(10)
    doctors.close()


def test_background_work_is_not_queued_twice_and_its_trouble_is_told() -> None:
    doctors, gate, job = Doctors(), threading.Event(), uuid.uuid4()
    runs: list[int] = []

    def work() -> None:
        runs.append(1)
        gate.wait(10)
        raise SolveError("the machine has no steady state in “uphill”")

    doctors.later(job, SEEN, work)
    doctors.later(job, SEEN, work)
    assert doctors.trouble(job, SEEN) is None
    gate.set()
    until(lambda: doctors.trouble(job, SEEN))
    assert len(runs) == 1
    assert "no steady state" in str(doctors.trouble(job, SEEN))
    doctors.close()


def test_closed_doctors_drop_what_waits() -> None:
    doctors, gate = Doctors(), threading.Event()
    ran: list[str] = []
    doctors.later(uuid.uuid4(), SEEN, lambda: gate.wait(10))
    doctors.later(uuid.uuid4(), SEEN, lambda: ran.append("late"))
    doctors.close()
    gate.set()
    time.sleep(0.1)
    assert ran == []
    with pytest.raises(RuntimeError):
        doctors.later(uuid.uuid4(), SEEN, lambda: None)
