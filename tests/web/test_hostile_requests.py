"""What no request may do: stop the server, get a 500, reach it from elsewhere, spoil a job."""

import json
import uuid
from typing import Any

import hypothesis.errors
import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.generation import GenerationMode
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from tests.web.test_api import READING, diagnosis_of, job_id, post
from umweg.web.app import create_app
from umweg.web.guards import MOST_BYTES

CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
]


OPERATIONS = [
    found.ok()
    for found in schemathesis.openapi.from_dict(create_app().openapi()).get_all_operations()
]
STREAMS = "/api/events"
EXAMPLES = 30


@pytest.mark.parametrize("mode", list(GenerationMode), ids=lambda m: m.value)
@pytest.mark.parametrize(
    "operation",
    [o for o in OPERATIONS if o.path != STREAMS],
    ids=lambda o: f"{o.method} {o.path}",
)
def test_no_generated_request_gets_an_undocumented_answer(
    client: TestClient, operation: Any, mode: GenerationMode
) -> None:
    seen: list[int] = []
    real = {"job_id": job_id(client), "revision_id": 1, "machine_id": 1}

    @settings(
        max_examples=EXAMPLES,
        deadline=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
        derandomize=True,
        database=None,
    )
    @given(case=operation.as_strategy(generation_mode=mode))
    def holds(case: Any) -> None:
        # Every other case is about a job that is there: what is behind the first look-up counts too.
        if len(seen) % 2 and case.path_parameters:
            for name in real.keys() & case.path_parameters.keys():
                case.path_parameters[name] = real[name]
        asked = case.as_transport_kwargs(base_url="http://testserver")
        if isinstance(asked.get("data"), bytes | str):
            asked["content"] = asked.pop("data")
        keep = ("method", "url", "params", "headers", "json", "data", "content")
        answer = client.request(**{k: v for k, v in asked.items() if k in keep and v is not None})
        seen.append(answer.status_code)
        case.validate_response(answer, checks=CHECKS)

    try:
        holds()
    except hypothesis.errors.Unsatisfiable:
        pytest.skip("nothing can be wrong in a request without parameters")
    assert seen


def raw(client: TestClient, job: str, body: bytes, **headers: str) -> Any:
    return client.post(
        f"/api/jobs/{job}/entries",
        content=body,
        headers={
            "Content-Type": "application/json",
            "Idempotency-Key": str(uuid.uuid4()),
            **headers,
        },
    )


NOTE = {"kind": "note", "text": "x"}
DEEP = b'{"data": ' + b"[" * 100_000 + b"]" * 100_000 + b"}"


@pytest.mark.parametrize(
    ("body", "status", "words"),
    [
        (b" " * (MOST_BYTES + 1), 413, "bytes at most"),
        (DEEP, 422, "nested more than"),
        (b'{"data": {"kind": "note", "text": "a\\u0000b"}}', 422, "cannot be kept"),
        (b'{"data": {"kind": "note", "text": "a\\ud800b"}}', 422, "cannot be kept"),
        (b'{"data": {"kind": "note", "text": "\xff"}}', 422, "not JSON"),
        (b'{"data": {"kind": "note"', 422, "not JSON"),
        (b'{"data": ' + b"9" * 5000 + b"}", 422, "not JSON"),
        (
            b'{"data": {"kind": "note", "text": "x"}, "expected_sequence": 99999999999}',
            422,
            "less than or equal",
        ),
    ],
    ids=["size", "depth", "nul", "half a pair", "bytes", "cut off", "digits", "64 bits"],
)
def test_bad_bodies_are_refused_in_words(
    client: TestClient, body: bytes, status: int, words: str
) -> None:
    job = job_id(client)
    answer = raw(client, job, body)
    assert answer.status_code == status
    assert answer.headers["content-type"] == "application/problem+json"
    assert words in json.dumps(answer.json())
    assert len(client.get(f"/api/jobs/{job}").json()["entries"]) == 6


