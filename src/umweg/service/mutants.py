"""``mutate``: change the program in small ways and see whether a test notices.

A night's work as a whole; one tenth of the changes, chosen by the last digit of their number, is
an hour's. What survives is a test that is missing, or a line that nothing needs.
"""

import subprocess
import sys
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from umweg.core.errors import UmwegError
from umweg.service.paths import ROOT

AREAS = ("core.diagnose", "core.observe", "core.shop", "db.store", "db.entries")
NOTICED = ("killed", "timeout", "caught by type check")
BIN = Path(sys.executable).parent


@dataclass(frozen=True)
class Mutants:
    """How many of the changes of one module were noticed, and the names of those that were not."""

    module: str
    noticed: int
    survived: tuple[str, ...]

    @property
    def count(self) -> int:
        """Of all changes tried."""
        return self.noticed + len(self.survived)

    @property
    def share(self) -> float:
        """Of them that a test noticed."""
        return self.noticed / max(self.count, 1)


def patterns(areas: Sequence[str], digit: int | None) -> list[str]:
    """Names of changes as the tool matches them: of areas or modules, all or one tenth."""
    ending = "*" if digit is None else f"*{digit}"
    return [f"umweg.{area}.*__mutmut_{ending}" for area in areas]


def mutate(areas: Sequence[str], digit: int | None) -> list[Mutants]:
    """Run the tests against the changes and count.

    Raises
    ------
    UmwegError : the tests do not pass unchanged, or no such module was found.
    """
    if subprocess.run([BIN / "mutmut", "run", *patterns(areas, digit)], cwd=ROOT).returncode:
        raise UmwegError("the changes could not be tried; what the tool said stands above")
    told = subprocess.run(
        [BIN / "mutmut", "results", "--all", "true"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=True,
    )
    return list(counted(told.stdout.splitlines(), areas, digit))


def counted(lines: Sequence[str], areas: Sequence[str], digit: int | None) -> Iterator[Mutants]:
    """Results, one ``name: word`` a line, by module; what was not tried is left out."""
    tried: dict[str, list[tuple[str, str]]] = {}
    for line in lines:
        name, _, word = line.strip().partition(": ")
        inside = any(name.startswith(f"umweg.{area}.") for area in areas)
        chosen = digit is None or name.endswith(str(digit))
        if inside and chosen and word and word != "not checked":
            module = name.partition(".x")[0]
            tried.setdefault(module, []).append((name, word))
    for module, results in sorted(tried.items()):
        words = Counter(word for _, word in results)
        survived = tuple(n for n, word in results if word not in NOTICED)
        yield Mutants(module, sum(words[w] for w in NOTICED), survived)
