"""The queue and its workers: what they leave, what a killed one loses, what is stopped or goes wrong."""

import asyncio
import time
import uuid
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from procrastinate.exceptions import ConnectorException
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from tests.web.conftest import WorkOff, to_its_end, url_of
from tests.web.test_api import NOTE, READING, cards_of, job_id, post
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.question import Question, answer, circuit_sha256
from umweg.core.diagnose.ranking import rank
from umweg.core.diagnose.report import DiagnosisView
from umweg.core.errors import SolveError
from umweg.core.observe.exhibits import NotPlayedError, Played, Suspects
from umweg.core.observe.kinds.readings import Reading
from umweg.core.version import model_version
from umweg.db import kept
from umweg.db.models import AnswerRow
from umweg.library import load_circuit, load_jobs
from umweg.web.app import create_app
from umweg.web.events import Hub
from umweg.web.rankings import Rankings
from umweg.work.exhibits import KeptExhibits, Shelf, from_bytes, to_bytes
from umweg.work.queue import ANSWERS, PLAYS, Queue
from umweg.work.tasks import Workbench
from umweg.work.worker import run

JOBS = [job for job in load_jobs() if job.circuit == "packer_truck"]


@pytest.mark.parametrize("index", range(len(JOBS)))
def test_kept_exhibits_rank_as_played_ones_do(
    engine: Engine, played: None, workbench: Workbench, index: int
) -> None:
    job, circuit = JOBS[index], load_circuit("packer_truck")
    sha256 = circuit_sha256(circuit)
    suspects = Suspects.of(circuit)
    found = Rankings(engine).exhibits(suspects, sha256)
    ours = rank(found, job.observations, job.instruments)
    predictor = workbench.doctors.predictor(sha256, lambda: circuit)
    # Nobody can be solved again by what is kept: that is the worker's answer, which follows.
    theirs = rank(Played(predictor), job.observations, job.instruments, again=False)
    np.testing.assert_allclose(ours.shares, theirs.shares, atol=1e-4)
    assert ours.keys[:2] == theirs.keys[:2]
    assert set(ours.keys) == set(theirs.keys), "twins may change places in their last figures"


