"""New machines over the API: a list checked while it is typed, drafted by a worker, kept, worked on."""

import uuid
from typing import Any

from fastapi.testclient import TestClient
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from tests.core.test_draft import SPLITTER
from tests.web.conftest import WorkOff
from umweg.core.components import component_types
from umweg.db import store
from umweg.library import circuit_ids

CARD = {"name": "Log splitter", "owner": "Holzhof Ehrenau", "serial": "S2-0042", "hours": 310}


def check(client: TestClient, text: str) -> Any:
    return client.post("/api/listings/check", json={"text": text})


def draft(client: TestClient, text: str) -> Any:
    return client.post("/api/listings/draft", json={"text": text}).json()


def test_a_sound_list_is_drawn_and_nothing_is_to_mend(client: TestClient) -> None:
    found = check(client, SPLITTER).json()
    assert found["findings"] == []
    assert found["parts"] == 12
    assert {p["id"] for p in found["schematic"]["parts"]} >= {"ram", "relief", "valve"}


def test_what_is_wrong_has_its_line_and_the_rest_is_drawn(client: TestClient) -> None:
    lines = SPLITTER.splitlines()
    row = next(n for n, line in enumerate(lines, 1) if line.startswith("ram"))
    found = check(client, SPLITTER.replace("bore_mm=90", "bore=90")).json()
    (finding,) = found["findings"]
    assert finding["line"] == row
    assert "bore_mm" in finding["hint"]
    assert {p["id"] for p in found["schematic"]["parts"]} >= {"relief", "ram"}
    # What only the whole circuit shows is at the line of its part.
    open_end = check(client, SPLITTER.replace("A=cap B=ring rod", "A=cp B=ring rod")).json()
    assert row in {f["line"] for f in open_end["findings"]} | {
        row for f in open_end["findings"] if "cp" in f["where"] + f["message"]
    }
    assert check(client, "").json()["schematic"] is None


def test_a_port_that_waits_for_its_net_is_told_and_left_out_of_the_map(client: TestClient) -> None:
    found = check(client, SPLITTER + "more cylinder A=? B=ring rod=wedge\n").json()
    (waiting,) = found["findings"]
    assert waiting["line"] == SPLITTER.count("\n") + 1
    assert "waits for the net" in waiting["message"]
    drawn = {p["id"] for p in found["schematic"]["parts"]}
    assert "ram" in drawn
    assert "more" not in drawn


def test_every_type_is_listed_with_its_ports_and_numbers(client: TestClient) -> None:
    types = {t["name"]: t for t in client.get("/api/types").json()}
    assert types["cylinder"]["ports"] == ["A", "B", "rod"]
    bore = next(p for p in types["cylinder"]["parameters"] if p["name"] == "bore_mm")
    assert (bore["unit"], bore["default"]) == ("mm", 80)
    assert "tear_k" not in {p["name"] for p in types["cylinder"]["parameters"]}, "only faults"
    assert types.keys() == {n for n, k in component_types().items() if k.of_machines}


def test_a_list_becomes_a_machine_that_can_be_diagnosed(
    client: TestClient, work_off: WorkOff, workshop: Engine
) -> None:
    assert draft(client, SPLITTER)["pending"] is True
    early = client.post("/api/machines", json={**CARD, "listing": SPLITTER})
    assert early.status_code == 422
    assert "not been worked out yet" in early.json()["detail"]
    work_off()
    found = draft(client, SPLITTER)
    assert found["pending"] is False
    assert [f["label"] for f in found["functions"]] == ["Ram"]
    assert len(found["states"]) > 5
    made = client.post("/api/machines", json={**CARD, "listing": SPLITTER})
    assert made.status_code == 201
    machine = made.json()
    assert machine["circuit_id"] == "own_log_splitter_s2_s2_0042"
    again = client.post("/api/machines", json={**CARD, "listing": SPLITTER})
    assert again.json() == machine, "sent twice, kept once"
    job = client.post(
        "/api/jobs",
        json={"machine_id": machine["id"], "complaint": "Splits no thick log any more."},
        headers={"Idempotency-Key": str(uuid.uuid4())},
    ).json()
    work_off()
    said = {"kind": "behaviour", "id": "new", "function": "ram", "move": "out", "how": "weak"}
    told = client.post(
        f"/api/jobs/{job['id']}/entries",
        json={"data": said},
        headers={"Idempotency-Key": str(uuid.uuid4())},
    )
    assert told.status_code == 201
    suspects = told.json()["answer"]["diagnosis"]["suspects"]
    assert "relief:set_low" in {s["key"] for s in suspects[:4]}
    with Session(workshop) as session:
        kept = store.Store.only(session).newest_revision("own_log_splitter_s2_s2_0042")
        assert kept.workshop_id is not None, "it is this workshop's own"


