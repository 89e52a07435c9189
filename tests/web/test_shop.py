"""The shop's own numbers: what labour costs, which instruments there are, which are retired."""

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.web.conftest import WorkOff
from tests.web.test_api import job_id

GAUGE: dict[str, Any] = {
    "id": "gauge_100",
    "label": "Gauge 0 … 100 bar",
    "measures": "pressure",
    "low": 0,
    "high": 100,
    "unit": "bar",
    "accuracy_pct": 1.0,
    "calibrated_on": "2026-03-01",
}


def kit(client: TestClient) -> dict[str, dict[str, Any]]:
    return {i["id"]: i for i in client.get("/api/workshop").json()["instruments"]}


def put(client: TestClient, instrument: dict[str, Any], key: str | None = None) -> Any:
    return client.put(f"/api/workshop/instruments/{key or instrument['id']}", json=instrument)


def test_an_instrument_is_added_once_and_changed_in_its_place(client: TestClient) -> None:
    before = list(kit(client))
    assert put(client, GAUGE).status_code == 200
    assert list(kit(client)) == [*before, "gauge_100"]
    assert put(client, {**GAUGE, "accuracy_pct": 0.6}).status_code == 200
    assert list(kit(client)) == [*before, "gauge_100"]
    assert kit(client)["gauge_100"]["accuracy_pct"] == 0.6
    assert kit(client)["gauge_100"]["calibrated_on"] == "2026-03-01"


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"unit": "V"}, "measures no pressure"),
        ({"unit": "cubit"}, "it has bar"),
        ({"low": 100}, "below where it begins"),
        ({"high": -5}, ""),
        ({"accuracy_pct": 0}, ""),
        ({"calibrated_on": "yesterday"}, ""),
        ({"measures": "taste"}, ""),
    ],
)
def test_an_instrument_that_cannot_be_is_refused(
    client: TestClient, change: dict[str, Any], why: str
) -> None:
    before = kit(client)
    answer = put(client, {**GAUGE, **change})
    assert answer.status_code == 422
    assert why in answer.text
    assert kit(client) == before
    assert put(client, GAUGE, key="another").status_code == 422


def test_what_is_retired_is_proposed_no_more_and_can_come_back(
    client: TestClient, work_off: WorkOff
) -> None:
    job = job_id(client)

    def proposed() -> set[str]:
        client.get(f"/api/jobs/{job}/diagnosis")
        work_off()
        plan = client.get(f"/api/jobs/{job}/diagnosis").json()["diagnosis"]["plan"]
        return {s["instrument"] for s in plan["next_steps"] if s["instrument"]}

    gauges = {k: i for k, i in kit(client).items() if i["measures"] == "pressure"}
    used = proposed() & set(gauges)
    assert used
    for key in used:
        assert put(client, {**gauges[key], "retired": True}).status_code == 200
    assert not proposed() & used
    # The record still names it, and its readings are judged by its class.
    entries = client.get(f"/api/jobs/{job}").json()["entries"]
    assert {e["data"].get("instrument") for e in entries} & set(gauges)
    for key in used:
        put(client, gauges[key])
    assert proposed() & set(gauges) == used


def test_labour_and_currency_are_the_shops_own(client: TestClient) -> None:
    answer = client.patch("/api/workshop", json={"labour_per_min": 2.25, "currency": "CHF"})
    assert answer.status_code == 200
    shop = client.get("/api/workshop").json()
    assert (shop["labour_per_min"], shop["currency"]) == (2.25, "CHF")
    assert shop["name"] == "Test workshop"


@pytest.mark.parametrize(
    "body", [{"labour_per_min": -1}, {"currency": "euro"}, {"name": ""}, {"rate": 3}]
)
def test_a_change_of_the_shop_that_cannot_be_is_refused(
    client: TestClient, body: dict[str, Any]
) -> None:
    before = client.get("/api/workshop").json()
    assert client.patch("/api/workshop", json=body).status_code == 422
    assert client.get("/api/workshop").json() == before
