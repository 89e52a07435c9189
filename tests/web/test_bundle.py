"""A job as one file: out with everything, and in again without loss, once and whole."""

import copy
import io
import json
import re
import uuid
import zipfile
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from tests.web.conftest import WorkOff
from tests.web.test_api import NOTE, READING, job_id, open_job, post
from umweg.core.errors import FormatError
from umweg.db.bundle import bundle_of, bundles_in, keep_bundle, own_id, read_bundle
from umweg.db.models import CircuitRevision, EntryRow, JobRow
from umweg.db.store import NotFoundError, Store

UUIDS = re.compile(r"[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}")


def add(client: TestClient, job: str, data: dict[str, Any], **more: Any) -> str:
    answer = post(client, job, data, **more)
    assert answer.status_code == 201, answer.text
    return str(answer.json()["entry"]["id"])


@pytest.fixture
def written(client: TestClient) -> dict[str, Any]:
    """A job with a correction, an acceptance, a decision, a repair and a withdrawal."""
    job = job_id(client)
    wrong = add(client, job, READING)
    right = add(client, job, {**READING, "value": 1830}, supersedes=wrong)
    add(client, job, {"kind": "acceptance", "reading": right, "reason": "works hard"})
    note = add(client, job, {"kind": "note", "text": "smells of µ-oil, “burnt”"})
    add(client, job, {"kind": "withdrawal", "reason": "no"}, supersedes=note)
    add(client, job, {"kind": "repair", "component": "pump", "text": "renewed"})
    answer = client.get(f"/api/jobs/{job}/bundle")
    assert answer.status_code == 200
    found: dict[str, Any] = answer.json()
    return found


def elsewhere(bundle: dict[str, Any], serial: str) -> dict[str, Any]:
    """The same as another workshop would have written it: its own ids, another machine."""
    ids = {}
    for job in bundle["jobs"]:
        for old in (job["id"], *(e["id"] for e in job["entries"])):
            ids[old] = str(uuid.uuid5(uuid.NAMESPACE_URL, serial + old))

    def renamed(value: Any) -> Any:
        if isinstance(value, dict):
            return {k: renamed(v) for k, v in value.items()}
        if isinstance(value, list):
            return [renamed(v) for v in value]
        return ids.get(value, value) if isinstance(value, str) else value

    moved: dict[str, Any] = renamed(copy.deepcopy(bundle))
    for job in moved["jobs"]:
        job["machine"]["serial"] = serial
        job["reference"] = None
    return moved


def without_ids(bundle: dict[str, Any]) -> str:
    """A bundle with every id replaced by the order in which it first comes."""
    seen: dict[str, str] = {}
    text = str(bundle)
    return UUIDS.sub(lambda m: seen.setdefault(m.group(), f"#{len(seen)}"), text)


def test_what_comes_back_is_what_went_out(client: TestClient, written: dict[str, Any]) -> None:
    moved = elsewhere(written, "R18-9999")
    kept = client.post("/api/jobs/bundle", json=moved)
    assert kept.status_code == 201, kept.text
    (job,) = kept.json()["jobs"]
    again = client.get(f"/api/jobs/{job}/bundle").json()
    assert without_ids(again) == without_ids(moved)
    assert len(again["jobs"][0]["entries"]) == 12
    # A reference is kept where nobody else has it.
    named = elsewhere(written, "R18-9996")
    named["jobs"][0]["reference"] = "ours-17"
    (other,) = client.post("/api/jobs/bundle", json=named).json()["jobs"]
    assert client.get(f"/api/jobs/{other}/bundle").json()["jobs"][0]["reference"] == "ours-17"
    taken = elsewhere(written, "R18-9995")
    taken["jobs"][0]["reference"] = "ours-17"
    (third,) = client.post("/api/jobs/bundle", json=taken).json()["jobs"]
    assert client.get(f"/api/jobs/{third}/bundle").json()["jobs"][0]["reference"] is None
    view = client.get(f"/api/jobs/{job}").json()
    assert view["machine"]["serial"] == "R18-9999"
    standing = [e for e in view["entries"] if e["standing"]]
    # Corrected, and withdrawn with its withdrawal: three of twelve do not stand.
    assert len(standing) == len(view["entries"]) - 3


def test_twice_is_once(client: TestClient, written: dict[str, Any], engine: Engine) -> None:
    moved = elsewhere(written, "R18-9998")
    first, second = (client.post("/api/jobs/bundle", json=moved).json() for _ in range(2))
    assert first == second
    # The file of a job that is here already changes nothing of it.
    assert client.post("/api/jobs/bundle", json=written).json()["jobs"] == [job_id(client)]
    with Session(engine) as session:
        assert session.scalar(select(func.count()).select_from(JobRow)) == 4
        assert session.scalar(select(func.count()).select_from(EntryRow)) == sum(
            len(client.get(f"/api/jobs/{c['id']}").json()["entries"])
            for c in client.get("/api/jobs").json()["jobs"]
        )


