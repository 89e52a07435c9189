"""``bench load``: technicians at work on a private copy of everything, on loopback, for a bounded time."""

import asyncio
import contextlib
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
import uuid
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import numpy as np

from umweg.db.session import ENVIRONMENT_KEY, make_engine
from umweg.service import frontend, kernels
from umweg.service.demo import prepare_demo
from umweg.service.paths import ROOT
from umweg.service.postgres import Cluster, ServiceError, free_port

MOST_SECONDS = 3600.0
MOST_TECHNICIANS = 500
PREPARE_S = 300.0
KEEP_ALIVE_S = 3.0
WORDS = ("slow", "weak", "as_usual", "dead")


@dataclass
class LoadFigures:
    """What ``bench load`` prints for one number of technicians."""

    technicians: int
    seconds: float
    milliseconds: dict[str, list[float]] = field(default_factory=dict)
    errors: list[str] = field(default_factory=list)
    memory_mb: list[float] = field(default_factory=list)
    """Of the web process: at the beginning, every minute, at the end."""

    @property
    def requests(self) -> int:
        """How many were answered."""
        return sum(len(times) for times in self.milliseconds.values())

    def percentile(self, share: float, what: str | None = None) -> float:
        """Milliseconds within which a share of the requests was answered, of one kind or of all."""
        kinds = self.milliseconds if what is None else {what: self.milliseconds.get(what, [])}
        times = [t for values in kinds.values() for t in values]
        return float(np.percentile(times, 100 * share)) if times else float("nan")


class Technician:
    """Opens the list, a job of their own, tells something, looks at the ranking; and again.

    Parameters
    ----------
    cycle_s : how long one round takes, thinking included
    """

    def __init__(
        self, client: httpx.AsyncClient, figures: LoadFigures, cycle_s: float, seed: int
    ) -> None:
        self._client = client
        self._figures = figures
        self._cycle_s = cycle_s
        self._random = random.Random(seed)
        self._seed = seed

    async def work(self, until: float) -> None:
        """Go on until a moment of the monotonic clock."""
        await asyncio.sleep(self._random.uniform(0, self._cycle_s))
        machines = (await self._call("workshop", "GET", "/api/workshop"))["machines"]
        machine = machines[self._seed % len(machines)]
        job = await self._call(
            "open",
            "POST",
            "/api/jobs",
            {"machine_id": machine["id"], "complaint": f"Load test {self._seed}"},
        )
        drawing = await self._call(
            "schematic", "GET", f"/api/circuits/{job['circuit_revision']}/schematic"
        )
        moves = [(f["id"], m["id"]) for f in drawing["functions"] for m in f["moves"]]
        told: dict[tuple[str, str], str] = {}
        while time.monotonic() < until:
            await self._call("list", "GET", "/api/jobs")
            await self._think()
            await self._call("job", "GET", f"/api/jobs/{job['id']}")
            await self._think()
            if moves:
                await self._tell(job["id"], self._random.choice(moves), told)
            else:
                # A machine that nobody commands has nothing that could behave.
                note = {"data": {"kind": "note", "text": "Nothing to be seen yet."}}
                await self._call("post", "POST", f"/api/jobs/{job['id']}/entries", note)
            await self._think()
            await self._call("ranking", "GET", f"/api/jobs/{job['id']}/diagnosis")
            await self._think()

    async def _tell(
        self, job: str, move: tuple[str, str], told: dict[tuple[str, str], str]
    ) -> None:
        behaviour = {
            "kind": "behaviour",
            "id": "new",
            "function": move[0],
            "move": move[1],
            "how": self._random.choice(WORDS),
            "when": "warm",
        }
        body = {"data": behaviour, "supersedes": told.get(move)}
        added = await self._call("post", "POST", f"/api/jobs/{job}/entries", body)
        told[move] = added["entry"]["id"]

    async def _think(self) -> None:
        await asyncio.sleep(self._cycle_s / 4 * self._random.uniform(0.5, 1.5))

    async def _call(self, what: str, method: str, path: str, body: Any = None) -> Any:
        begin = time.perf_counter()
        headers = {"Idempotency-Key": str(uuid.uuid4())} if method == "POST" else {}
        answer = await self._client.request(method, path, json=body, headers=headers)
        took = (time.perf_counter() - begin) * 1e3
        if answer.status_code >= 400:
            self._figures.errors.append(f"{what}: {answer.status_code} {answer.text[:200]}")
            raise ServiceError(f"{what} was answered with {answer.status_code}")
        self._figures.milliseconds.setdefault(what, []).append(took)
        return answer.json()


