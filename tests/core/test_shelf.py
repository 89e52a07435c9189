"""What a user's processes keep for one another: found again, never wrong, never in the way."""

import os
import time
from pathlib import Path

import numpy as np
import pytest

from umweg.core.observe import shelf
from umweg.core.version import model_version, user_folder

ARRAYS = {"mean": np.arange(4.0), "known": np.array([True, False])}


@pytest.fixture(autouse=True)
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("UMWEG_KERNELS", str(tmp_path / "kept"))
    return tmp_path / "kept"


def test_what_was_put_is_found_as_it_was() -> None:
    assert shelf.found("a") is None
    shelf.put("a", ARRAYS)
    again = shelf.found("a")
    assert again is not None
    assert {k: v.tolist() for k, v in again.items()} == {k: v.tolist() for k, v in ARRAYS.items()}
    shelf.put("a", {"mean": np.zeros(2)})
    replaced = shelf.found("a")
    assert replaced is not None
    assert replaced.keys() == {"mean"}


def test_a_half_written_file_is_as_good_as_none(folder: Path) -> None:
    shelf.put("a", ARRAYS)
    (path,) = folder.rglob("a.npz")
    path.write_bytes(path.read_bytes()[:40])
    assert shelf.found("a") is None
    path.write_bytes(b"not an archive")
    assert shelf.found("a") is None
    assert not list(folder.rglob("*.part")), "nothing half done is left"


def test_a_folder_that_cannot_be_made_costs_only_time(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_text("in the way")
    monkeypatch.setenv("UMWEG_KERNELS", str(tmp_path / "file"))
    shelf.put("a", ARRAYS)
    assert shelf.found("a") is None


def test_other_versions_are_thrown_away_when_nobody_has_used_them_for_long(folder: Path) -> None:
    old, recent = folder / "played-old", folder / "played-recent"
    for other in (old, recent):
        other.mkdir(parents=True)
    long_ago = time.time() - shelf.FORGOTTEN_AFTER_S - 60
    os.utime(old, (long_ago, long_ago))
    shelf.put("a", ARRAYS)
    assert not old.exists()
    assert recent.exists()
    assert (folder / f"played-{model_version()}").exists()


def test_the_folder_is_the_users_own(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("UMWEG_KERNELS")
    monkeypatch.setenv("XDG_CACHE_HOME", "/somewhere")
    assert user_folder() == Path("/somewhere/umweg")
