"""Which version of the computation this is, and where its user keeps what it has made."""

import hashlib
import os
from functools import cache
from pathlib import Path


def user_folder() -> Path:
    """Where compiled kernels and what was solved lie: ``UMWEG_KERNELS``, else the user's cache."""
    cache_home = os.environ.get("XDG_CACHE_HOME") or os.path.expanduser("~/.cache")
    return Path(os.environ.get("UMWEG_KERNELS") or Path(cache_home) / "umweg")


@cache
def model_version() -> str:
    """A hash of all of the core: whatever changes there may change an answer."""
    digest = hashlib.sha256()
    root = Path(__file__).parent
    for source in sorted(root.rglob("*.py")):
        digest.update(str(source.relative_to(root)).encode())
        digest.update(source.read_bytes())
    return digest.hexdigest()[:16]
