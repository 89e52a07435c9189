"""The API on a real PostgreSQL: entries are kept once, corrected by superseding, never lost."""

import csv
import io
import uuid
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from alembic import command
from fastapi.testclient import TestClient
from sqlalchemy import Engine, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from tests.web.conftest import WorkOff, demo
from umweg.core.errors import CircuitError
from umweg.core.observe.job import read_job
from umweg.db import store
from umweg.db.entries import ENTRY, record_of
from umweg.db.migrate import alembic_config
from umweg.library import load_circuit
from umweg.web.app import create_app
from umweg.web.exports import _plain

READING: dict[str, Any] = {
    "kind": "reading",
    "id": "new",
    "point": "blade_port_a",
    "quantity": "pressure_bar",
    "state": "blade_a_blocked",
    "value": 1825,
    "unit": "psi",
    "instrument": "gauge_400",
    "repeats": [1835],
}
NOTE: dict[str, Any] = {"kind": "note", "text": "Filter smells burnt."}


def job_id(client: TestClient, serial: str = "R18-0417") -> str:
    return str(
        next(
            j["id"]
            for j in client.get("/api/jobs").json()["jobs"]
            if j["machine"]["serial"] == serial
        )
    )


def post(
    client: TestClient, job: str, data: dict[str, Any], key: str | None = None, **more: Any
) -> Any:
    return client.post(
        f"/api/jobs/{job}/entries",
        json={"data": data, **more},
        headers={"Idempotency-Key": key or str(uuid.uuid4())},
    )


def open_job(client: TestClient, machine: int, complaint: str, key: str | None = None) -> Any:
    return client.post(
        "/api/jobs",
        json={"machine_id": machine, "complaint": complaint},
        headers={"Idempotency-Key": key or str(uuid.uuid4())},
    )


def cards_of(client: TestClient, **query: Any) -> list[Any]:
    found: list[Any] = client.get("/api/jobs", params=query).json()["jobs"]
    return found


def settled_cards(client: TestClient, work_off: WorkOff) -> list[Any]:
    """The list of jobs once nothing is being worked out any more."""
    cards_of(client)
    work_off()
    cards = cards_of(client)
    assert not any(c["pending"] for c in cards)
    return cards


def diagnosis_of(client: TestClient, job: str) -> Any:
    """What is known about a job at once."""
    return client.get(f"/api/jobs/{job}/diagnosis").json()["diagnosis"]


def test_list_is_there_at_once_and_says_what_is_still_worked_out(client: TestClient) -> None:
    cards = cards_of(client)
    assert len(cards) == 3
    assert all(c["pending"] and c["leader"] is None for c in cards)


def test_list_says_machine_complaint_progress_and_next(
    client: TestClient, work_off: WorkOff
) -> None:
    cards = settled_cards(client, work_off)
    assert len(cards) == 3
    weak = next(c for c in cards if c["machine"]["serial"] == "R18-0417")
    assert weak["complaint"].startswith("Blade stalls")
    assert weak["observations"] == 6
    assert "Port relief, blade extend" in weak["leader"]
    assert weak["next"]
    assert weak["decision"] is None


def test_a_reading_is_kept_as_taken_judged_and_weighed(client: TestClient) -> None:
    job = job_id(client)
    before = diagnosis_of(client, job)
    answer = post(client, job, READING)
    assert answer.status_code == 201
    entry = answer.json()["entry"]
    assert entry["data"]["value"] == 1825
    assert entry["data"]["unit"] == "psi"
    assert entry["value_base"] == pytest.approx(1830 * 0.0689475729)
    assert entry["verdict"]["word"] == "low"
    after = answer.json()["answer"]["diagnosis"]
    assert after["suspects"][0]["component"] == "blade_relief_a"
    assert len(after["suspects"][0]["reasons"]) == len(before["suspects"][0]["reasons"]) + 1
    assert diagnosis_of(client, job) == after


