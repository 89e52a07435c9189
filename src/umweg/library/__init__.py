"""Our circuits, jobs and demo workshop, as data files."""

import json
from functools import cache
from pathlib import Path
from typing import Any

from umweg.core.circuit.document import Circuit, read_circuit
from umweg.core.draft.frame import drafted_of
from umweg.core.draft.joins import Pairings
from umweg.core.errors import FormatError
from umweg.core.observe.case import Case, read_cases
from umweg.core.observe.job import Job, read_job

HERE = Path(__file__).parent


def circuit_ids() -> list[str]:
    """Ids of all library circuits."""
    return sorted(p.stem for p in (HERE / "circuits").glob("*.json"))


def load_circuit(circuit_id: str) -> Circuit:
    """A library circuit.

    Raises
    ------
    FormatError : the library has no circuit of that id.
    """
    if circuit_id not in circuit_ids():
        known = ", ".join(circuit_ids())
        raise FormatError(f"the library has no circuit “{circuit_id}”; it has {known}")
    return read_circuit((HERE / "circuits" / f"{circuit_id}.json").read_bytes())


def typed_ids() -> list[str]:
    """Names of the lists that somebody typed from paper."""
    return sorted(p.stem for p in (HERE / "typed").glob("*.txt"))


def load_typed(name: str) -> Circuit:
    """A typed list with everything that a draft adds.

    Raises
    ------
    FormatError : there is no such list.
    """
    if name not in typed_ids():
        raise FormatError(f"there is no typed list “{name}”; there are {', '.join(typed_ids())}")
    text = (HERE / "typed" / f"{name}.txt").read_text()
    return drafted_of(text).circuit


@cache
def known_pairings() -> Pairings:
    """Which ports are joined on the library's machines."""
    return Pairings.of(load_circuit(name) for name in circuit_ids())


def load_jobs() -> list[Job]:
    """All library jobs; the hidden truths beside them are not read."""
    return [read_job(p.read_bytes()) for p in sorted((HERE / "jobs").glob("*.json"))]


def earlier_jobs() -> list[dict[str, Any]]:
    """Finished jobs of the demo workshop, each as in a bundle; their circuits are the library's."""
    found: list[dict[str, Any]] = []
    for path in sorted((HERE / "earlier").glob("*.json")):
        found += json.loads(path.read_bytes())
    return found


def circuit_of(job: Job, beside: Path) -> Circuit:
    """The circuit a job file names: a library id, or a path relative to the job file.

    Raises
    ------
    FormatError : it is neither.
    """
    path = beside.parent / job.circuit
    if job.circuit.endswith(".json"):
        if not path.is_file():
            raise FormatError(f"{beside}: there is no circuit file {job.circuit} beside it")
        return read_circuit(path.read_bytes())
    return load_circuit(job.circuit)


def load_cases(circuit_id: str = "") -> list[Case]:
    """Cases in the trade's words: of one circuit, or all.

    Raises
    ------
    FormatError : there are no cases of that circuit, or a file of them is wrong; names every place.
    """
    known = sorted(p.stem for p in (HERE / "cases").glob("*.toml"))
    if circuit_id and circuit_id not in known:
        raise FormatError(f"there are no cases of “{circuit_id}”; there are of {', '.join(known)}")
    files = sorted((HERE / "cases").glob(f"{circuit_id or '*'}.toml"))
    return [case for path in files for case in read_cases(path.read_text(), load_circuit)]
