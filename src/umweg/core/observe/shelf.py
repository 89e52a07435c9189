"""Where this user's processes find again what takes seconds to work out and depends on nothing else.

Every entry is named after all that it depends on, the program's own sources among it, so nothing here
can be wrong, only missing; it can be thrown away at any time.
"""

import hashlib
import os
import shutil
import tempfile
import time
import zipfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from umweg.core.circuit.document import Circuit
from umweg.core.faults.population import Population
from umweg.core.version import model_version, user_folder

FORGOTTEN_AFTER_S = 14 * 24 * 3600.0
"""What another version left is thrown away when nobody has used it for so long, …"""
MOST_VERSIONS = 4
"""… and so many others are kept at most."""

Arrays = Mapping[str, NDArray[Any]]


def found(name: str) -> Arrays | None:
    """What was put here under a name; None where there is nothing that can be read."""
    folder = _folder()
    if folder is None:
        return None
    try:
        with (
            (folder / f"{name}.npz").open("rb") as file,
            np.load(file, allow_pickle=False) as arrays,
        ):
            return {key: arrays[key] for key in arrays.files}
    except (OSError, ValueError, zipfile.BadZipFile):
        return None


def name_of(circuit: Circuit, population: Population) -> str:
    """What is kept of a circuit's candidates is named after both."""
    digest = hashlib.sha256(circuit.model_dump_json().encode())
    for part in (population.slot, population.value, population.below, population.above):
        digest.update(part.tobytes())
    return digest.hexdigest()[:32]


def put(name: str, arrays: Arrays) -> None:
    """Keep arrays under a name, whole or not at all; a folder that cannot be written costs only time."""
    folder = _folder()
    if folder is None:
        return
    try:
        if not folder.is_dir():
            folder.mkdir(parents=True, exist_ok=True)
            _sweep(folder)
        with tempfile.NamedTemporaryFile(dir=folder, suffix=".part", delete=False) as part:
            np.savez(part, **arrays)  # type: ignore[arg-type]
        os.replace(part.name, folder / f"{name}.npz")
    except OSError:
        return


def _folder() -> Path | None:
    """Where this version's entries lie; nowhere where ``UMWEG_SHELF`` is “off”."""
    if os.environ.get("UMWEG_SHELF") == "off":
        return None
    return user_folder() / f"played-{model_version()}"


def _sweep(mine: Path) -> None:
    """Throw away what other versions left long ago, and more of them than are kept."""
    others = [(p.stat().st_mtime, p) for p in mine.parent.glob("played-*") if p != mine]
    for place, (used_s, other) in enumerate(sorted(others, reverse=True)):
        if place >= MOST_VERSIONS or time.time() - used_s > FORGOTTEN_AFTER_S:
            shutil.rmtree(other, ignore_errors=True)
