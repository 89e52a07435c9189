"""A machine over all its jobs: hours, trends, what was done, and the baseline of its next job."""

import uuid
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from tests.web.conftest import WorkOff
from tests.web.test_api import post
from umweg.core.observe.exhibits import NotPlayedError
from umweg.db.bundle import keep_bundle
from umweg.db.machine_record import MOST_EARLIER, left_by, next_baseline
from umweg.db.models import CircuitRevision, EntryRow, JobRow, Machine, Workshop
from umweg.db.store import NotFoundError, Store
from umweg.library import earlier_jobs, load_circuit, load_jobs
from umweg.service.demo import demo_bundle

SERIAL = "R18-0417"
STALLED = {
    "kind": "reading",
    "id": "new",
    "point": "block_gauge",
    "quantity": "pressure_bar",
    "state": "blade_extend_stalled",
    "unit": "bar",
    "instrument": "gauge_400",
}
REPAIR = {"kind": "repair", "component": "blade_relief_a", "text": "Set to its value."}
DECISION = {
    "kind": "decision",
    "component": "blade_relief_a",
    "mode": "set_low",
    "share": 0.97,
    "action": "Set it.",
}


def machine_id(client: TestClient) -> int:
    machines = client.get("/api/workshop").json()["machines"]
    return next(int(m["id"]) for m in machines if m["serial"] == SERIAL)


def opened(client: TestClient, complaint: str = "It does not pack") -> str:
    answer = client.post(
        "/api/jobs",
        json={"machine_id": machine_id(client), "complaint": complaint},
        headers={"idempotency-key": uuid.uuid4().hex},
    )
    assert answer.status_code == 201
    return str(answer.json()["id"])


def add(client: TestClient, job: str, *entries: dict[str, Any]) -> None:
    for data in entries:
        assert post(client, job, data).status_code == 201


def read(value: float, **other: Any) -> dict[str, Any]:
    return {**STALLED, "value": value, **other}


def record(client: TestClient) -> dict[str, Any]:
    answer = client.get(f"/api/machines/{machine_id(client)}")
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def mended(client: TestClient, *proof: dict[str, Any]) -> str:
    """A job that found a part, repaired it and read again."""
    job = opened(client)
    add(client, job, read(150.0), DECISION, REPAIR, *proof)
    return job


@pytest.mark.parametrize("number", ["0", "999999", "2147483648", "x"])
def test_a_machine_that_is_not_there_is_said(client: TestClient, number: str) -> None:
    answer = client.get(f"/api/machines/{number}")
    assert answer.status_code in (404, 422)
    assert answer.headers["content-type"] == "application/problem+json"


def test_a_finished_job_leaves_a_baseline_a_trend_and_what_was_done(client: TestClient) -> None:
    assert record(client)["baseline"] == []
    job = mended(client, read(184.0))
    found = record(client)
    newest = found["jobs"][0]
    assert newest["id"] == job
    assert newest["found"] == "Port relief, blade extend"
    assert [d["text"] for d in newest["done"]] == ["Set to its value."]
    (trend,) = [t for t in found["trends"] if t["state"] == STALLED["state"]]
    here = [r for r in trend["readings"] if r["job"] == job]
    assert [(r["value"], r["after_repair"]) for r in here] == [(150.0, False), (184.0, True)]
    assert [r["verdict"] for r in here] == ["low", "pass"]
    assert trend["low"] < 184.0
    (earlier,) = found["baseline"]
    assert "184 bar" in earlier["words"]
    assert earlier["renewed_since"] == []


def test_the_next_job_is_weighed_with_it(client: TestClient, work_off: WorkOff) -> None:
    mended(client, read(184.0))
    job = opened(client, "Slow again")
    add(client, job, read(171.0))
    work_off()
    answer = client.get(f"/api/jobs/{job}/diagnosis").json()
    assert answer["pending"] == []
    assert answer["diagnosis"]["earlier_readings"] == 1
    # The same job as a file is weighed the same.
    written = client.get(f"/api/jobs/{job}/export").json()
    (earlier,) = written["machine"]["baseline"]
    assert earlier["reading"]["value"] == 184.0
    # Nothing of it is a reading of this job, or a reason of it.
    reasons = answer["diagnosis"]["suspects"][0]["reasons"]
    assert len(reasons) == 1


