"""The queue of work, on the database that keeps everything else."""

from dataclasses import dataclass
from typing import Any, Literal

import procrastinate
import procrastinate.exceptions
from psycopg.conninfo import make_conninfo

from umweg.db.session import libpq_address

ANSWERS, PLAYS = "answers", "plays"
"""Answers are waited for; playing whole circuits goes on beside them."""
STATUS = Literal["todo", "doing", "succeeded", "failed", "cancelled", "aborting", "aborted"]
NAMESPACE = "umweg"


@dataclass(frozen=True)
class Work:
    """A piece of work in the queue."""

    id: int
    task: str
    status: str


class Queue:
    """Hands work to whoever works; thread-safe.

    Parameters
    ----------
    url : SQLAlchemy's address of the database
    """

    def __init__(self, url: str) -> None:
        self._app = procrastinate.App(
            connector=procrastinate.SyncPsycopgConnector(
                conninfo=conninfo(url), min_size=1, max_size=4, timeout=5
            )
        )
        self._app.open()

    def close(self) -> None:
        """Give the connections back."""
        self._app.close()

    def put(self, task: str, queue: str, name: str, *, priority: int = 0, **arguments: Any) -> None:
        """Ask for a piece of work, unless the same is waiting already.

        Parameters
        ----------
        name : what is the same work: one of that name waits at most
        priority : the higher is taken first
        """
        deferrer = self._app.configure_task(
            f"{NAMESPACE}:{task}",
            queue=queue,
            queueing_lock=name,
            priority=priority,
            allow_unknown=True,
        )
        try:
            deferrer.defer(**arguments)
        except procrastinate.exceptions.AlreadyEnqueued:
            return

    def list(self, status: STATUS | None = None) -> list[Work]:
        """The work that is kept in the queue, in order."""
        found = self._app.job_manager.list_jobs(status=status)
        return [
            Work(job.id or 0, job.task_name.removeprefix(f"{NAMESPACE}:"), job.status or "")
            for job in found
        ]

    def cancel(self, work_id: int) -> bool:
        """Stop a piece of work, waiting or under way; False when it was over."""
        return bool(self._app.job_manager.cancel_job_by_id(work_id, abort=True))


def conninfo(url: str) -> str:
    """libpq's address of the queue's schema in a database."""
    return make_conninfo(libpq_address(url), options="-c search_path=queue")