def test_a_job_that_went_on_elsewhere_gets_what_is_new(
    client: TestClient, written: dict[str, Any]
) -> None:
    moved = elsewhere(written, "R18-9997")
    (job,) = client.post("/api/jobs/bundle", json=moved).json()["jobs"]
    before = client.get(f"/api/jobs/{job}").json()["entries"]
    more = copy.deepcopy(moved)
    last = more["jobs"][0]["entries"][-1]
    more["jobs"][0]["entries"].append(
        {**last, "id": str(uuid.uuid4()), "data": {"kind": "note", "text": "later"}}
    )
    assert client.post("/api/jobs/bundle", json=more).json()["jobs"] == [job]
    after = client.get(f"/api/jobs/{job}").json()["entries"]
    assert [e["id"] for e in after[:-1]] == [e["id"] for e in before]
    assert after[-1]["data"]["text"] == "later"


def test_another_circuit_of_a_known_name_is_the_machines_own(
    client: TestClient, written: dict[str, Any], engine: Engine
) -> None:
    moved = elsewhere(written, "R18-7")
    moved["circuits"][0]["name"] = "rebuilt in 1998"
    (job,) = client.post("/api/jobs/bundle", json=moved).json()["jobs"]
    again = client.get(f"/api/jobs/{job}/bundle").json()
    own = own_id(written["circuits"][0]["id"], "R18-7")
    assert again["circuits"][0]["id"] == own
    assert again["circuits"][0] | {"id": ""} == moved["circuits"][0] | {"id": ""}
    with Session(engine) as session:
        newest = Store.only(session).newest_revision(written["circuits"][0]["id"])
        assert newest.workshop_id is None, "the library's own still comes first for all others"
        mine = session.scalars(select(CircuitRevision).where(CircuitRevision.circuit_id == own))
        assert mine.one().workshop_id is not None


@pytest.mark.parametrize(
    ("spoil", "told"),
    [
        (lambda b: b["jobs"][0].update(circuit="no_such"), "no_such"),
        (lambda b: b["jobs"][0]["entries"][-1].update(supersedes=str(uuid.uuid4())), "corrects"),
        (lambda b: b["jobs"][0]["entries"].append(b["jobs"][0]["entries"][0]), "twice"),
        (lambda b: b["jobs"][0]["machine"].update(serial=""), "serial"),
        (lambda b: b["circuits"][0]["components"].pop(), "problem"),
        (lambda b: b["jobs"][0]["machine"].update(name="n" * 201), "200 characters"),
        (lambda b: b["jobs"][0]["machine"].update(recent_work="w" * 2001), "2000 characters"),
        (lambda b: b["jobs"][0].update(opened_at="0001-01-01T00:00:00+14:00"), "1970"),
        (lambda b: b["jobs"][0].update(opened_at="2026-01-01T00:00:00"), "timezone"),
        (lambda b: b["jobs"][0]["entries"][0].update(created_at="9999-12-31T23:59:59Z"), "2200"),
    ],
)
def test_a_bad_file_is_refused_whole_with_its_mistake(
    client: TestClient, written: dict[str, Any], engine: Engine, spoil: Any, told: str
) -> None:
    moved = elsewhere(written, "R18-6")
    good = elsewhere(written, "R18-5")
    moved["jobs"] = [good["jobs"][0], moved["jobs"][0]]
    spoil({**moved, "jobs": moved["jobs"][1:]})
    answer = client.post("/api/jobs/bundle", json=moved)
    assert answer.status_code == 422
    assert told in answer.text
    with Session(engine) as session:
        assert session.scalar(select(func.count()).select_from(JobRow)) == 3


def test_a_file_is_read_as_it_was_written(client: TestClient, engine: Engine) -> None:
    """What the command line does: by reference out, text between, and in."""
    del client
    with Session(engine) as session:
        store = Store.only(session)
        rows = [store.named_job(j) for j in ("packer_weak", "tail_lift_no_lift")]
        text = bundle_of(rows).model_dump_json()
        assert [r.id for r in keep_bundle(store, read_bundle(text))] == [r.id for r in rows]
        with pytest.raises(NotFoundError, match="no job “nobody”"):
            store.named_job("nobody")
    with pytest.raises(FormatError, match="umweg-bundle/1"):
        read_bundle('{"format": "umweg-job/1"}')


