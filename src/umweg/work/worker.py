"""A worker: takes work from the queue until it is stopped; any number may run, anywhere."""

import asyncio
import os
import signal
import threading

import procrastinate
import structlog
from procrastinate.exceptions import ConnectorException, UniqueViolation
from procrastinate.jobs import Status
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from umweg.core.version import model_version
from umweg.db import kept
from umweg.work.queue import ANSWERS, NAMESPACE, PLAYS, conninfo
from umweg.work.tasks import Workbench, blueprint

log = structlog.get_logger("umweg.work")

HEARTBEAT_S = 3.0
STALLED_S = 15.0
"""A worker that was not heard of for so long is taken for dead, and its work is taken up again."""
POLL_S = 5.0
NICE = 8
KEPT_HOURS = 24
"""How long work that failed or was stopped can be looked at."""


def make_app(url: str) -> procrastinate.App:
    """The application that a worker runs, all tasks known to it."""
    app = procrastinate.App(
        connector=procrastinate.PsycopgConnector(
            conninfo=conninfo(url), min_size=1, max_size=8, timeout=10
        )
    )
    app.add_tasks_from(blueprint(), namespace=NAMESPACE)
    return app


async def _rescue(app: procrastinate.App) -> None:
    """Put back what dead workers had in hand, and forget old failures, again and again."""
    manager = app.job_manager
    while True:
        try:
            for job in await manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_S):
                log.warning("taken up again", work=job.id, task=job.task_name)
                try:
                    await manager.retry_job(job)
                except UniqueViolation:
                    # The same was asked for again meanwhile, and waits.
                    await manager.finish_job(job, Status.ABORTED, delete_job=True)
            await manager.delete_old_jobs(
                nb_hours=KEPT_HOURS,
                include_failed=True,
                include_cancelled=True,
                include_aborted=True,
            )
        except ConnectorException as error:
            log.warning("rescue", why=str(error))
        await asyncio.sleep(POLL_S)


async def run(
    engine: Engine,
    concurrency: int,
    *,
    until_idle: bool = False,
    bench: Workbench | None = None,
) -> None:
    """Work until told to stop.

    Parameters
    ----------
    engine : the database; the queue lies in it too
    concurrency : answers worked out at the same time; one circuit is played beside them
    until_idle : stop when nothing is left to do
    bench : what the tasks share, default nothing at hand yet
    """
    if not until_idle:
        # Whoever waits for a page goes first; what is worked out here comes when it comes.
        os.nice(NICE)
    app = make_app(engine.url.render_as_string(hide_password=False))
    bench = bench or Workbench(engine)
    with Session(engine) as session:
        kept.drop_other_models(session, model_version())
        kept.drop_old_progress(session)
        session.commit()
    async with app.open_async():
        workers = [
            asyncio.create_task(
                app.run_worker_async(
                    queues=[queue],
                    name=queue,
                    concurrency=count,
                    wait=not until_idle,
                    fetch_job_polling_interval=POLL_S,
                    abort_job_polling_interval=1.0,
                    shutdown_graceful_timeout=2.0,
                    delete_jobs="successful",
                    additional_context={"bench": bench},
                    install_signal_handlers=False,
                    update_heartbeat_interval=HEARTBEAT_S,
                    stalled_worker_timeout=STALLED_S,
                )
            )
            for queue, count in ((ANSWERS, concurrency), (PLAYS, 1))
        ]
        rescue = asyncio.create_task(_rescue(app))
        loop = asyncio.get_running_loop()

        def stop() -> None:
            for worker in workers:
                worker.cancel()

        # Signals come to a process's first thread alone.
        if not until_idle and threading.current_thread() is threading.main_thread():
            for number in (signal.SIGINT, signal.SIGTERM):
                loop.add_signal_handler(number, stop)
        try:
            await asyncio.gather(*workers, return_exceptions=False)
        except asyncio.CancelledError:
            pass
        finally:
            rescue.cancel()