def test_a_job_that_failed_its_proof_leaves_none(client: TestClient) -> None:
    mended(client, read(184.0), read(60.0, point="blade_port_b", state="blade_retract_stalled"))
    assert record(client)["baseline"] == []
    mended(client, read(183.0))
    mended(client, read(150.0))
    assert ["183 bar" in e["words"] for e in record(client)["baseline"]] == [True]


@pytest.mark.parametrize(
    "after",
    [
        {
            "kind": "behaviour",
            "id": "b",
            "function": "blade",
            "move": "extend",
            "how": "slow",
            "when": "warm",
        },
        {**DECISION, "component": "pump", "mode": "worn"},
    ],
    ids=["still slow", "another part"],
)
def test_a_repair_that_did_not_help_leaves_none(client: TestClient, after: dict[str, Any]) -> None:
    mended(client, read(184.0), after)
    assert record(client)["baseline"] == []


@pytest.mark.parametrize(("peak_bar", "left"), [(None, 1), (0.0, 0)])
def test_what_fails_in_time_after_a_repair_leaves_none(peak_bar: float | None, left: int) -> None:
    """It is no part of a baseline itself, but speaks against there being one."""
    circuit = load_circuit("hauler_fan")
    spec = next(s for s in circuit.specifications if s.quantity == "peak_bar")
    assert spec.low is not None
    fine = spec.low if spec.high is None else 0.5 * (spec.low + spec.high)
    peak = {**STALLED, "point": spec.point, "quantity": spec.quantity, "state": spec.state}
    steady = {**STALLED, "point": circuit.test_points[0].id, "state": "parked", "value": 1.0}
    documents = [
        {"kind": "repair", "component": circuit.components[0].id, "mode": "", "text": "Done."},
        steady,
        {**peak, "value": fine if peak_bar is None else peak_bar},
    ]
    job = JobRow(
        hours=100.0,
        circuit_revision=CircuitRevision(document=circuit.model_dump(mode="json")),
        entries=[
            EntryRow(id=uuid.uuid4(), sequence=n, kind=d["kind"], document=d)
            for n, d in enumerate(documents, 1)
        ],
    )
    assert len(left_by([job], set(), load_jobs()[0].instruments)) == left


def test_readings_before_a_repair_and_withdrawn_repairs_leave_none(client: TestClient) -> None:
    job = opened(client)
    add(client, job, read(184.0))
    answer = post(client, job, REPAIR)
    assert record(client)["baseline"] == []
    add(client, job, read(185.0))
    assert len(record(client)["baseline"]) == 1
    gone = {"kind": "withdrawal", "reason": "was not done"}
    assert post(client, job, gone, supersedes=answer.json()["entry"]["id"]).status_code == 201
    assert record(client)["baseline"] == []


def test_the_newest_of_each_place_counts_and_what_was_renewed_since(client: TestClient) -> None:
    mended(client, read(184.0))
    other = opened(client)
    add(client, other, {**REPAIR, "component": "pump"}, read(182.0, state="blade_retract_stalled"))
    found = {e["words"].split(" — ")[1]: e for e in record(client)["baseline"]}
    assert found["Blade held out at its stop"]["renewed_since"] == ["Gear pump 51 cm³"]
    assert found["Blade held in at its stop"]["renewed_since"] == []
    mended(client, read(186.0))
    newest = [e for e in record(client)["baseline"] if "held out" in e["words"]]
    assert len(newest) == 1
    assert "186 bar" in newest[0]["words"]


