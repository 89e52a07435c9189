"""What is published says what the code does."""

import re
import subprocess
from pathlib import Path

import pytest

from umweg.cli import app
from umweg.core.components import component_types
from umweg.core.errors import UmwegError
from umweg.core.faults.population import faults_of
from umweg.core.network.network import Network
from umweg.library import circuit_ids, load_circuit
from umweg.pages import pages
from umweg.service.paths import ROOT
from umweg.web.formats import published

README = (ROOT / "README.md").read_text()
ARCHITECTURE = (ROOT / "docs" / "ARCHITECTURE.md").read_text()


@pytest.mark.parametrize("name", sorted(published()))
def test_published_formats_are_current(name: str) -> None:
    text = published()[name]
    assert (ROOT / "docs" / "formats" / name).read_text() == text, "run: ./umweg formats"


def test_every_command_is_in_the_readme() -> None:
    names = [c.name or c.callback.__name__ for c in app.registered_commands if c.callback]
    names += [g.name or "" for g in app.registered_groups]
    assert len(names) > 6
    for name in names:
        assert f"./umweg {name}" in README


NUMBER = re.compile(r"(?<![\w.])-?\d+(?:\.\d+)?(?:e-?\d+)?(?![\w.])")
PAGES = pages()


@pytest.mark.parametrize("name", sorted(PAGES))
def test_generated_pages_are_current(name: str) -> None:
    """Word for word; solved numbers may differ in their last figure between processors."""
    kept, made = (ROOT / "docs" / name).read_text(), PAGES[name]()
    assert NUMBER.sub("#", kept) == NUMBER.sub("#", made), "run: ./umweg formats"
    numbers = [[float(n) for n in NUMBER.findall(text)] for text in (kept, made)]
    assert numbers[0] == pytest.approx(numbers[1], rel=0.02, abs=2e-3), "run: ./umweg formats"


@pytest.mark.parametrize("name", circuit_ids())
def test_every_fault_has_its_symptoms(name: str) -> None:
    page = (ROOT / "docs" / "symptoms" / f"{name}.md").read_text()
    for fault in faults_of(Network(load_circuit(name))):
        assert f"(`{fault.key}`)" in page, "run: ./umweg formats"


def test_every_component_type_has_its_section() -> None:
    page = PAGES["components.md"]()
    for name in component_types():
        assert f"(`{name}`)" in page


def subclasses(kind: type[UmwegError]) -> list[type[UmwegError]]:
    return [kind, *(s for c in kind.__subclasses__() for s in subclasses(c))]


def test_every_error_code_is_in_the_architecture() -> None:
    for kind in subclasses(UmwegError)[1:]:
        assert f"`{kind.code}`" in ARCHITECTURE


def test_every_screenshot_is_linked_and_there() -> None:
    linked = set(re.findall(r"docs/screenshots/([\w-]+\.png)", README))
    there = {p.name for p in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert linked == there
    assert 5 <= len(there) < 20


def test_lock_files_name_no_host() -> None:
    assert '"resolved": "http' not in (ROOT / "frontend" / "package-lock.json").read_text()
    assert "http" not in re.sub(
        r"#.*|httpx?\w*|httpcore\w*", "", (ROOT / "requirements.lock").read_text()
    )


def test_nothing_large_is_kept_in_git() -> None:
    listed = subprocess.run(
        ["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True
    ).stdout.split()
    for name in listed:
        path = Path(ROOT / name)
        assert not path.exists() or path.stat().st_size < 1_000_000, name
