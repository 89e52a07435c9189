"""The private database: half-made, killed, port taken; the demo's own start and stop."""

import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import text

from umweg.db.session import ENVIRONMENT_KEY, database_url, make_engine
from umweg.service import demo
from umweg.service.postgres import Cluster, ServiceError, cluster_folder, free_port, port_is_free


@pytest.fixture
def folder() -> Iterator[Path]:
    made = Path(tempfile.mkdtemp(prefix="umweg-cluster-"))
    yield made
    Cluster(made).stop()
    shutil.rmtree(made, ignore_errors=True)


def written(cluster: Cluster) -> int:
    engine = make_engine(cluster.url)
    with engine.begin() as connection:
        count = connection.execute(text("SELECT count(*) FROM kept")).scalar_one()
    engine.dispose()
    return int(count)


def test_a_half_made_cluster_is_made_again(folder: Path) -> None:
    (folder / "data").mkdir()
    (folder / "data" / "PG_VERSION").write_text("15\n")
    cluster = Cluster(folder)
    cluster.start()
    assert cluster.running()


def test_a_killed_server_comes_back_with_what_was_committed(folder: Path) -> None:
    cluster = Cluster(folder)
    cluster.start()
    engine = make_engine(cluster.url)
    with engine.begin() as connection:
        connection.execute(text("CREATE TABLE kept (n int)"))
    for n in range(40):
        with engine.begin() as connection:
            connection.execute(text("INSERT INTO kept VALUES (:n)"), {"n": n})
    os.kill(cluster.server_id(), signal.SIGKILL)
    engine.dispose()
    time.sleep(0.5)
    assert not cluster.running()
    Cluster(folder).start()
    assert written(Cluster(folder)) == 40


def test_a_taken_database_port_is_walked_round(folder: Path) -> None:
    cluster = Cluster(folder)
    cluster.start()
    port = int((folder / "port").read_text())
    cluster.stop()
    with socket.socket() as other:
        other.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        other.bind(("127.0.0.1", port))
        other.listen()
        cluster.start()
        assert cluster.running()
        assert int((folder / "port").read_text()) != port


def test_starting_twice_keeps_the_running_server(folder: Path) -> None:
    Cluster(folder).start()
    first = Cluster(folder).server_id()
    Cluster(folder).start()
    assert Cluster(folder).server_id() == first


def test_a_taken_port_is_told_before_anything_starts() -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        assert not port_is_free(port)
        with pytest.raises(ServiceError, match=f"port {port} of 127.0.0.1 is taken"):
            demo.demo(port)
    assert port_is_free(free_port())


def test_a_missing_database_address_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv(ENVIRONMENT_KEY, raising=False)
    with pytest.raises(RuntimeError, match="umweg demo"):
        database_url()


@pytest.mark.skipif(os.geteuid() != 0, reason="only root's checkout can be closed to postgres")
def test_a_checkout_below_a_closed_folder_still_gets_a_database() -> None:
    closed = Path(tempfile.mkdtemp(prefix="umweg-closed-"))
    open_folder = Path(tempfile.mkdtemp(prefix="umweg-open-"))
    open_folder.chmod(0o755)
    try:
        assert cluster_folder(closed / "postgres") != closed / "postgres"
        assert cluster_folder(open_folder / "postgres") == open_folder / "postgres"
    finally:
        shutil.rmtree(closed)
        shutil.rmtree(open_folder)


def start_server(url: str, port: int) -> subprocess.Popen[bytes]:
    code = (
        "import uvicorn; from umweg.web.app import create_app; "
        f"uvicorn.run(create_app(), host='127.0.0.1', port={port}, log_level='warning')"
    )
    server = subprocess.Popen(
        [sys.executable, "-c", code], env={**os.environ, ENVIRONMENT_KEY: url}
    )
    for _ in range(300):
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/api/workshop", timeout=5).close()
        except OSError:
            time.sleep(0.1)
        else:
            return server
    server.kill()
    raise AssertionError("the server did not start")


def test_entries_answered_before_a_kill_are_kept(cluster: Cluster, workshop: object) -> None:
    """kill -9 of the application in the middle of writes: every answered entry is there."""
    import json
    import uuid

    port = free_port()
    server = start_server(cluster.url, port)
    base = f"http://127.0.0.1:{port}/api/jobs"
    try:
        with urllib.request.urlopen(base) as answer:
            job = json.load(answer)[0]["id"]
        answered = []
        for n in range(10):
            body = json.dumps({"data": {"kind": "note", "text": f"note {n}"}}).encode()
            request = urllib.request.Request(
                f"{base}/{job}/entries",
                body,
                {"Content-Type": "application/json", "Idempotency-Key": str(uuid.uuid4())},
            )
            with urllib.request.urlopen(request) as answer:
                answered.append(json.load(answer)["entry"]["id"])
    finally:
        server.kill()
        server.wait()
    second = start_server(cluster.url, port)
    try:
        with urllib.request.urlopen(f"{base}/{job}") as answer:
            kept = {e["id"] for e in json.load(answer)["entries"]}
    finally:
        second.kill()
        second.wait()
    assert set(answered) <= kept
