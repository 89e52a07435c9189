"""Machines of one circuit side by side, a list of machines at once, a circuit that is changed."""

from typing import Any

from fastapi.testclient import TestClient

from tests.web.conftest import WorkOff
from tests.web.test_api import open_job, post
from tests.web.test_machine_record import REPAIR, add, machine_id, mended, opened, read

TABLE = """name;serial number;owner;hours;circuit
Packer 5;R18-0500;City;2100;packer_truck
Packer 6;R18-0600;City;2900,5;packer_truck
"""


def keep_list(client: TestClient, text: str) -> Any:
    return client.post("/api/machines/list", json={"text": text})


def machines(client: TestClient) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = client.get("/api/workshop").json()["machines"]
    return found


def test_a_list_of_machines_is_kept_whole_and_once(client: TestClient) -> None:
    before = len(machines(client))
    answer = keep_list(client, TABLE)
    assert answer.status_code == 201, answer.text
    assert [m["hours"] for m in answer.json()["machines"]] == [2100, 2900.5]
    assert len(machines(client)) == before + 2
    assert keep_list(client, TABLE).status_code == 201
    assert len(machines(client)) == before + 2, "the same list again is the same machines"


def test_a_list_with_a_mistake_changes_nothing(client: TestClient) -> None:
    before = machines(client)
    answer = keep_list(client, f"{TABLE}Packer 7;R18-0700;City;10;no_such\n")
    assert answer.status_code == 422
    assert any("row 4" in p for p in answer.json()["problems"])
    # Another machine has the number: found only when the rows above it are in.
    taken = keep_list(client, f"{TABLE}Another;R18-0417;Somebody;10;packer_truck\n")
    assert taken.status_code == 409
    assert machines(client) == before


def test_machines_of_one_circuit_stand_side_by_side(client: TestClient) -> None:
    keep_list(client, TABLE)
    mended(client, read(184.0))
    other = next(m["id"] for m in machines(client) if m["serial"] == "R18-0500")
    job = str(open_job(client, other, "Does not pack").json()["id"])
    add(client, job, read(160.0), {**REPAIR, "mode": "set_low"}, read(186.0))
    found = client.get("/api/fleets/packer_truck").json()
    jobs = {line["machine"]["serial"]: line["jobs"] for line in found["machines"]}
    assert jobs["R18-0500"] == 1
    assert jobs["R18-0600"] == 0
    (find,) = found["finds"]
    assert (find["component"], find["found"], find["machines"]) == ("blade_relief_a", 2, 2)
    assert 2100 in find["hours"]
    (trend,) = [t for t in found["trends"] if t["state"] == "blade_extend_stalled"]
    own = {r["machine_id"] for r in trend["readings"]}
    assert own >= {other, machine_id(client)}
    assert any(r["machine"] == "Packer 5, R18-0500" for r in trend["readings"])
    assert client.get("/api/fleets/no_such").status_code == 404


def test_a_circuit_is_changed_and_an_open_job_keeps_its_own(
    client: TestClient, work_off: WorkOff
) -> None:
    machine = machine_id(client)
    job = opened(client)
    listing = client.get("/api/listings/packer_truck").json()
    old = "displacement_cm3=51"
    assert listing["text"].count(old) == 1
    new = {"text": listing["text"].replace(old, "displacement_cm3=54"), "beside": "packer_truck"}
    early = client.put(f"/api/machines/{machine}/circuit", json=new)
    assert early.status_code == 422, "it has to be drafted first"
    client.post("/api/listings/draft", json=new)
    work_off()
    kept = client.put(f"/api/machines/{machine}/circuit", json=new)
    assert kept.status_code == 200, kept.text
    own = kept.json()["circuit_id"]
    assert own.startswith("own_")

    view = client.get(f"/api/jobs/{job}").json()
    assert view["circuit_id"] == "packer_truck"
    assert view["circuit_changed"] is True
    changes = client.get(f"/api/jobs/{job}/changes").json()
    sizes = [c for c in changes if c["field"] == "parameters.displacement_cm3"]
    assert [(c["id"], c["before"], c["after"]) for c in sizes] == [("pump", "51", "54")]
    assert {c["what"] for c in changes} <= {"part", "machine"}, changes
    # What is observed on it is weighed as before.
    assert post(client, job, read(150.0)).status_code == 201

    newer = opened(client, "Slow since the new pump")
    assert client.get(f"/api/jobs/{newer}").json()["circuit_changed"] is False
    assert client.get(f"/api/jobs/{newer}/changes").json() == []

    # A machine that is added with it has it too; what is changed for that one is its own then.
    row = f"name;serial;circuit\nPacker 8;R18-0800;{own}\n"
    second = keep_list(client, row).json()["machines"][0]["id"]
    theirs = {"text": new["text"].replace("cm3=54", "cm3=60"), "beside": own}
    client.post("/api/listings/draft", json=theirs)
    work_off()
    changed = client.put(f"/api/machines/{second}/circuit", json=theirs).json()["circuit_id"]
    assert changed.startswith("own_")
    assert changed != own
    assert client.get(f"/api/jobs/{newer}").json()["circuit_changed"] is False

    # Changed once more it is the next revision of the same circuit.
    again = {"text": new["text"].replace("cm3=54", "cm3=57"), "beside": own}
    client.post("/api/listings/draft", json=again)
    work_off()
    kept = client.put(f"/api/machines/{machine}/circuit", json=again)
    assert kept.json()["circuit_id"] == own
    assert client.get(f"/api/jobs/{newer}").json()["circuit_changed"] is True