async def _load(base: str, server: int, figures: LoadFigures, cycle_s: float) -> LoadFigures:
    count = figures.technicians
    # A connection is given up before the server does: otherwise a request now and then meets a
    # closed one, which a browser tries again by itself and this client does not.
    limits = httpx.Limits(
        max_connections=count, max_keepalive_connections=count, keepalive_expiry=KEEP_ALIVE_S
    )
    async with httpx.AsyncClient(base_url=base, limits=limits, timeout=60) as client:
        until = time.monotonic() + figures.seconds
        watch = asyncio.create_task(_watch_memory(server, figures))
        crew = [Technician(client, figures, cycle_s, seed) for seed in range(count)]
        ended = await asyncio.gather(*(t.work(until) for t in crew), return_exceptions=True)
        watch.cancel()
    figures.memory_mb.append(_memory_mb(server))
    figures.errors += [repr(e) for e in ended if isinstance(e, BaseException)]
    return figures


async def _watch_memory(server: int, figures: LoadFigures) -> None:
    while True:
        figures.memory_mb.append(_memory_mb(server))
        await asyncio.sleep(60)


def bench_load(technicians: Sequence[int], seconds: float, cycle_s: float) -> Iterator[LoadFigures]:
    """Measure each number of technicians in turn.

    Raises
    ------
    ServiceError : more is asked for than a load test may do, or the application does not start.
    """
    if not 0 < seconds <= MOST_SECONDS or any(not 0 < n <= MOST_TECHNICIANS for n in technicians):
        raise ServiceError(
            f"a load test takes 1 to {MOST_TECHNICIANS} technicians and {MOST_SECONDS:.0f} s at most"
        )
    with _everything() as (base, server):
        for count in technicians:
            yield asyncio.run(_load(base, server, LoadFigures(count, seconds), cycle_s))


def _memory_mb(process: int) -> float:
    for line in Path(f"/proc/{process}/status").read_text().splitlines():
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) / 1024
    return float("nan")


@contextlib.contextmanager
def _everything() -> Iterator[tuple[str, int]]:
    """Database, web server and worker of their own, every circuit played."""
    kernels.finish(kernels.start_compiling())
    frontend.build()
    folder = Path(tempfile.mkdtemp(prefix="umweg-load-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "postgres")
    processes: list[subprocess.Popen[bytes]] = []
    try:
        cluster.start()
        prepare_demo(make_engine(cluster.url))
        port = free_port()
        environment = {**os.environ, ENVIRONMENT_KEY: cluster.url, "UMWEG_LOG": "warning"}
        for command in (["serve", "--port", str(port)], ["worker"]):
            processes.append(
                subprocess.Popen(
                    [sys.executable, "-m", "umweg.cli", *command],
                    cwd=ROOT,
                    env=environment,
                    stdin=subprocess.DEVNULL,
                    stdout=subprocess.DEVNULL,
                )
            )
        base = f"http://127.0.0.1:{port}"
        _wait_until_played(base)
        yield base, processes[0].pid
    finally:
        for process in processes:
            process.terminate()
        for process in processes:
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def _wait_until_played(base: str) -> None:
    end = time.monotonic() + PREPARE_S
    while time.monotonic() < end:
        with contextlib.suppress(httpx.TransportError):
            waiting = httpx.get(f"{base}/api/queue").json()
            if not waiting:
                return
        time.sleep(1)
    raise ServiceError("the circuits were not played in time")
