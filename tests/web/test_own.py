"""A reading of one's own choice over the API: listed, judged by a worker, kept with its own state."""

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.web.conftest import WorkOff
from tests.web.test_api import job_id, post
from umweg.library import load_circuit

READING: dict[str, Any] = {
    "kind": "reading",
    "id": "new",
    "point": "return_gauge",
    "quantity": "pressure_bar",
    "state": "tailgate_raise",
    "value": 0,
    "unit": "bar",
}


def judge(client: TestClient, job: str, reading: dict[str, Any]) -> Any:
    return client.post(f"/api/jobs/{job}/judged", json=reading)


def revision(client: TestClient, job: str) -> int:
    return int(client.get(f"/api/jobs/{job}").json()["circuit_revision"])


def test_what_can_be_read_is_listed_with_its_states(client: TestClient) -> None:
    number = revision(client, job_id(client))
    found = client.get(f"/api/circuits/{number}/readable").json()
    by_name = {(r["quantity"], r["place"]): r for r in found}
    pressure = by_name["pressure_bar", "block_gauge"]
    assert pressure["place_label"] == "Gauge port, inlet section"
    assert "parked" in pressure["states"]
    assert by_name["speed_mm_s", "blade"]["unit"] == "mm/s"
    named = {s["id"] for s in client.get(f"/api/circuits/{number}/schematic").json()["states"]}
    assert set(pressure["states"]) <= named


def test_a_pasted_curve_is_read_and_kept_with_its_reading(client: TestClient) -> None:
    every = [
        client.get(f"/api/jobs/{j['id']}").json() for j in client.get("/api/jobs").json()["jobs"]
    ]
    job = next(j for j in every if j["circuit_id"] == "tail_lift")
    number = revision(client, job["id"])
    place = f"/api/circuits/{number}/timings/tilt_left/recorded"
    text = "s;bar\n0;52,5\n300;40\n600;31"
    found = client.post(place, json={"text": text, "unit": "bar"}).json()
    assert found["unit"] == "bar"
    assert found["value"] == 31.0
    timing = next(t for t in load_circuit("tail_lift").timings if t.id == "tilt_left")
    reading = {
        **READING,
        "point": "tilt_left",
        "quantity": "left_bar",
        "state": timing.state,
        "value": found["value"],
        "recorded": found["recorded"],
    }
    kept = post(client, job["id"], reading).json()["entry"]["data"]
    assert kept["recorded"]["shown"] == [52.5, 40.0, 31.0]
    wrong = post(client, job["id"], {**reading, "value": 50.0})
    assert wrong.status_code == 422
    assert "its curve shows" in wrong.json()["detail"]
    broken = client.post(place, json={"text": "0;1\nwhat;2", "unit": "bar"})
    assert broken.status_code == 422
    assert "line 2" in broken.json()["detail"]


def test_it_is_judged_by_a_worker_and_nothing_is_stored(
    client: TestClient, work_off: WorkOff
) -> None:
    job = job_id(client)
    before = client.get(f"/api/jobs/{job}").json()["entries"]
    assert judge(client, job, READING).json()["pending"]
    work_off()
    found = judge(client, job, {**READING, "value": 7.0}).json()
    assert (found["pending"], found["trouble"]) == (False, None)
    step = found["step"]
    assert (step["point"], step["state"]) == ("return_gauge", "tailgate_raise")
    assert step["healthy"]["low"] < step["healthy"]["high"]
    assert step["reading"]["state"] == "tailgate_raise"
    assert client.get(f"/api/jobs/{job}").json()["entries"] == before


def test_a_state_of_ones_own_is_judged_and_its_reading_kept(
    client: TestClient, work_off: WorkOff
) -> None:
    job = job_id(client)
    drawn = client.get(f"/api/circuits/{revision(client, job)}/schematic").json()
    base = next(s for s in drawn["states"] if s["id"] == "tailgate_raise")["document"]
    mine = {**base, "label": "Tailgate going up, cold", "oil_c": 15.0}
    asked = {**READING, "point": "block_gauge", "state": mine}
    judge(client, job, asked)
    work_off()
    step = judge(client, job, asked).json()["step"]
    assert (step["state"], step["state_label"]) == ("", "Tailgate going up, cold")
    value = 0.5 * (step["healthy"]["low"] + step["healthy"]["high"])
    kept = post(client, job, {**step["reading"], "value": value, "instrument": "gauge_400"})
    assert kept.status_code == 201
    assert "Tailgate going up, cold" in kept.json()["entry"]["words"]


