"""Compiling the laws ahead, so that nobody's first question waits for it."""

import hashlib
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

import numba
import numpy as np

from umweg.core.components import component_types
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.plan import readings_of
from umweg.core.faults.population import single_faults
from umweg.core.network.network import Network
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.predict import Predictor
from umweg.core.observe.timed import TimedReader
from umweg.core.solve.settle import compile_law
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.library import circuit_ids, load_circuit
from umweg.service.paths import ROOT

PROCESSES = 2


def _stamp() -> Path:
    """There when everything is compiled; the folder's name holds a hash of all sources.

    One for each checkout: compiled code is kept by the path of its source.
    """
    checkout = hashlib.sha256(str(ROOT).encode()).hexdigest()[:12]
    return Path(str(numba.config.CACHE_DIR)) / f"complete-{checkout}"  # type: ignore[attr-defined]


def compiled() -> bool:
    """Nothing has to be compiled any more."""
    return _stamp().exists()


def start_compiling() -> list[subprocess.Popen[bytes]]:
    """Compile all laws in processes of their own, unless that is done; returns those to wait for."""
    if compiled():
        return []
    return [
        subprocess.Popen(
            [sys.executable, "-m", "umweg.cli", "kernels", "--part", str(part)],
            cwd=ROOT,
            stdin=subprocess.DEVNULL,
        )
        for part in range(PROCESSES)
    ]


def finish(processes: Sequence[subprocess.Popen[bytes]]) -> bool:
    """Wait for the compilers; True when all is compiled."""
    codes = [process.wait() for process in processes]
    if any(codes):
        return False
    if processes:
        _stamp().parent.mkdir(parents=True, exist_ok=True)
        _stamp().touch()
    return True


def compile_part(part: int) -> None:
    """Compile one share of the laws; the first has the iteration too, the last the
    machines in time."""
    for index, kind in enumerate(component_types().values()):
        if kind.ports and index % PROCESSES == part:
            compile_law(kind)
    smallest = min(
        (Network(load_circuit(name)) for name in circuit_ids()), key=lambda n: n.unknown_count
    )
    if part == PROCESSES - 1:
        reader = TimedReader(smallest.circuit, SteadySolver(smallest))
        for timing in smallest.circuit.timings[:1]:
            reader.values(timing, Cases.as_documented(1))
    if part == 0:
        predictor = Predictor(smallest.circuit, single_faults(smallest), SteadySolver(smallest))
        predictor.prepare(list(smallest.circuit.states.values())[:1])
        assert np.isfinite(predictor[next(iter(smallest.circuit.states.values()))].mean).all()
        # What weighs and plans is compiled with its first plan.
        predictor.patient = False
        state, quantity = next(readings_of(predictor))
        assert Diagnostician(predictor, ()).diagnose([blank(quantity, state)]).suspects
