"""Building the front end, only when its sources changed."""

import hashlib
import os
import subprocess
import sys
from pathlib import Path

from umweg.db.session import ENVIRONMENT_KEY
from umweg.service.paths import DATA, FRONT_END
from umweg.service.postgres import ServiceError

SOURCES = ("index.html", "package-lock.json", "vite.config.ts", "tsconfig.json")


def environment() -> dict[str, str]:
    """The environment with this Python's own Node first, if it carries one.

    The scripts of packages have no business with the database: its address is left out.
    """
    folder = Path(sys.executable).parent
    kept = {k: v for k, v in os.environ.items() if k != ENVIRONMENT_KEY}
    return {**kept, "PATH": f"{DATA / 'node'}:{folder}:{os.environ['PATH']}"}


def run_npm(*arguments: str) -> None:
    """Run npm in the front end's folder.

    Raises
    ------
    ServiceError : it failed; its output stands above.
    """
    done = subprocess.run(["npm", *arguments], cwd=FRONT_END, env=environment(), check=False)
    if done.returncode:
        raise ServiceError(f"npm {' '.join(arguments)} failed; its messages stand above")


def _digest(paths: list[Path]) -> str:
    digest = hashlib.sha256()
    for path in sorted(paths):
        digest.update(str(path.relative_to(FRONT_END)).encode())
        digest.update(path.read_bytes())
    return digest.hexdigest()


def install() -> None:
    """Install the front end's packages if the lock file changed."""
    stamp = DATA / "packages.stamp"
    digest = _digest([FRONT_END / "package-lock.json"])
    if (FRONT_END / "node_modules").is_dir() and stamp.exists() and stamp.read_text() == digest:
        return
    run_npm("ci", "--no-audit", "--no-fund", "--loglevel=error")
    DATA.mkdir(exist_ok=True)
    stamp.write_text(digest)


def build() -> Path:
    """Build the front end if stale; returns the folder to serve."""
    output = FRONT_END / "dist"
    stamp = DATA / "build.stamp"
    sources = [FRONT_END / name for name in SOURCES]
    sources += [p for p in (FRONT_END / "src").rglob("*") if p.is_file()]
    digest = _digest(sources)
    if (output / "index.html").exists() and stamp.exists() and stamp.read_text() == digest:
        return output
    install()
    run_npm("run", "--silent", "build")
    stamp.write_text(digest)
    return output
