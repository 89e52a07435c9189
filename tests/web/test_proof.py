"""Whether a repair is proved is one answer: of the job, of the list, in the same words."""

from typing import Any

from fastapi.testclient import TestClient

from tests.web.test_api import cards_of, post
from tests.web.test_machine_record import DECISION, REPAIR, add, opened, read
from umweg.core.observe.kinds.readings import DIMENSION

BLADE = {"kind": "behaviour", "id": "new", "function": "blade", "move": "extend", "when": "warm"}
COMPLAINT: tuple[dict[str, Any], ...] = ({**BLADE, "how": "weak"}, read(133.0))


def proof_of(client: TestClient, job: str) -> Any:
    return client.get(f"/api/jobs/{job}/diagnosis").json()["proof"]


def card_of(client: TestClient, job: str) -> Any:
    return next(c for c in cards_of(client, decided=True) if c["id"] == job)


def test_a_repair_is_not_proved_until_what_made_the_case_is_shown_again(client: TestClient) -> None:
    job = opened(client)
    add(client, job, *COMPLAINT)
    assert proof_of(client, job) is None
    add(client, job, DECISION)
    assert card_of(client, job)["proof"] is None
    told = post(client, job, {**REPAIR, "mode": "set_low"}).json()["answer"]["proof"]
    assert told == proof_of(client, job)
    assert (told["word"], card_of(client, job)["proof"]) == ("open", "open")
    assert told["words"].startswith("Repaired, not proved: 2 of 2 things")
    assert [a["why"] for a in told["asked"]] == ["complaint", "spoke"]
    add(client, job, read(184.0))
    assert proof_of(client, job)["words"].startswith("Repaired, not proved: 1 of 2 things is")
    add(client, job, {**BLADE, "how": "as_usual"})
    assert proof_of(client, job)["word"] == "proved"
    assert card_of(client, job)["proof"] == "proved"


def test_a_reading_that_still_fails_contradicts_the_repair(client: TestClient) -> None:
    job = opened(client)
    add(client, job, *COMPLAINT, DECISION, {**REPAIR, "mode": "set_low"}, read(140.0))
    proof = proof_of(client, job)
    assert proof["word"] == card_of(client, job)["proof"] == "contradicted"
    assert len(proof["against"]) == 1


def test_in_order_is_refused_while_something_stands_against_it(client: TestClient) -> None:
    job = opened(client)
    add(client, job, read(133.0))
    fine = {"kind": "in_order", "text": "As it should be."}
    refused = post(client, job, fine)
    assert refused.status_code == 409
    assert "outside its specification" in refused.json()["detail"]
    reading = client.get(f"/api/jobs/{job}").json()["entries"][-1]["id"]
    add(client, job, {"kind": "acceptance", "reading": reading, "reason": "An old machine."})
    assert post(client, job, fine).status_code == 201


def test_in_order_is_refused_while_nothing_modelled_explains_what_was_seen(
    client: TestClient,
) -> None:
    """The same gauge in the same state, once far too low and once right: one of the two is wrong."""
    job = opened(client)
    add(client, job, read(133.0), read(184.0))
    fine = {"kind": "in_order", "text": "As it should be."}
    refused = post(client, job, fine)
    assert refused.status_code == 409
    assert "nothing modelled explains" in refused.json()["detail"]
    first = next(
        e["id"]
        for e in client.get(f"/api/jobs/{job}").json()["entries"]
        if e["data"].get("value") == 133.0
    )
    misread = {"kind": "withdrawal", "reason": "Misread."}
    assert post(client, job, misread, supersedes=first).status_code == 201
    assert post(client, job, fine).status_code == 201


def test_every_quantity_that_a_step_may_ask_for_has_its_units(client: TestClient) -> None:
    """A shaft's speed once had none on the screen: the reading could not be kept."""
    units = client.get("/api/workshop").json()["units"]
    for quantity in DIMENSION:
        assert any(quantity in u["quantities"] for u in units), quantity
    (rpm,) = [u for u in units if "shaft_rpm" in u["quantities"]]
    assert rpm["symbol"] == "rpm"