@pytest.mark.parametrize("value", ["Infinity", "NaN", "1e999"])
def test_numbers_that_are_none_are_refused(client: TestClient, value: str) -> None:
    state = f'{{"label": "x", "setup_min": {value}}}'
    reading = json.dumps({**READING, "state": "HERE"}).replace('"HERE"', state)
    answer = raw(client, job_id(client), f'{{"data": {reading}}}'.encode())
    assert answer.status_code == 422


def test_a_number_beyond_the_database_is_no_fault(client: TestClient) -> None:
    for path in (f"/api/circuits/{2**40}/schematic", f"/api/circuits/{2**70}/schematic"):
        assert client.get(path).status_code == 422
    assert client.get(f"/api/circuits/{2**31 - 1}/schematic").status_code == 404


def test_other_hosts_and_pages_of_other_sites_are_kept_out(client: TestClient) -> None:
    job = job_id(client)
    evil = {"Host": "evil.example", "Origin": "http://evil.example"}
    assert client.get("/api/jobs", headers=evil).status_code == 400
    body = json.dumps({"data": NOTE}).encode()
    assert raw(client, job, body, Origin="http://evil.example").status_code == 403
    assert raw(client, job, body, **{"Sec-Fetch-Site": "cross-site"}).status_code == 403
    assert raw(client, job, body, **{"Content-Type": "text/plain"}).status_code == 415
    own = raw(client, job, body, Origin="http://testserver", **{"Sec-Fetch-Site": "same-origin"})
    assert own.status_code == 201


def test_every_answer_carries_the_walls_and_head_is_answered(client: TestClient) -> None:
    for path in ("/api/jobs", "/api/nothing", f"/api/jobs/{uuid.uuid4()}"):
        headers = client.get(path).headers
        assert "frame-ancestors 'none'" in headers["content-security-policy"]
        assert "default-src 'self'" in headers["content-security-policy"]
        assert headers["x-content-type-options"] == "nosniff"
    head = client.head("/api/jobs")
    assert head.status_code == 200
    assert head.content == b""
    assert client.get("/docs").status_code == 404


def test_wrong_methods_are_problems_too(client: TestClient) -> None:
    answer = client.delete("/api/jobs")
    assert answer.status_code == 405
    assert answer.headers["content-type"] == "application/problem+json"


def test_readings_that_nothing_explains_leave_the_job_alive(client: TestClient) -> None:
    job = job_id(client)
    for value in (1e6, -1e6, 999.0):
        answer = post(client, job, {**READING, "unit": "bar", "value": value, "repeats": []})
        assert answer.status_code == 201
        assert answer.json()["answer"]["trouble"] is None
    last = answer.json()["entry"]["id"]
    assert diagnosis_of(client, job)["explained"] is False
    assert post(client, job, {"kind": "withdrawal"}, supersedes=last).status_code == 201


def test_a_ranking_that_fails_is_said_and_can_be_withdrawn(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = job_id(client)

    def broken(*_: object) -> None:
        raise IndexError("a fault of ours")

    with monkeypatch.context() as patch:
        patch.setattr("umweg.web.rankings.Rankings.rank", broken)
        added = post(client, job, READING)
        assert added.status_code == 201
        assert "fault of the program" in added.json()["answer"]["trouble"]
        assert client.get(f"/api/jobs/{job}").status_code == 200
        entry = added.json()["entry"]["id"]
        assert post(client, job, {"kind": "withdrawal"}, supersedes=entry).status_code == 201
    assert client.get(f"/api/jobs/{job}/diagnosis").json()["trouble"] is None


def test_the_author_is_not_the_clients_text(client: TestClient) -> None:
    job = job_id(client)
    assert post(client, job, NOTE, author="the boss").status_code == 422
    assert post(client, job, NOTE).json()["entry"]["author"] == "Test workshop"


def test_a_key_used_with_another_correction_is_a_conflict(client: TestClient) -> None:
    job = job_id(client)
    old = post(client, job, NOTE).json()["entry"]["id"]
    key = str(uuid.uuid4())
    assert post(client, job, NOTE, key).status_code == 201
    assert post(client, job, NOTE, key, supersedes=old).status_code == 409