def test_the_same_key_keeps_one_entry(client: TestClient) -> None:
    job = job_id(client)
    key = str(uuid.uuid4())
    first = post(client, job, READING, key)
    again = post(client, job, READING, key)
    assert first.json()["entry"]["id"] == again.json()["entry"]["id"]
    assert len(client.get(f"/api/jobs/{job}").json()["entries"]) == 7
    other = post(client, job, NOTE, key)
    assert other.status_code == 409
    assert "used for another entry" in other.json()["detail"]


def test_an_entry_that_came_twice_at_once_stands_for_both(
    client: TestClient, workshop: Engine
) -> None:
    """A page that is reloaded sends again what the server is still writing."""
    job = uuid.UUID(job_id(client))
    data = ENTRY.validate_python(NOTE)
    with Session(workshop) as slow:
        late = store.Store.only(slow)
        row = late.job(job)
        with Session(workshop) as quick:
            first = store.Store.only(quick)
            first.add_entry(first.job(job), store.NewEntry(data, "reloaded"))
            quick.commit()
        again = late.add_entry(row, store.NewEntry(data, "reloaded"))
        assert again.id in record_of(row.entries).standing


def test_a_correction_supersedes_and_both_stand_in_the_record(client: TestClient) -> None:
    job = job_id(client)
    wrong = post(client, job, {**READING, "value": 2500, "repeats": []}).json()["entry"]
    right = post(client, job, READING, supersedes=wrong["id"])
    assert right.status_code == 201
    entries = client.get(f"/api/jobs/{job}").json()["entries"]
    assert len(entries) == 8
    standing = {e["id"]: e["standing"] for e in entries}
    assert standing[wrong["id"]] is False
    assert standing[right.json()["entry"]["id"]] is True
    twice = post(client, job, NOTE, supersedes=wrong["id"])
    assert twice.status_code == 409
    assert "corrected already" in twice.json()["detail"]


def test_a_withdrawn_observation_no_longer_counts(client: TestClient) -> None:
    job = job_id(client)
    before = diagnosis_of(client, job)
    kept = post(client, job, READING).json()["entry"]
    post(client, job, {"kind": "withdrawal", "reason": "wrong port"}, supersedes=kept["id"])
    after = diagnosis_of(client, job)
    shares = [[s["share"] for s in d["suspects"]] for d in (before, after)]
    assert shares[0] == pytest.approx(shares[1])


def test_stale_writers_are_told(client: TestClient) -> None:
    job = job_id(client)
    post(client, job, NOTE, expected_sequence=6)
    stale = post(client, job, NOTE, expected_sequence=6)
    assert stale.status_code == 409
    assert "the job has 7 entries, not 6" in stale.json()["detail"]


def test_writers_at_the_same_moment_lose_nothing(client: TestClient) -> None:
    job = job_id(client)
    with ThreadPoolExecutor(6) as pool:
        answers = list(
            pool.map(lambda n: post(client, job, {"kind": "note", "text": f"{n}"}), range(12))
        )
    assert all(a.status_code == 201 for a in answers)
    entries = client.get(f"/api/jobs/{job}").json()["entries"]
    assert [e["sequence"] for e in entries] == list(range(1, 19))


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"point": "cab"}, "cannot be read at “cab”"),
        ({"unit": "furlong"}, "is not a unit of pressure"),
        ({"state": "upside_down"}, "there is no state “upside_down”"),
        ({"value": "NaN"}, "not valid"),
    ],
)
def test_bad_input_is_refused_and_nothing_is_kept(
    client: TestClient, change: dict[str, Any], message: str
) -> None:
    job = job_id(client)
    answer = post(client, job, {**READING, **change})
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    body = answer.json()
    assert message in body["detail"] + " ".join(body["problems"])
    assert len(client.get(f"/api/jobs/{job}").json()["entries"]) == 6