def test_the_web_process_plays_nothing(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    def refused(*_: object, **__: object) -> None:
        raise AssertionError("a machine was played in the web process")

    monkeypatch.setattr("umweg.core.solve.steady.SteadySolver.__init__", refused)
    monkeypatch.setattr("umweg.core.components.base.evaluate", refused)
    job = job_id(client)
    answer = post(client, job, READING).json()["answer"]
    assert answer["diagnosis"]["suspects"]
    assert answer["pending"] == ["plan"]
    revision = client.get(f"/api/jobs/{job}").json()["circuit_revision"]
    base = f"/api/circuits/{revision}"
    assert client.get(f"{base}/states/blade_extend_stalled").json()["pending"] is False


def test_a_state_of_ones_own_is_played_when_it_is_read_in(
    client: TestClient, work_off: WorkOff
) -> None:
    job = job_id(client)
    own = {
        "label": "idle, cold",
        "engine": "idle",
        "oil_c": float(np.random.default_rng().integers(5, 9)),
    }
    own["oil_c"] += uuid.uuid4().int % 1000 / 1000
    answer = post(client, job, {**READING, "state": own}).json()["answer"]
    assert answer["diagnosis"] is None
    assert answer["pending"] == ["ranking", "plan"]
    work_off()
    then = client.get(f"/api/jobs/{job}/diagnosis").json()
    assert then["pending"] == []
    assert then["diagnosis"]["plan"]["next_steps"]


def test_a_reading_is_questioned_before_it_is_kept(client: TestClient, work_off: WorkOff) -> None:
    job = job_id(client)
    work_off()
    asked = {**READING, "value": 2640.0, "unit": "bar", "repeats": []}
    before = len(client.get(f"/api/jobs/{job}").json()["entries"])
    found = client.post(f"/api/jobs/{job}/doubts", json=asked)
    assert found.status_code == 200
    assert any("psi" in words for words in found.json()["doubts"]), found.json()
    assert client.post(f"/api/jobs/{job}/doubts", json=READING).json() == {"doubts": []}
    assert len(client.get(f"/api/jobs/{job}").json()["entries"]) == before, "nothing is kept"
    wrong = client.post(f"/api/jobs/{job}/doubts", json={**READING, "point": "nose"})
    assert wrong.status_code == 422


def answers(engine: Engine, job: str) -> list[AnswerRow]:
    with Session(engine) as session:
        query = text("SELECT key FROM answer WHERE job_id = :job ORDER BY created_at")
        keys = session.scalars(query, {"job": job}).all()
        return [row for key in keys if (row := kept.answer_of(session, key)) is not None]


def test_only_the_question_that_is_still_asked_is_worked_out(
    client: TestClient, workshop: Engine, work_off: WorkOff
) -> None:
    job = job_id(client)
    for value in (1800, 1810, 1820):
        post(client, job, {**READING, "value": value})
    work_off()
    done = [row.diagnosis is not None for row in answers(workshop, job)]
    assert done == [False] * (len(done) - 1) + [True]
    assert len(done) <= kept.ANSWERS_OF_A_JOB


def test_a_question_asked_again_while_it_is_worked_out_is_answered_once(
    client: TestClient, workshop: Engine, work_off: WorkOff, monkeypatch: pytest.MonkeyPatch
) -> None:
    job, queue, calls = job_id(client), Queue(url_of(workshop)), []
    work_off()
    key = post(client, job, READING).json()["answer"]["question"]
    # A page that hears of the new entry asks before the answer is there.
    queue.put("work_out", ANSWERS, "asked again", key=key)

    def answered(*given: Any) -> DiagnosisView:
        calls.append(given)
        end = time.monotonic() + 10.0
        while len(queue.list("doing")) < 2 and time.monotonic() < end:
            time.sleep(0.01)
        assert len(queue.list("doing")) == 2
        return answer(*given)

    monkeypatch.setattr("umweg.work.tasks.answer", answered)
    work_off()
    queue.close()
    assert len(calls) == 1
    assert client.get(f"/api/jobs/{job}/diagnosis").json()["pending"] == []


def test_a_withdrawal_finds_the_earlier_answer_again(client: TestClient, work_off: WorkOff) -> None:
    job = job_id(client)
    before = client.get(f"/api/jobs/{job}/diagnosis").json()
    work_off()
    entry = post(client, job, READING).json()["entry"]["id"]
    back = post(client, job, {"kind": "withdrawal"}, supersedes=entry).json()["answer"]
    assert back["question"] == before["question"]
    assert back["pending"] == []


def test_trouble_is_kept_and_said(
    client: TestClient, work_off: WorkOff, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> None:
        raise SolveError("the machine has no steady state in “uphill”")

    monkeypatch.setattr("umweg.work.tasks.answer", broken)
    job = job_id(client)
    post(client, job, READING)
    work_off()
    answer = client.get(f"/api/jobs/{job}/diagnosis").json()
    assert "no steady state in “uphill”" in answer["trouble"]
    assert answer["diagnosis"]["suspects"], "the ranking needs no worker"
    card = next(c for c in cards_of(client) if c["id"] == job)
    assert card["pending"] is False
    assert "no steady state" in card["next"]


def test_a_fault_of_the_program_is_tried_again_and_then_said(
    client: TestClient, work_off: WorkOff, monkeypatch: pytest.MonkeyPatch
) -> None:
    calls: list[int] = []

    def broken(_: object, observations: list[object], *_rest: object) -> None:
        calls.append(len(observations))
        raise IndexError("a fault of ours")

    monkeypatch.setattr("umweg.work.tasks.answer", broken)
    monkeypatch.setattr("umweg.work.tasks.RETRY.wait", 0)
    job = job_id(client)
    seen = sum(e["standing"] for e in client.get(f"/api/jobs/{job}").json()["entries"])
    for _ in range(2):
        seen += 1
        post(client, job, READING)
    for _ in range(20):
        work_off()
        trouble = client.get(f"/api/jobs/{job}/diagnosis").json()["trouble"]
        if trouble is not None:
            break
    assert "fault of the program" in trouble
    assert calls.count(seen) == 3


def test_what_a_killed_worker_had_in_hand_is_taken_up_again(
    client: TestClient, workshop: Engine, workbench: Workbench, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = job_id(client)
    post(client, job, READING)
    with workshop.begin() as connection:
        connection.execute(text("SET LOCAL search_path TO queue"))
        # As a worker leaves it that was killed a minute ago with the work in hand.
        worker = connection.execute(
            text(
                "INSERT INTO procrastinate_workers (last_heartbeat) "
                "VALUES (now() - interval '1 minute') RETURNING id"
            )
        ).scalar_one()
        connection.execute(
            text("UPDATE procrastinate_jobs SET status = 'doing', worker_id = :w"),
            {"w": worker},
        )

    async def for_a_while() -> None:
        monkeypatch.setattr("umweg.work.worker.os.nice", lambda _: 0)
        working = asyncio.create_task(run(workshop, 1, bench=workbench))
        for _ in range(200):
            await asyncio.sleep(0.1)
            if answers(workshop, job)[-1].diagnosis is not None:
                break
        working.cancel()
        await asyncio.gather(working, return_exceptions=True)

    to_its_end(for_a_while())
    assert answers(workshop, job)[-1].diagnosis is not None


def test_work_is_listed_stopped_and_asked_for_again(
    client: TestClient, workshop: Engine, work_off: WorkOff
) -> None:
    job = job_id(client)
    client.get(f"/api/jobs/{job}/diagnosis")
    waiting = client.get("/api/queue").json()
    assert {(w["task"], w["status"]) for w in waiting} == {("work_out", "todo")}
    for work in waiting:
        assert client.post(f"/api/queue/{work['id']}/cancel").status_code == 204
        assert client.post(f"/api/queue/{work['id']}/cancel").status_code == 404
    assert client.get("/api/queue").json() == []
    work_off()
    again = client.get(f"/api/jobs/{job}/diagnosis").json()
    assert again["pending"] == ["plan"], "stopped work is asked for again by who still wants it"
    work_off()
    assert client.get(f"/api/jobs/{job}/diagnosis").json()["pending"] == []


def test_the_same_work_waits_once(workshop: Engine) -> None:
    queue = Queue(url_of(workshop))
    for _ in range(3):
        queue.put("play", PLAYS, "play/x", sha256="x")
    assert len(queue.list("todo")) == 1
    queue.close()


def test_a_circuit_is_played_on_from_where_it_was(
    workshop: Engine, played: None, workbench: Workbench, monkeypatch: pytest.MonkeyPatch
) -> None:
    sha256 = circuit_sha256(load_circuit("tail_lift"))
    mark = "done/state/lift_rated"
    with workshop.begin() as connection:
        names = connection.execute(
            text("SELECT name FROM kept WHERE circuit_sha256 = :s AND name LIKE 'done/state/%'"),
            {"s": sha256},
        ).scalars()
        mark = sorted(names)[0]
        connection.execute(
            text("DELETE FROM kept WHERE circuit_sha256 = :s AND name = :n"),
            {"s": sha256, "n": mark},
        )
    made: list[str] = []
    monkeypatch.setattr(
        "umweg.work.tasks.map_of", lambda _, state: made.append(state.label) or _Nothing()
    )
    queue = Queue(url_of(workshop))
    queue.put("play", PLAYS, "again", sha256=sha256)
    queue.close()
    to_its_end(run(workshop, 1, until_idle=True, bench=workbench))
    assert len(made) == 1
    with Session(workshop) as session:
        assert mark in kept.kept(session, sha256, model_version(), [mark])


class _Nothing:
    def packed(self) -> dict[str, Any]:
        return {"ports": np.array([], dtype=str)}


def test_arrays_come_back_as_they_were_kept() -> None:
    arrays = {"a": np.arange(6.0).reshape(2, 3), "b": np.array([True, False]), "c": np.array(["x"])}
    back = from_bytes(to_bytes(arrays))
    for name, value in arrays.items():
        np.testing.assert_array_equal(back[name], value)
        assert back[name].dtype == value.dtype


def test_the_shelf_holds_no_more_than_it_may_and_fetches_once() -> None:
    shelf = Shelf(most_bytes=20_000)
    fetched: list[str] = []

    def fetch(name: str) -> bytes:
        fetched.append(name)
        return to_bytes({"x": np.zeros(1000)})

    for name in ("a", "b", "a", "c", "a"):
        shelf.get("circuit", name, fetch)
        assert shelf.size_bytes <= 20_000
    assert fetched == ["a", "b", "c"]
    with pytest.raises(NotPlayedError, match="gone"):
        shelf.get("circuit", "gone", lambda _: None)


def test_nothing_kept_is_told_apart_from_nothing_wrong() -> None:
    exhibits = KeptExhibits(Suspects.of(load_circuit("turf_lift")), "x", Shelf(), lambda _: None)
    reading = Reading(
        id="r", point="outlet_port", quantity="pressure_bar", state="held", value=74, unit="bar"
    )
    with pytest.raises(NotPlayedError):
        rank(exhibits, [reading], [])


def test_a_question_has_the_same_key_for_the_same_and_another_for_anything_else() -> None:
    job = JOBS[0]
    question = Question(
        circuit_sha256="c",
        model="m",
        instruments=tuple(job.instruments),
        labour_per_min=1.5,
        observations=tuple(job.observations),
    )
    same = Question.model_validate(question.model_dump(mode="json"))
    assert same.key == question.key
    changes: list[dict[str, Any]] = [
        {"circuit_sha256": "d"},
        {"model": "n"},
        {"labour_per_min": 2.0},
        {"instruments": question.instruments[:-1]},
        {"observations": question.observations[:-1]},
    ]
    keys = {question.model_copy(update=c).key for c in changes}
    assert len(keys) == len(changes)
    assert question.key not in keys
    bases = [question.model_copy(update=c).basis != question.basis for c in changes]
    assert bases == [False, True, True, True, False]


def test_events_tell_of_entries_and_answers(
    client: TestClient, workshop: Engine, work_off: WorkOff
) -> None:
    job = job_id(client)
    hub: Hub = client.app.state.hub  # type: ignore[attr-defined]
    got: list[tuple[str | None, str | None]] = []

    async def listen() -> None:
        async for event in hub.stream(uuid.UUID(job)):
            got.append((event.event, event.data))

    assert client.portal is not None
    listening = client.portal.start_task_soon(listen)
    post(client, job, NOTE)
    other = next(c["id"] for c in cards_of(client) if c["id"] != job)
    post(client, other, NOTE)
    work_off()
    for _ in range(100):
        if ("answer", job) in got:
            break
        client.portal.call(asyncio.sleep, 0.05)
    listening.cancel()
    assert ("entry", job) in got
    assert ("answer", job) in got
    assert all(what in (job, "") for kind, what in got if kind != "work")


def test_the_pool_is_not_held_while_a_ranking_is_computed(
    workshop: Engine, played: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    held: list[int] = []
    inside = Rankings.rank

    def watched(self: Rankings, suspects: Any, question: Any) -> Any:
        held.append(workshop.pool.checkedout())  # type: ignore[attr-defined]
        return inside(self, suspects, question)

    monkeypatch.setattr(Rankings, "rank", watched)
    with TestClient(create_app(workshop)) as client:
        post(client, job_id(client), READING)
    assert held == [0]


def test_a_busy_pool_is_a_503_that_says_so(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    from sqlalchemy.exc import TimeoutError as PoolTimeoutError

    def full(*_: object) -> None:
        raise PoolTimeoutError("QueuePool limit reached")

    monkeypatch.setattr("umweg.db.store.Store.only", full)
    answer = client.get("/api/jobs")
    assert answer.status_code == 503
    assert answer.headers["retry-after"] == "1"
    assert "nothing of this request was begun" in answer.json()["detail"]


def test_a_queue_that_does_not_answer_loses_no_entry(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = job_id(client)
    key = str(uuid.uuid4())

    def gone(*_: object, **__: object) -> None:
        raise ConnectorException("no connection")

    with monkeypatch.context() as patch:
        patch.setattr("umweg.work.queue.Queue.put", gone)
        answer = post(client, job, READING, key)
        assert answer.status_code == 503
        assert "with the same key it is kept once" in answer.json()["detail"]
    assert post(client, job, READING, key).status_code == 201
    assert len(client.get(f"/api/jobs/{job}").json()["entries"]) == 7


def test_what_was_asked_for_gives_way_but_not_what_was_played(workshop: Engine) -> None:
    with Session(workshop) as session:
        asked = {f"a{n}": b"" for n in range(kept.ASKED_FOR)}
        kept.keep(session, "s", "m", {"mine": b"1"}, asked_for=True)
        kept.keep(session, "s", "m", {"mine": b"2"}, asked_for=False)
        session.commit()
        for name in asked:
            kept.keep(session, "s", "m", {name: b""}, asked_for=True)
        session.commit()
        kept.keep(session, "s", "m", {"last": b""}, asked_for=True)
        assert kept.kept(session, "s", "m", ["mine", "a0", "last"]).keys() == {"mine", "last"}
        session.rollback()
        session.execute(text("DELETE FROM kept WHERE circuit_sha256 = 's'"))
        session.commit()


def test_many_jobs_are_given_in_pages_and_found(client: TestClient, workshop: Engine) -> None:
    with workshop.begin() as connection:
        connection.execute(
            text(
                "INSERT INTO job (id, machine_id, circuit_revision_id, complaint) SELECT "
                "gen_random_uuid(), machine_id, circuit_revision_id, 'made ' || n || ' 100%_sure' "
                "FROM (SELECT * FROM job LIMIT 1) one, generate_series(1, 300) n"
            )
        )
    first = client.get("/api/jobs").json()
    assert (first["total"], len(first["jobs"])) == (303, 25)
    seen = {j["id"] for j in first["jobs"]}
    second = client.get("/api/jobs", params={"offset": 25}).json()
    assert not seen & {j["id"] for j in second["jobs"]}
    assert client.get("/api/jobs", params={"search": "made 17"}).json()["total"] == 13
    assert client.get("/api/jobs", params={"search": "100%_sure"}).json()["total"] == 300
    assert client.get("/api/jobs", params={"search": "100__sure"}).json()["total"] == 0
    assert client.get("/api/jobs", params={"decided": True}).json()["total"] == 0


def test_a_diagnostician_needs_no_database() -> None:
    doctor = Diagnostician.of(load_circuit("turf_lift"), [])
    assert doctor.diagnose([], with_steps=False).explained


def test_the_way_on_is_grown_in_the_background_and_goes_with_its_question(
    client: TestClient, work_off: WorkOff
) -> None:
    job = job_id(client)
    post(client, job, READING)
    asked = client.get(f"/api/jobs/{job}/tree")
    assert asked.json() == {"pending": True, "place": None, "trouble": None}
    waiting = [w for w in client.get("/api/queue").json() if w["task"] == "grow_tree"]
    client.get(f"/api/jobs/{job}/tree")
    again = [w for w in client.get("/api/queue").json() if w["task"] == "grow_tree"]
    assert len(waiting) == len(again) == 1, "the same tree is not asked for twice"
    work_off()
    grown = client.get(f"/api/jobs/{job}/tree").json()
    assert grown["pending"] is False
    plan = client.get(f"/api/jobs/{job}/diagnosis").json()["diagnosis"]["plan"]
    first = next(s for s in plan["next_steps"] if not s["refused"])
    if not plan["enough"]:
        assert grown["place"]["step_key"] == [first["kind"], first["point"], first["state"]]
        assert sum(b["share"] for b in grown["place"]["branches"]) == pytest.approx(1.0, abs=0.01)
    post(client, job, NOTE)
    assert client.get(f"/api/jobs/{job}/tree").json()["pending"] is False, "a note asks nothing new"
    assert client.get(f"/api/jobs/{job}/tree?depth=9").status_code == 422


def test_a_tree_that_cannot_be_grown_says_why_and_is_tried_once(
    client: TestClient, workshop: Engine, work_off: WorkOff, monkeypatch: pytest.MonkeyPatch
) -> None:
    calls: list[object] = []

    def refuse(*given: object) -> None:
        calls.append(given)
        raise SolveError("the way on has no end")

    job, queue = job_id(client), Queue(url_of(workshop))
    key = post(client, job, {**READING, "value": 61.25}).json()["answer"]["question"]
    client.get(f"/api/jobs/{job}/tree?depth=3")
    queue.put("grow_tree", PLAYS, "asked again", key=key, depth=3)
    queue.close()
    monkeypatch.setattr("umweg.work.tasks.tree_of", refuse)
    work_off()
    found = client.get(f"/api/jobs/{job}/tree?depth=3").json()
    assert found == {"pending": False, "place": None, "trouble": "the way on has no end"}
    assert len(calls) == 1, "what waits behind it finds it kept"


def test_what_was_played_in_time_is_offered_by_every_worker(
    client: TestClient, work_off: WorkOff, workbench: Workbench, played: None
) -> None:
    circuit = load_circuit("packer_truck")
    sha256 = circuit_sha256(circuit)
    predictor = workbench.doctors.predictor(sha256, lambda: circuit)
    assert predictor.patient is False, "an answer does not wait for readings in time"
    predictor._timed.clear()
    job = job_id(client)
    post(client, job, {**READING, "value": 58.5})
    work_off()
    assert {t.id for t in predictor.in_time} == {t.id for t in circuit.timings}
