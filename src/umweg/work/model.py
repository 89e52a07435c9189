"""Which version of the computation this is."""

import hashlib
from functools import cache
from pathlib import Path

import umweg.core


@cache
def model_version() -> str:
    """A hash of all of the core: whatever changes there may change an answer."""
    digest = hashlib.sha256()
    root = Path(umweg.core.__file__).parent
    for source in sorted(root.rglob("*.py")):
        digest.update(str(source.relative_to(root)).encode())
        digest.update(source.read_bytes())
    return digest.hexdigest()[:16]