@pytest.mark.parametrize(
    "data",
    [
        {"kind": "behaviour", "id": "x", "function": "crane", "move": "up", "how": "slow"},
        {
            "kind": "indicator",
            "id": "x",
            "component": "gone",
            "state": "neutral_rated",
            "tripped": True,
        },
        {
            "kind": "indicator",
            "id": "x",
            "component": "pump",
            "state": "neutral_rated",
            "tripped": True,
        },
        {"kind": "decision", "component": "gone", "mode": "worn", "share": 0.5, "action": "x"},
        {"kind": "acceptance", "reading": str(uuid.UUID(int=7)), "reason": "works hard"},
    ],
    ids=["function", "component", "no indicator", "decision", "acceptance"],
)
def test_entries_about_what_is_not_there_are_refused(
    client: TestClient, data: dict[str, Any]
) -> None:
    job = job_id(client)
    assert post(client, job, data).status_code == 422
    assert client.get(f"/api/jobs/{job}/diagnosis").status_code == 200


def test_a_missing_key_or_job_is_told(client: TestClient) -> None:
    job = job_id(client)
    assert client.post(f"/api/jobs/{job}/entries", json={"data": NOTE}).status_code == 422
    missing = client.get(f"/api/jobs/{uuid.uuid4()}")
    assert missing.status_code == 404
    assert missing.json()["type"] == "urn:umweg:not_found"


def test_opening_a_job_and_deciding_it(client: TestClient, work_off: WorkOff) -> None:
    machines = client.get("/api/workshop").json()["machines"]
    machine = next(m for m in machines if m["circuit_id"] == "packer_truck")
    opened = open_job(client, machine["id"], "Tailgate sinks")
    assert opened.status_code == 201
    job = opened.json()["id"]
    first = client.get(f"/api/jobs/{job}/diagnosis").json()
    assert first["diagnosis"]["explained"] is True
    assert first["pending"] == ["plan"]
    assert first["diagnosis"]["plan"] is None
    work_off()
    then = client.get(f"/api/jobs/{job}/diagnosis").json()
    assert then["pending"] == []
    assert then["question"] == first["question"]
    assert then["diagnosis"]["plan"]["next_steps"]
    post(
        client,
        job,
        {
            "kind": "decision",
            "component": "load_holding",
            "mode": "seat_leaks",
            "share": 0.9,
            "action": "Clean the cartridge.",
        },
    )
    assert client.get(f"/api/jobs/{job}").json()["decision"]["component"] == "load_holding"
    card = next(c for c in settled_cards(client, work_off) if c["id"] == job)
    assert card["decision"]["action"] == "Clean the cartridge."
    assert open_job(client, 9999, "x").status_code == 404


def test_the_same_key_opens_one_job(client: TestClient) -> None:
    machine = client.get("/api/workshop").json()["machines"][0]["id"]
    key = str(uuid.uuid4())
    first = open_job(client, machine, "Tailgate sinks", key)
    again = open_job(client, machine, "Tailgate sinks", key)
    assert first.json()["id"] == again.json()["id"]
    other = open_job(client, machine, "Blade is slow", key)
    assert other.status_code == 409
    assert len(cards_of(client)) == 4


def test_strip_shows_who_agreed_before_the_reading(client: TestClient) -> None:
    job = job_id(client)
    entry = post(client, job, READING).json()["entry"]
    strip = client.get(f"/api/jobs/{job}/entries/{entry['id']}/strip").json()
    assert strip["value"] == pytest.approx(126.2, abs=0.1)
    assert strip["healthy"]["low"] > 170
    leader = next(b for b in strip["by_suspect"] if b["key"] == "blade_relief_a:set_low")
    assert leader["low"] < strip["value"] < leader["high"]
    note = post(client, job, NOTE).json()["entry"]
    assert client.get(f"/api/jobs/{job}/entries/{note['id']}/strip").status_code == 404


