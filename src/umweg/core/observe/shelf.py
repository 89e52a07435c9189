"""Where this user's processes find again what takes seconds to work out and depends on nothing else.

Every entry is named after all that it depends on, the program's own sources among it, so nothing here
can be wrong, only missing; it can be thrown away at any time.
"""

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

from umweg.core.version import model_version, user_folder

FORGOTTEN_AFTER_S = 14 * 24 * 3600.0
"""What another version left is thrown away when nobody has used it for so long."""

Arrays = Mapping[str, NDArray[Any]]


def found(name: str) -> Arrays | None:
    """What was put here under a name; None where there is nothing that can be read."""
    path = user_folder() / f"played-{model_version()}" / f"{name}.npz"
    try:
        with path.open("rb") as file, np.load(file, allow_pickle=False) as arrays:
            return {key: arrays[key] for key in arrays.files}
    except (OSError, ValueError, zipfile.BadZipFile):
        return None


def put(name: str, arrays: Arrays) -> None:
    """Keep arrays under a name, whole or not at all; a folder that cannot be written costs only time."""
    folder = user_folder() / f"played-{model_version()}"
    try:
        if not folder.is_dir():
            folder.mkdir(parents=True, exist_ok=True)
            _sweep(folder)
        with tempfile.NamedTemporaryFile(dir=folder, suffix=".part", delete=False) as part:
            np.savez(part, **arrays)  # type: ignore[arg-type]
        os.replace(part.name, folder / f"{name}.npz")
    except OSError:
        return


def _sweep(mine: Path) -> None:
    """Throw away what other versions left long ago."""
    for other in mine.parent.glob("played-*"):
        if other != mine and time.time() - other.stat().st_mtime > FORGOTTEN_AFTER_S:
            shutil.rmtree(other, ignore_errors=True)