def test_nothing_wrong_closes_a_job_and_leaves_a_baseline(client: TestClient) -> None:
    """Reference readings of a machine in order: no part, no repair."""
    job = opened(client, "Reference readings")
    add(
        client,
        job,
        read(184.0),
        read(
            76.0,
            point="blade",
            quantity="speed_mm_s",
            state="blade_extend_free",
            unit="mm/s",
            instrument=None,
        ),
    )
    assert record(client)["baseline"] == []
    add(client, job, {"kind": "in_order", "text": "As it should be."})
    found = record(client)
    assert len(found["baseline"]) == 2
    past = next(j for j in found["jobs"] if j["id"] == job)
    assert (past["found"], past["in_order"]) == (None, "As it should be.")
    closed = client.get("/api/jobs", params={"decided": True}).json()["jobs"]
    (card,) = [j for j in closed if j["id"] == job]
    assert card["in_order"]["text"] == "As it should be."
    assert card["decision"] is None
    assert all(j["id"] != job for j in client.get("/api/jobs?decided=false").json()["jobs"])
    view = client.get(f"/api/jobs/{job}").json()
    assert view["in_order"]["text"] == "As it should be."
    assert view["entries"][-1]["words"] == "In order: As it should be."


def test_a_later_decision_takes_its_place(client: TestClient) -> None:
    job = opened(client)
    add(client, job, read(184.0), {"kind": "in_order", "text": "Nothing."}, DECISION)
    view = client.get(f"/api/jobs/{job}").json()
    assert view["in_order"] is None
    assert view["decision"]["component"] == DECISION["component"]
    assert record(client)["baseline"] == []


def test_a_baseline_settles_numbers_of_the_circuit(client: TestClient) -> None:
    assert record(client)["settled"] == []
    job = opened(client, "Reference readings")
    add(client, job, read(187.0), {"kind": "in_order", "text": "Fine."})
    settled = record(client)["settled"]
    assert settled
    for number in settled:
        assert number["spread"] < number["spread_before"]
        assert number["unit"]
        assert number["description"]


def test_hours_change_on_the_machine_and_stay_with_its_jobs(client: TestClient) -> None:
    number = machine_id(client)
    before = opened(client, "Before")
    answer = client.patch(f"/api/machines/{number}", json={"hours": 9001.5, "recent_work": "Oil."})
    assert answer.status_code == 200
    assert answer.json()["hours"] == 9001.5
    after = opened(client, "After")
    hours = {j["id"]: j["hours"] for j in record(client)["jobs"]}
    assert hours[after] == 9001.5
    assert hours[before] != 9001.5
    assert client.patch(f"/api/machines/{number}", json={}).json()["recent_work"] == "Oil."


@pytest.mark.parametrize(
    "body",
    [{"hours": -1}, {"hours": 1e9}, {"name": ""}, {"serial": "other"}, {"owner": "a\u0000b"}],
)
def test_a_change_that_cannot_be_is_refused_and_changes_nothing(
    client: TestClient, body: dict[str, Any]
) -> None:
    before = record(client)["machine"]
    answer = client.patch(f"/api/machines/{machine_id(client)}", json=body)
    assert answer.status_code == 422
    assert record(client)["machine"] == before


def test_another_workshops_machine_is_not_there(workshop: Engine) -> None:
    with Session(workshop) as session:
        other = Workshop(name="Another workshop")
        session.add(other)
        session.flush()
        mine = Store.only(session)
        machine = session.scalars(select(Machine)).first()
        assert machine is not None
        foreign = Store(session, other)
        with pytest.raises(NotFoundError):
            foreign.machine(machine.id)
        assert next_baseline(foreign, machine) == ()
        assert mine.machine(machine.id) is machine


def test_a_baseline_has_an_end(client: TestClient, workshop: Engine) -> None:
    job = opened(client)
    add(client, job, REPAIR)
    points = ["block_gauge", "pump_outlet", "blade_port_a", "blade_port_b", "return_gauge"]
    places = [
        (p, s) for p in points for s in ("blade_extend_free", "tailgate_raise", "tailgate_lower")
    ]
    for point, state in places:
        found = post(client, job, read(20.0, point=point, state=state))
        assert found.status_code == 201, found.text
    with Session(workshop) as session:
        store = Store.only(session)
        row = session.get(JobRow, uuid.UUID(job))
        assert row is not None
        kept = next_baseline(store, row.machine)
        assert len(kept) == MOST_EARLIER
        # The newest of them.
        assert kept[0].reading.point == places[-1][0]