@pytest.mark.parametrize(
    "change",
    [
        {"point": "nowhere"},
        {"state": "never"},
        {"unit": "furlong"},
        {"state": {"label": "x", "engine": -5}},
    ],
)
def test_what_the_machine_does_not_have_is_refused(
    client: TestClient, change: dict[str, Any]
) -> None:
    answer = judge(client, job_id(client), {**READING, **change})
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"


def test_oil_is_planned_for_a_posture(client: TestClient) -> None:
    number = revision(client, job_id(client))

    def planned(**query: Any) -> Any:
        return client.get(f"/api/circuits/{number}/refill", params={"tank_l": 80, **query})

    rods_in = planned().json()
    out = planned(posture=["blade=1", "tailgate=0.5"], drained_l=60).json()
    assert rods_in["drawn_l"] == pytest.approx(0.0, abs=1e-9)
    assert out["drawn_l"] > 1.0
    assert out["missing_l"] == pytest.approx(80 - out["drawn_l"] - 60)
    assert rods_in["cycles"][-1] <= 0.05
    assert len(planned(target=0.001).json()["cycles"]) > len(rods_in["cycles"])
    assert out["told"]
    for wrong in ({"posture": ["blade=2"]}, {"posture": ["wing=1"]}, {"tank_l": 0}):
        assert planned(**wrong).status_code == 422


def test_a_curve_is_drawn_by_a_worker_healthy_and_with_a_fault(
    client: TestClient, work_off: WorkOff
) -> None:
    number = revision(client, job_id(client))
    address = f"/api/circuits/{number}/timings/tailgate_sink/curve"
    faults = ("", "load_holding:seat_leaks=0.61")

    def drawn() -> list[Any]:
        return [client.get(address, params={"fault": f}).json() for f in faults]

    assert all(c["pending"] for c in drawn())
    work_off()
    healthy, leaking = drawn()
    assert healthy["trouble"] is leaking["trouble"] is None
    assert healthy["curve"]["unit"] == "mm"
    sunk = [max(c["curve"]["values"]) - min(c["curve"]["values"]) for c in (healthy, leaking)]
    assert sunk[1] > sunk[0]
    # A severity near by is the same curve: what is believed is no finer.
    near = client.get(address, params={"fault": "load_holding:seat_leaks=0.59"}).json()
    assert near == leaking


@pytest.mark.parametrize(
    ("timing", "fault"),
    [
        ("work_warm", ""),
        ("never", ""),
        ("tailgate_sink", "load_holding:tired=0.5"),
        ("blade_out", "x"),
    ],
)
def test_what_is_no_curve_is_refused(client: TestClient, timing: str, fault: str) -> None:
    number = revision(client, job_id(client))
    answer = client.get(f"/api/circuits/{number}/timings/{timing}/curve", params={"fault": fault})
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"


def test_a_trial_is_kept_weighed_at_once_or_by_a_worker_and_said_in_the_record(
    client: TestClient, work_off: WorkOff
) -> None:
    every = [
        client.get(f"/api/jobs/{j['id']}").json() for j in client.get("/api/jobs").json()["jobs"]
    ]
    job = next(j["id"] for j in every if j["circuit_id"] == "tail_lift")
    trial = {
        "kind": "trial",
        "id": "new",
        "component": "lift_valve",
        "trial": "override",
        "function": "lift",
        "move": "raise",
        "how": "as_usual",
    }
    kept = post(client, job, trial)
    assert kept.status_code == 201
    work_off()
    found = client.get(f"/api/jobs/{job}/diagnosis").json()
    assert found["diagnosis"]["left_out"] == []
    name = kept.json()["entry"]["id"]
    reasons = [r for s in found["diagnosis"]["suspects"] for r in s["reasons"]]
    assert any(r["observation"] == name and "hand override pressed" in r["words"] for r in reasons)
    wrong = post(client, job, {**trial, "trial": "kick"})
    assert wrong.status_code == 422
    assert "lift_valve:override" in wrong.json()["detail"]
