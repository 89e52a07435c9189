"""``demo`` and ``serve``: from a stopped machine to a served page, and back."""

import os
import signal
import sys
from types import FrameType

import uvicorn
from sqlalchemy.orm import Session

from umweg.db import migrate, store
from umweg.db.session import ENVIRONMENT_KEY, make_engine
from umweg.library import circuit_ids, load_circuit, load_jobs
from umweg.service import frontend
from umweg.service.paths import DATA
from umweg.service.postgres import Cluster, ServiceError, cluster_folder, port_is_free
from umweg.web.app import create_app

DEMO_WORKSHOP = "Werkstatt Ostkai"


def _require_port(port: int) -> None:
    if not port_is_free(port):
        raise ServiceError(
            f"port {port} of 127.0.0.1 is taken; stop what uses it, or choose another: "
            f"./umweg demo --port {port + 1}"
        )


def serve(port: int) -> None:
    """Serve on loopback until stopped."""
    _require_port(port)
    app = create_app(make_engine(), frontend.build())
    print(f"Umweg is at http://127.0.0.1:{port}  (Ctrl-C stops it)", flush=True)
    uvicorn.run(app, host="127.0.0.1", port=port, log_level="warning", timeout_graceful_shutdown=3)


def demo(port: int) -> None:
    """Start the database, migrate, load the demo workshop once, build, serve, stop cleanly."""
    _require_port(port)
    cluster = Cluster(cluster_folder(DATA / "postgres"))
    cluster.start()
    signal.signal(signal.SIGTERM, _as_interrupt)
    try:
        os.environ[ENVIRONMENT_KEY] = cluster.url
        engine = make_engine()
        migrate.upgrade(engine)
        with Session(engine) as session:
            circuits = [load_circuit(name) for name in circuit_ids()]
            store.load_demo(session, DEMO_WORKSHOP, circuits, load_jobs())
            session.commit()
        engine.dispose()
        serve(port)
    except KeyboardInterrupt:
        pass
    finally:
        cluster.stop()
        print("stopped", file=sys.stderr)


def _as_interrupt(_: int, __: FrameType | None) -> None:
    raise KeyboardInterrupt