def test_the_complaint_is_heard_in_words_that_can_be_tapped(client: TestClient) -> None:
    revision = client.get(f"/api/jobs/{job_id(client)}").json()["circuit_revision"]
    schematic = client.get(f"/api/circuits/{revision}/schematic").json()
    function = schematic["functions"][0]
    move = function["moves"][0]
    text = f"{function['label']} {move['label']}: dead"
    (first, *_) = client.get(f"/api/circuits/{revision}/heard", params={"text": text}).json()
    assert first["entry"]["function"] == function["id"]
    assert first["entry"]["how"] == "dead"
    assert client.get(f"/api/circuits/{revision}/heard").status_code == 422


def test_schematic_and_states(client: TestClient) -> None:
    job = client.get(f"/api/jobs/{job_id(client)}").json()
    base = f"/api/circuits/{job['circuit_revision']}"
    drawing = client.get(f"{base}/schematic").json()
    assert len(drawing["parts"]) == 27
    assert len(drawing["test_points"]) == 9
    state = client.get(f"{base}/states/blade_extend_stalled").json()
    assert state["nets"]["pump_out"]["value"] == pytest.approx(185.0, abs=1.0)
    relief = state["flows_lpm"]["main_relief.inlet"]
    assert relief == pytest.approx(-state["flows_lpm"]["pump.outlet"], rel=0.03)
    faulted = client.get(
        f"{base}/states/blade_extend_stalled", params={"suspect": "blade_relief_a:set_low"}
    ).json()
    assert faulted["nets"]["pump_out"]["value"] < 170
    assert client.get(f"{base}/states/flying").status_code == 422
    wrong = client.get(f"{base}/states/neutral_idle", params={"suspect": "x:y"})
    assert wrong.status_code == 422


def test_the_database_refuses_to_change_an_entry(client: TestClient, workshop: Engine) -> None:
    for statement in (
        "UPDATE entry SET kind = 'note'",
        "DELETE FROM entry",
        "UPDATE circuit_revision SET revision = 9",
    ):
        with pytest.raises(DBAPIError, match="append-only"), workshop.begin() as connection:
            connection.execute(text(statement))


def test_nothing_is_lost_when_the_application_restarts(
    client: TestClient, workshop: Engine
) -> None:
    job = job_id(client)
    post(client, job, READING)
    before = client.get(f"/api/jobs/{job}").json()
    with TestClient(create_app(workshop)) as restarted:
        assert restarted.get(f"/api/jobs/{job}").json() == before


def test_a_job_keeps_the_circuit_revision_it_used(client: TestClient, workshop: Engine) -> None:
    job = job_id(client)
    used = client.get(f"/api/jobs/{job}").json()["circuit_revision"]
    circuit = load_circuit("packer_truck")
    with Session(workshop) as session:
        same = store.keep_circuit(session, circuit)
        assert same.id == used, "an unchanged circuit makes no revision"
        newer = store.keep_circuit(session, circuit.model_copy(update={"name": "Changed"}))
        assert newer.revision == same.revision + 1
        session.commit()
    assert client.get(f"/api/jobs/{job}").json()["circuit_revision"] == used


def test_voltages_are_read_and_judged_like_pressures(client: TestClient) -> None:
    cards = cards_of(client)
    job = next(c for c in cards if c["machine"]["serial"] == "V8-2207")["id"]
    data = {
        "kind": "reading",
        "id": "new",
        "point": "plug_s1",
        "quantity": "voltage_v",
        "state": "lift_stop",
        "value": 6.1,
        "unit": "V",
        "instrument": "meter",
    }
    answer = post(client, job, data)
    assert answer.status_code == 201
    assert answer.json()["entry"]["verdict"]["word"] == "low"
    assert post(client, job, {**data, "unit": "bar"}).status_code == 422
    again = post(client, job, {**data, "value": 11.1}).json()
    assert again["entry"]["verdict"]["word"] == "pass"
    assert again["answer"]["diagnosis"]["suspects"][0]["key"] == "pendant_lift:never_makes"


