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
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from sqlalchemy import text
from sqlalchemy.orm import Session

from tests.web.conftest import demo as demo_data
from umweg.db import migrate, store
from umweg.db.session import ENVIRONMENT_KEY, DatabaseError, database_url, make_engine
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


def test_a_half_made_cluster_is_put_aside_and_made_again(folder: Path) -> None:
    (folder / "data").mkdir()
    (folder / "data" / "PG_VERSION").write_text("15\n")
    (folder / "data.new").mkdir()
    cluster = Cluster(folder)
    cluster.start()
    assert cluster.running()
    aside = list(folder.glob("data.half-made-*"))
    assert [(p / "PG_VERSION").read_text() for p in aside] == ["15\n"]


def test_a_damaged_cluster_is_told_and_left_alone(folder: Path) -> None:
    data = folder / "data"
    (data / "base").mkdir(parents=True)
    (data / "postmaster.opts").write_text("it ran once\n")
    with pytest.raises(ServiceError, match="pg_control is missing; nothing in it was touched"):
        Cluster(folder).start()
    assert (data / "base").is_dir()


@pytest.mark.parametrize("lost", ["port", "role", "ready"])
def test_a_lost_file_beside_the_data_loses_no_data(folder: Path, lost: str) -> None:
    cluster = Cluster(folder)
    cluster.start()
    engine = make_engine(cluster.url)
    with engine.begin() as connection:
        connection.execute(text("CREATE TABLE kept (n int)"))
        connection.execute(text("INSERT INTO kept VALUES (7)"))
    engine.dispose()
    cluster.stop()
    (folder / lost).unlink(missing_ok=True)
    again = Cluster(folder)
    again.start()
    assert written(again) == 1


def test_a_lost_password_is_told(folder: Path) -> None:
    cluster = Cluster(folder)
    cluster.start()
    cluster.stop()
    (folder / "password").write_text("")
    with pytest.raises(ServiceError, match=r"password in .* is lost; the data is untouched"):
        Cluster(folder).start()


@pytest.mark.parametrize("junk", ["", "not a number\n"])
def test_a_lock_that_names_nobody_is_no_obstacle(folder: Path, junk: str) -> None:
    cluster = Cluster(folder)
    cluster.start()
    cluster.stop()
    (folder / "data" / "postmaster.pid").write_text(junk)
    (folder / "port").write_text(junk)
    cluster.start()
    assert cluster.running()


def test_the_application_is_no_superuser(folder: Path) -> None:
    cluster = Cluster(folder)
    cluster.start()
    engine = make_engine(cluster.url)
    with engine.connect() as connection:
        query = "SELECT rolsuper OR rolcreaterole OR rolcreatedb FROM pg_roles WHERE rolname = current_user"
        assert connection.execute(text(query)).scalar_one() is False
    engine.dispose()


def test_what_an_older_version_kept_as_superuser_is_handed_over(folder: Path) -> None:
    cluster = Cluster(folder)
    cluster.create()
    cluster._launch()
    with cluster._connection("postgres") as connection:
        connection.execute("CREATE TABLE alembic_version (version_num varchar(32))")
        connection.execute("CREATE TABLE kept (n int)")
        connection.execute("INSERT INTO kept VALUES (1), (2)")
        connection.execute(
            "CREATE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS "
            "$$ BEGIN RETURN NULL; END $$"
        )
    cluster.start()
    assert written(cluster) == 2
    engine = make_engine(cluster.url)
    with engine.begin() as connection:
        connection.execute(text("ALTER TABLE kept ADD COLUMN m int"))
    engine.dispose()


@pytest.mark.parametrize("name", ["a space", "quo'te\"s $HOME", "long-" + "x" * 120])
def test_any_folder_will_do(name: str) -> None:
    base = Path(tempfile.mkdtemp(prefix="umweg-names-"))
    base.chmod(0o755)
    cluster = Cluster(base / name)
    try:
        cluster.start()
        assert cluster.running()
    finally:
        cluster.stop()
        shutil.rmtree(base, ignore_errors=True)


def test_the_version_that_made_the_data_is_asked_for(folder: Path) -> None:
    data = folder / "data"
    (data / "global").mkdir(parents=True)
    (data / "global" / "pg_control").touch()
    (data / "PG_VERSION").write_text("9\n")
    with pytest.raises(ServiceError, match=r"made by PostgreSQL 9, .*postgresql-9"):
        Cluster(folder)
    (data / "PG_VERSION").write_text("15\n")


def test_the_reason_of_a_failed_start_is_told(folder: Path) -> None:
    cluster = Cluster(folder)
    cluster.start()
    cluster.stop()
    (folder / "data" / "postgresql.conf").write_text("shared_buffers = nonsense\n")
    with pytest.raises(ServiceError, match=r"did not start:\n(.|\n)*shared_buffers"):
        Cluster(folder).start()


def test_a_killed_database_is_started_again_by_the_watch(folder: Path) -> None:
    cluster = Cluster(folder)
    cluster.start()
    watch = demo.Watch(cluster)
    watch._thread.start()
    try:
        first = cluster.server_id()
        os.kill(first, signal.SIGKILL)
        deadline = time.monotonic() + 20
        while time.monotonic() < deadline:
            time.sleep(0.2)
            if cluster.running() and cluster.server_id() != first:
                break
        assert cluster.running()
        assert cluster.server_id() != first
    finally:
        watch.close()


@pytest.mark.parametrize(
    "address", ["", "nonsense", "postgresql://x/y", "postgresql+psycopg://u:p@127.0.0.1:99999999/x"]
)
def test_a_bad_address_is_told_in_words(address: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(ENVIRONMENT_KEY, address)
    with pytest.raises(DatabaseError):
        migrate.require_current(make_engine(database_url()))


def test_an_unmigrated_database_is_told(folder: Path) -> None:
    cluster = Cluster(folder)
    cluster.start()
    engine = make_engine(cluster.url)
    with pytest.raises(DatabaseError, match=r"run: \./umweg migrate"):
        migrate.require_current(engine)
    engine.dispose()


def test_four_processes_load_the_demo_at_the_same_time(folder: Path) -> None:
    cluster = Cluster(folder)
    cluster.start()
    engine = make_engine(cluster.url)
    migrate.upgrade(engine)

    def load(_: int) -> bool:
        with Session(engine) as session:
            loaded = store.load_demo(session, "Test workshop", *demo_data())
            session.commit()
            return loaded

    with ThreadPoolExecutor(4) as pool:
        assert sorted(pool.map(load, range(4))) == [False, False, False, True]
    engine.dispose()


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
    with pytest.raises(DatabaseError, match="umweg demo"):
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
            job = json.load(answer)["jobs"][0]["id"]
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