def test_two_machines_of_one_name_keep_their_own_circuits(
    client: TestClient, work_off: WorkOff
) -> None:
    other = SPLITTER.replace("set_bar=200", "set_bar=160")
    for text in (SPLITTER, other):
        draft(client, text)
    work_off()
    made = [
        client.post("/api/machines", json={**CARD, "serial": f"N-{n}", "listing": text}).json()
        for n, text in enumerate((SPLITTER, other))
    ]
    assert made[0]["circuit_id"] != made[1]["circuit_id"]


def test_a_machine_of_a_known_circuit_needs_no_list(client: TestClient) -> None:
    known = client.get("/api/workshop").json()["machines"][0]["circuit_id"]
    made = client.post("/api/machines", json={**CARD, "serial": "X-1", "circuit_id": known})
    assert made.status_code == 201
    assert made.json()["id"] in {m["id"] for m in client.get("/api/workshop").json()["machines"]}
    taken = client.post(
        "/api/machines", json={**CARD, "name": "Another", "serial": "X-1", "circuit_id": known}
    )
    assert taken.status_code == 409
    assert "serial number X-1" in taken.json()["detail"]


def test_a_machine_wants_one_circuit_and_one_that_is_there(client: TestClient) -> None:
    assert client.post("/api/machines", json=CARD).status_code == 422
    both = {**CARD, "circuit_id": "packer_truck", "listing": SPLITTER}
    assert client.post("/api/machines", json=both).status_code == 422
    assert client.post("/api/machines", json={**CARD, "circuit_id": "no_such"}).status_code == 404


def test_a_list_that_makes_no_machine_says_why(client: TestClient, work_off: WorkOff) -> None:
    broken = SPLITTER.replace("relief relief_valve       inlet=high", "relief orifice inlet=high")
    draft(client, broken)
    work_off()
    found = draft(client, broken)
    assert found["trouble"]
    refused = client.post("/api/machines", json={**CARD, "listing": broken})
    assert refused.status_code == 422
    assert "makes no working machine" in refused.json()["detail"]


def test_an_own_machine_never_takes_the_place_of_the_librarys(
    client: TestClient, work_off: WorkOff, workshop: Engine
) -> None:
    taken = SPLITTER.replace("family=F21", "family=F21 id=packer_truck")
    assert "packer_truck" in circuit_ids()
    draft(client, taken)
    work_off()
    made = client.post("/api/machines", json={**CARD, "serial": "S-9", "listing": taken}).json()
    assert made["circuit_id"] == "own_packer_truck_s_9"
    with Session(workshop) as session:
        assert store.Store.only(session).newest_revision("packer_truck").workshop_id is None


def test_a_machine_that_is_much_the_same_keeps_what_it_does(
    client: TestClient, work_off: WorkOff
) -> None:
    known = {c["id"]: c for c in client.get("/api/circuits").json()}
    assert "F14" in known["tail_lift"]["family"]
    begun = client.get("/api/listings/tail_lift").json()
    assert begun["beside"] == "tail_lift"
    other = begun["text"].replace("displacement_cm3=2.1", "displacement_cm3=2.6")
    assert other != begun["text"]
    body = {"text": other, "beside": "tail_lift"}
    assert client.post("/api/listings/draft", json=body).json()["pending"] is True
    work_off()
    found = client.post("/api/listings/draft", json=body).json()
    assert [f["id"] for f in found["functions"]] == ["lift", "tilt"], "two switches a move: kept"
    made = client.post(
        "/api/machines", json={**CARD, "serial": "T-2", "listing": other, "beside": "tail_lift"}
    )
    assert made.json()["circuit_id"] == "own_tail_lift_t_2"
    assert client.get("/api/listings/no_such").status_code == 404


def test_what_no_longer_fits_is_drafted_anew_and_said(
    client: TestClient, work_off: WorkOff
) -> None:
    body = {"text": SPLITTER, "beside": "tail_lift"}
    client.post("/api/listings/draft", json=body)
    work_off()
    found = client.post("/api/listings/draft", json=body).json()
    assert [f["label"] for f in found["functions"]] == ["Ram"]
    assert "drafted anew" in found["notes"][0]


def test_a_bill_of_parts_becomes_lines_and_what_is_no_part_is_named(client: TestClient) -> None:
    found = client.post(
        "/api/listings/bill", json={"text": "name;price\nGear pump;210\nSticker;3\n"}
    ).json()
    assert found["parts"] == 1
    assert found["text"].splitlines()[0].startswith('gear_pump fixed_pump "Gear pump" inlet=?')
    assert [f["where"] for f in found["findings"]] == ["row 3"]
    refused = client.post("/api/listings/bill", json={"text": "pos;price\n1;2\n"})
    assert refused.status_code == 422
    assert "no column names the parts" in refused.json()["detail"]


def test_types_are_found_by_the_words_of_the_trade(client: TestClient) -> None:
    found = client.get("/api/types/found", params={"text": "overcenter"}).json()
    assert found == {"names": ["counterbalance_valve"], "nearest": False}
    near = client.get("/api/types/found", params={"text": "solenoyd"}).json()
    assert near["nearest"]
    assert near["names"]
