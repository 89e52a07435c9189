"""``demo``, ``serve`` and ``worker``: from a stopped machine to a served page, and back."""

import asyncio
import contextlib
import fcntl
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Iterator, Sequence
from types import FrameType
from typing import Any

import structlog
import uvicorn
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from umweg.core.circuit.document import Circuit
from umweg.db import migrate, store
from umweg.db.bundle import Bundle, keep_bundle
from umweg.db.session import ENVIRONMENT_KEY, make_engine
from umweg.library import circuit_ids, earlier_jobs, load_circuit, load_jobs
from umweg.service import frontend, kernels
from umweg.service.logs import set_up_logs
from umweg.service.paths import DATA, ROOT
from umweg.service.postgres import Cluster, ServiceError, cluster_folder, port_is_free
from umweg.web.app import create_app
from umweg.work.asking import ask_about_open, want, want_played
from umweg.work.queue import Queue
from umweg.work.worker import run

DEMO_WORKSHOP = "Werkstatt Ostkai"
WATCH_S = 1.0
CONCURRENCY = 2

log = structlog.get_logger("umweg.service")


def _require_port(port: int) -> None:
    if not port_is_free(port):
        raise ServiceError(
            f"port {port} of 127.0.0.1 is taken; stop what uses it, or choose another: "
            f"./umweg demo --port {port - 1 if port == 65535 else port + 1}"
        )


def serve(port: int, engine: Engine | None = None) -> None:
    """Serve on loopback until stopped."""
    _require_port(port)
    set_up_logs()
    made = engine or make_engine()
    migrate.require_current(made)
    app = create_app(made, frontend.build())
    print(f"Umweg is at http://127.0.0.1:{port}  (Ctrl-C stops it)", flush=True)
    uvicorn.run(
        app,
        host="127.0.0.1",
        port=port,
        log_level="warning",
        access_log=False,
        timeout_graceful_shutdown=2,
    )


def work(concurrency: int) -> None:
    """Take work from the queue until stopped."""
    set_up_logs()
    engine = make_engine()
    migrate.require_current(engine)
    kernels.finish(kernels.start_compiling())
    print(f"working, {concurrency} answers at a time  (Ctrl-C stops it)", flush=True)
    asyncio.new_event_loop().run_until_complete(run(engine, concurrency))
    # A thread that still computes cannot be stopped, and need not be: what it had in hand is taken
    # up again by whoever works next. Waiting for it would hold up the stop.
    sys.stdout.flush()
    os._exit(0)


@contextlib.contextmanager
def _alone() -> Iterator[None]:
    """One demo of a checkout at a time."""
    DATA.mkdir(parents=True, exist_ok=True)
    with (DATA / "demo.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            lock.seek(0)
            where = lock.read().strip() or "another address"
            raise ServiceError(f"a demo of this checkout runs already, at {where}") from None
        yield


def _note_address(port: int) -> None:
    (DATA / "demo.lock").write_text(f"http://127.0.0.1:{port}\n")


class Watch:
    """Keeps database and worker running: what dies is started again.

    Parameters
    ----------
    cluster : its address is what the worker is given
    """

    def __init__(self, cluster: Cluster, concurrency: int = CONCURRENCY) -> None:
        self._cluster = cluster
        self._concurrency = concurrency
        self._stop = threading.Event()
        self._worker: subprocess.Popen[bytes] | None = None
        self._thread = threading.Thread(target=self._watch, name="watch", daemon=True)

    def start(self) -> None:
        """Start the worker, and begin to watch."""
        self._start_worker()
        self._thread.start()

    def close(self) -> None:
        """Stop watching, and the worker."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(10)
        if self._worker is not None and self._worker.poll() is None:
            self._worker.terminate()
            try:
                self._worker.wait(8)
            except subprocess.TimeoutExpired:
                self._worker.kill()
                self._worker.wait()

    def _start_worker(self) -> None:
        self._worker = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "umweg.cli",
                "worker",
                "--concurrency",
                str(self._concurrency),
            ],
            cwd=ROOT,
            env={**os.environ, ENVIRONMENT_KEY: self._cluster.url},
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            # Ctrl-C in the terminal stops the demo, and the demo stops its worker.
            start_new_session=True,
        )

    def _watch(self) -> None:
        while not self._stop.wait(WATCH_S):
            try:
                if not self._cluster.alive():
                    log.warning("the database is gone; it is started again")
                    self._cluster.start()
                if self._worker is not None and self._worker.poll() is not None:
                    log.warning("the worker is gone; it is started again")
                    self._start_worker()
            except ServiceError as error:
                log.error("watch", why=str(error))


def demo(port: int) -> None:
    """Start the database, migrate, load the demo workshop once, build, serve, stop cleanly."""
    with _alone():
        _require_port(port)
        set_up_logs()
        signal.signal(signal.SIGTERM, _as_interrupt)
        compilers = kernels.start_compiling()
        if compilers:
            print("compiling the flow laws (once, about a minute) …", flush=True)
        cluster = Cluster(cluster_folder(DATA / "postgres"))
        watch = Watch(cluster)
        try:
            cluster.start()
            os.environ[ENVIRONMENT_KEY] = cluster.url
            engine = make_engine(cluster.url)
            prepare_demo(engine)
            if not compilers:
                # It answers while the front end is built and the server starts.
                watch.start()
            frontend.build()
            if compilers:
                kernels.finish(compilers)
                watch.start()
            _note_address(port)
            serve(port, engine)
        except KeyboardInterrupt:
            pass
        finally:
            for process in compilers:
                process.terminate()
            watch.close()
            cluster.stop()
            print("stopped", file=sys.stderr)


def prepare_demo(engine: Engine) -> None:
    """Bring the database to the newest schema, load the demo workshop, have its jobs answered.

    Small machines are answered first: the list fills soonest so.
    """
    migrate.upgrade(engine)
    with Session(engine) as session:
        circuits = [load_circuit(name) for name in circuit_ids()]
        if store.load_demo(session, DEMO_WORKSHOP, circuits, load_jobs()):
            keep_bundle(store.Store.only(session), demo_bundle(earlier_jobs(), circuits))
        circuits.sort(key=lambda c: len(c.components))
        revisions = [store.keep_circuit(session, circuit).sha256 for circuit in circuits]
        asked = ask_about_open(store.Store.only(session))
        place = {sha256: i for i, sha256 in enumerate(revisions)}
        asked.sort(key=lambda a: place.get(a[1].question.circuit_sha256, len(place)))
        session.commit()
    queue = Queue(engine.url.render_as_string(hide_password=False))
    try:
        for job_id, known in asked:
            want(queue, job_id, known)
        for sha256 in revisions:
            want_played(queue, sha256)
    finally:
        queue.close()


def demo_bundle(jobs: Sequence[dict[str, Any]], circuits: Sequence[Circuit]) -> Bundle:
    """The demo workshop's finished jobs with the circuits they are about."""
    used = {job["circuit"] for job in jobs}
    kept = [c.model_dump(mode="json") for c in circuits if c.id in used]
    return Bundle.model_validate({"format": "umweg-bundle/1", "circuits": kept, "jobs": jobs})


def _as_interrupt(_: int, __: FrameType | None) -> None:
    raise KeyboardInterrupt
