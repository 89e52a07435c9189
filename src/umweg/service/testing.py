"""``test``: formatters, linters, types, contracts, and all tests, ending with pytest's line."""

import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path

from umweg.service import frontend, kernels
from umweg.service.paths import FRONT_END, ROOT

BIN = Path(sys.executable).parent

PYTHON_CHECKS: tuple[tuple[str, ...], ...] = (
    ("ruff", "format", "--check", "."),
    ("ruff", "check", "."),
    ("lint-imports", "--no-cache"),
    ("mypy", "src"),
)
FRONT_END_CHECKS: tuple[tuple[str, ...], ...] = (
    ("npm", "run", "--silent", "lint"),
    ("npm", "run", "--silent", "typecheck"),
    ("npm", "run", "--silent", "test"),
)


def _run(command: Sequence[str], folder: Path) -> bool:
    start = time.monotonic()
    print(f"\n=== {' '.join(command)}", flush=True)
    program = BIN / command[0]
    head = str(program) if program.exists() else command[0]
    done = subprocess.run([head, *command[1:]], cwd=folder, env=frontend.environment(), check=False)
    result = "ok" if done.returncode == 0 else "FAILED"
    print(f"=== {result} in {time.monotonic() - start:.1f} s", flush=True)
    return done.returncode == 0


def run_exhaustive() -> int:
    """Run what plays every library machine with every fault: longer than anybody waits at each change."""
    kernels.finish(kernels.start_compiling())
    command = ("pytest", "-q", "-n", "2", "--dist", "worksteal", "-m", "exhaustive", "tests/core")
    return 0 if _run(command, ROOT) else 1


def run_all(fast: bool = False) -> int:
    """Run every check; later ones run even if an earlier one failed."""
    # Compiled ahead, two processes at a time, and then two test processes share what there is.
    compiling = kernels.start_compiling()
    failed = [c for c in PYTHON_CHECKS if not _run(c, ROOT)]
    if not fast:
        frontend.install()
    kernels.finish(compiling)
    if not fast:
        failed += [c for c in FRONT_END_CHECKS if not _run(c, FRONT_END)]
        frontend.build()
    if failed:
        print("\nfailed: " + "; ".join(" ".join(c) for c in failed), flush=True)
    selected = ["tests/core"] if fast else ["tests"]
    passed = _run(("pytest", "-q", "-n", "2", "--dist", "loadscope", *selected), ROOT)
    return 0 if passed and not failed else 1