def test_the_demo_is_loaded_once(workshop: Engine) -> None:
    with Session(workshop) as session:
        again = store.load_demo(session, "Test workshop", *demo())
        session.commit()
        assert again is False
        assert store.Store.only(session).jobs(store.JobsWanted())[1] == 3


def test_models_and_migrations_agree(workshop: Engine) -> None:
    config = alembic_config()
    with workshop.begin() as connection:
        config.attributes["connection"] = connection
        command.check(config)


def test_circuit_errors_are_problem_details(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> None:
        raise CircuitError("broken circuit")

    monkeypatch.setattr("umweg.db.store.Store.jobs", broken)
    answer = client.get("/api/jobs")
    assert answer.status_code == 422
    assert answer.json()["detail"] == "broken circuit"


def test_the_way_to_zero_of_a_circuit_and_its_entries(client: TestClient) -> None:
    job = client.get(f"/api/jobs/{job_id(client)}").json()
    found = client.get(f"/api/circuits/{job['circuit_revision']}/safe").json()
    assert not found["pending"]
    plan = found["plan"]
    assert plan["safe"]
    # The tailgate's load presses with 60 bar; held at its stop before, more is closed in.
    most = max(plan["lines"], key=lambda line: line["healthy_bar"])
    assert most["healthy_bar"] > 57
    assert most["because"] == ["Tailgate: its load"]
    assert "stop" in most["since"]
    read = next(s for s in plan["steps"] if s["kind"] == "read")
    entry = {"kind": "make_safe", "text": read["words"], "step": read["key"], "zero": True}
    kept = post(client, job["id"], entry).json()["entry"]
    assert kept["data"] == entry
    assert kept["standing"]
    assert client.get("/api/circuits/99999/safe").status_code == 404
    where = f"/api/circuits/{job['circuit_revision']}/safe"
    keys = [ask["key"] for ask in plan["asks"]]
    assert "drive" in keys
    # Every combination of what may not work is there, in whatever order it is asked for.
    without = client.get(where, params={"lack": list(reversed(keys))}).json()
    assert not without["pending"]
    assert without["plan"]["lacks"] == keys
    assert client.get(where, params={"lack": "patience"}).status_code == 422


def test_the_ways_of_a_circuit(client: TestClient) -> None:
    job = client.get(f"/api/jobs/{job_id(client)}").json()
    found = client.get(f"/api/circuits/{job['circuit_revision']}/trace").json()
    assert not found["pending"]
    moves = {(m["function"], m["move"]): m for m in found["trace"]["moves"]}
    way = [s["component"] for s in moves["blade", "extend"]["pressure"]]
    assert way[0] == "pump"
    assert "blade_section" in way
    parts = {p["component"]: p["moves"] for p in found["trace"]["parts"]}
    assert set(parts["tailgate_section"]) == {"tailgate.raise", "tailgate.lower"}


def test_a_job_comes_out_as_the_file_that_the_command_line_reads(client: TestClient) -> None:
    job = job_id(client)
    post(client, job, READING)
    answer = client.get(f"/api/jobs/{job}/export")
    assert answer.status_code == 200
    back = read_job(answer.content)
    assert back.circuit == "packer_truck"
    shown = client.get(f"/api/jobs/{job}").json()
    standing = [e for e in shown["entries"] if e["standing"]]
    assert [o.id for o in back.observations] == [e["id"] for e in standing]
    assert back.observations[-1].model_dump(mode="json", exclude={"id"}) == {
        **{k: v for k, v in standing[-1]["data"].items() if k != "id"}
    }
    assert {i.id for i in back.instruments}


def test_readings_come_out_as_a_table_and_formulas_as_text(client: TestClient) -> None:
    job = job_id(client)
    kept = post(client, job, {**READING, "repeats": [184.0, 185.5]}).json()["entry"]
    post(client, job, {"kind": "withdrawal", "reason": ""}, supersedes=kept["id"])
    answer = client.get(f"/api/jobs/{job}/readings.csv")
    assert answer.headers["content-type"].startswith("text/csv")
    assert "attachment" in answer.headers["content-disposition"]
    rows = list(csv.DictReader(io.StringIO(answer.text)))
    assert rows[-1]["standing"] == "no"
    assert rows[-1]["repeats"] == "184 185.5"
    assert rows[-1]["unit_base"] == "bar"
    assert float(rows[-1]["value"]) == READING["value"]
    assert client.get(f"/api/jobs/{uuid.uuid4()}/readings.csv").status_code == 404
    assert _plain("=1+1") == "'=1+1"
    assert _plain(-3.5) == -3.5


def test_a_repair_begins_a_new_epoch_of_the_machine(client: TestClient) -> None:
    job = job_id(client)
    before = client.get(f"/api/jobs/{job}/diagnosis").json()["question"]
    decision = {
        "kind": "decision",
        "component": "blade_relief_a",
        "mode": "set_low",
        "share": 0.9,
        "action": "Set it.",
    }
    assert post(client, job, decision).status_code == 201
    repair = {"kind": "repair", "component": "blade_relief_a", "mode": "set_low", "text": "Set."}
    kept = post(client, job, repair).json()
    assert kept["entry"]["words"] == "Repaired: Port relief, blade extend. Set."
    assert kept["answer"]["question"] != before
    # Nothing that was read of the machine as it was is weighed any more.
    exported = client.get(f"/api/jobs/{job}/export")
    assert exported.json()["observations"] == []
    history = read_job(exported.content).machine.history
    assert (history.renewed, history.cured) == (("blade_relief_a:set_low",), 0.9)
    added = post(client, job, {**READING, "repeats": []}).json()
    assert len(client.get(f"/api/jobs/{job}/export").json()["observations"]) == 1
    shown = {s["key"]: s["share"] for s in added["answer"]["diagnosis"]["suspects"]}
    # One reading against it, not repeated, and still nobody is likelier than that the repair was right.
    assert max(shown, key=lambda key: shown[key]) == "healthy"
    wrong = {**repair, "component": "flux_capacitor"}
    assert post(client, job, wrong).status_code == 422
    post(client, job, {"kind": "withdrawal", "reason": ""}, supersedes=kept["entry"]["id"])
    undone = client.get(f"/api/jobs/{job}/export")
    assert len(undone.json()["observations"]) > 1
    assert read_job(undone.content).machine.history.renewed == ()


@pytest.mark.parametrize("sign", ["%", "_", "\\"])
def test_signs_of_the_database_are_letters_in_a_search(client: TestClient, sign: str) -> None:
    machine = client.get("/api/jobs").json()["jobs"][0]["machine"]["id"]
    complaint = f"half{sign}speed, case {sign * 2}"
    body = {"machine_id": machine, "complaint": complaint}
    opened = client.post("/api/jobs", json=body, headers={"idempotency-key": f"sign-{ord(sign)}-1"})
    assert opened.status_code == 201
    found = cards_of(client, search=f"half{sign}speed")
    assert [c["complaint"] for c in found] == [complaint]
    assert all(sign in c["complaint"] for c in cards_of(client, search=sign))
    assert cards_of(client, search=f"half{sign}x") == []
    answer = client.get("/api/jobs", params={"search": sign * 2}).json()
    assert answer["total"] == len(answer["jobs"]) == 1


def test_a_demo_machine_has_its_owner_and_the_shop_its_rate(client: TestClient) -> None:
    _, jobs = demo()
    owners = {j.machine.serial: j.machine.owner for j in jobs}
    for card in cards_of(client):
        if card["machine"]["serial"] in owners:
            assert card["machine"]["owner"] == owners[card["machine"]["serial"]]
    assert client.get("/api/workshop").json()["labour_per_min"] > 0