def test_a_clients_own_keys_are_never_taken_for_a_bundles(
    client: TestClient, written: dict[str, Any]
) -> None:
    """A key may say anything: one that begins as ours do ends no import."""
    job = job_id(client)
    assert post(client, job, NOTE, "bundle-no-uuid-at-all").status_code == 201
    assert client.post("/api/jobs/bundle", json=written).json()["jobs"] == [job]
    moved = elsewhere(written, "R18-9994")
    other = client.get("/api/workshop").json()["machines"][0]["id"]
    opened = open_job(client, other, "something else", f"bundle-{moved['jobs'][0]['id']}")
    assert opened.status_code == 201
    refused = client.post("/api/jobs/bundle", json=moved)
    assert refused.status_code == 409
    assert "used to open another one" in refused.text
    assert client.get(f"/api/jobs/{opened.json()['id']}").json()["entries"] == []


def test_all_jobs_are_written_by_a_worker_as_files_that_are_read_in(
    client: TestClient, work_off: WorkOff, written: dict[str, Any]
) -> None:
    asked = client.post("/api/exports").json()
    assert asked["pending"]
    assert client.get(f"/api/exports/{asked['standing']}.zip").status_code == 404
    work_off()
    again = client.post("/api/exports").json()
    assert again == {"standing": asked["standing"], "pending": False}
    answer = client.get(f"/api/exports/{asked['standing']}.zip")
    assert answer.headers["content-type"] == "application/zip"
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        names = archive.namelist()
        bundles = [read_bundle(archive.read(name)) for name in names]
    assert names == ["packer_truck-r1.json", "tail_lift-r1.json"]
    jobs = {str(job.id): job for b in bundles for job in b.jobs}
    listed = client.get("/api/jobs", params={"limit": 100}).json()["jobs"]
    assert set(jobs) == {j["id"] for j in listed}
    (own,) = written["jobs"]
    assert len(jobs[own["id"]].entries) == len(own["entries"])
    # Another entry, and it stands otherwise: what was written before is not given out as all.
    post(client, own["id"], NOTE)
    newer = client.post("/api/exports").json()
    assert newer["standing"] != asked["standing"]
    work_off()
    assert not client.post("/api/exports").json()["pending"]
    # The one before gives way: archives do not heap up.
    assert client.get(f"/api/exports/{asked['standing']}.zip").status_code == 404


def test_a_machine_that_is_not_the_same_here_is_asked_about(
    client: TestClient, written: dict[str, Any], engine: Engine
) -> None:
    """Once is once: what differs is named, and whoever says so keeps the machine as it is here."""
    moved = elsewhere(written, "R18-77")
    first = client.post("/api/jobs/bundle", json=moved)
    assert first.status_code == 201
    moved["jobs"][0]["machine"]["owner"] = "Kern & Sons"
    asked = client.post("/api/jobs/bundle", json=moved)
    assert asked.status_code == 409
    assert asked.json()["type"] == "urn:umweg:machine_differs"
    assert "Kern & Sons" in asked.text
    again = client.post("/api/jobs/bundle", json=moved, params={"keep_mine": True})
    assert again.status_code == 201
    assert again.json() == first.json()
    with Session(engine) as session:
        there = Store.only(session).machine_of_serial("R18-77")
        assert there is not None
        assert there.owner != "Kern & Sons"


def test_many_jobs_come_back_whatever_their_size(
    client: TestClient, written: dict[str, Any], tmp_path: Path
) -> None:
    """More than a request of any other kind may have, and an archive of several files."""
    moved = elsewhere(written, "R18-78")
    note = {"kind": "note", "text": "x" * 1900}
    job = moved["jobs"][0]
    job["entries"] += [
        {"id": str(uuid.uuid4()), "data": note, "created_at": job["opened_at"]} for _ in range(200)
    ]
    answer = client.post("/api/jobs/bundle", json=moved)
    assert answer.status_code == 201
    back = client.get(f"/api/jobs/{answer.json()['jobs'][0]}/bundle").json()
    assert len(back["jobs"][0]["entries"]) == len(job["entries"])
    archive = tmp_path / "all.zip"
    with zipfile.ZipFile(archive, "w") as files:
        files.writestr("one.json", json.dumps(moved))
        files.writestr("two.json", json.dumps(elsewhere(written, "R18-79")))
        files.writestr("readme.txt", "no bundle")
    found = [read_bundle(text) for text in bundles_in(archive)]
    assert [b.jobs[0].machine.serial for b in found] == ["R18-78", "R18-79"]
    assert len(read_bundle(" " * 6_000_000 + json.dumps(moved)).jobs) == 1