def test_the_demos_finished_jobs_leave_trends_and_a_baseline(
    client: TestClient, workshop: Engine
) -> None:
    with Session(workshop) as session:
        bundle = demo_bundle(earlier_jobs(), [load_circuit("packer_truck")])
        keep_bundle(Store.only(session), bundle)
        session.commit()
    found = record(client)
    assert [j["hours"] for j in found["jobs"]] == [6240, 4870, 3120]
    assert all(j["found"] and j["done"] for j in found["jobs"][1:])
    assert len(found["baseline"]) == 4
    failed = {r["verdict"] for t in found["trends"] for r in t["readings"] if not r["after_repair"]}
    assert failed & {"low", "high"}
    proofs = [r["verdict"] for t in found["trends"] for r in t["readings"] if r["after_repair"]]
    assert proofs
    assert set(proofs) <= {"pass", "marginal"}


def experience(client: TestClient) -> dict[str, Any]:
    answer = client.get("/api/workshop/experience")
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def lines(found: dict[str, Any]) -> dict[str, dict[str, Any]]:
    return {f"{line['type']}:{line['mode']}": line for line in found["lines"]}


FOUND = "relief_valve:set_low"


def test_a_find_counts_once_it_is_proved_and_is_believed_once_it_is_taken_over(
    client: TestClient, work_off: WorkOff
) -> None:
    assert experience(client)["lines"] == []
    job = mended(client)
    assert experience(client)["jobs"] == 0, "nothing was read since"
    add(client, job, read(184.0))
    work_off()
    found = experience(client)
    assert (found["jobs"], found["pending"], found["taken_at"]) == (1, 0, None)
    line = lines(found)[FOUND]
    assert line["found"] == 1
    assert 0.0 < line["expected"] < 1.0
    assert line["factor"] > 1.0 == line["in_use"]
    assert sum(one["expected"] for one in found["lines"]) <= 1.0

    other = opened(client, "Slow")
    add(
        client,
        other,
        {"kind": "behaviour", "id": "a", "function": "blade", "move": "extend", "how": "slow"},
    )
    work_off()
    before, words = share_of(client, other)
    assert words == []

    taken = client.post("/api/workshop/experience").json()
    assert lines(taken)[FOUND]["in_use"] == pytest.approx(line["factor"])
    assert taken["taken_jobs"] == 1
    after, words = share_of(client, other)
    assert after > before
    assert len(words) == 1
    # The same job as a file is weighed the same.
    written = client.get(f"/api/jobs/{other}/export").json()
    assert any(e["found"] == 1 for e in written["machine"]["experience"])

    assert client.delete("/api/workshop/experience").status_code == 204
    assert share_of(client, other)[0] == pytest.approx(before)


def share_of(client: TestClient, job: str) -> tuple[float, list[str]]:
    suspects = client.get(f"/api/jobs/{job}/diagnosis").json()["diagnosis"]["suspects"]
    (mine,) = [s for s in suspects if s["key"] == "blade_relief_a:set_low"]
    return mine["share"], mine["experience"]


def test_a_repair_that_failed_its_proof_is_no_find(client: TestClient, work_off: WorkOff) -> None:
    mended(client, read(150.0))
    mended(client, read(184.0), {**DECISION, "component": "pump", "mode": "worn"})
    work_off()
    assert experience(client)["jobs"] == 0


def test_counts_that_are_not_complete_are_not_taken_over(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    def not_there(*_: object) -> None:
        raise NotPlayedError("neutral")

    mended(client, read(184.0))
    monkeypatch.setattr("umweg.web.experience.expected_shares", not_there)
    assert experience(client)["pending"] == 1
    answer = client.post("/api/workshop/experience")
    assert answer.status_code == 409
    assert "still being played" in answer.text
