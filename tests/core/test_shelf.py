"""What a user's processes keep for one another: found again, never wrong, never in the way."""

import os
import time
from pathlib import Path

import numpy as np
import pytest

from umweg.core.observe import shelf
from umweg.core.observe.exhibits import Played
from umweg.core.observe.observations import OBSERVATIONS
from umweg.core.observe.predict import Predictor
from umweg.core.solve.steady import SteadySolver
from umweg.core.version import model_version, user_folder
from umweg.library import load_circuit

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


def test_nothing_is_kept_where_it_is_off(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    shelf.put("a", ARRAYS)
    monkeypatch.setenv("UMWEG_SHELF", "off")
    assert shelf.found("a") is None
    shelf.put("b", ARRAYS)
    assert [p.name for p in folder.rglob("*.npz")] == ["a.npz"]


def test_what_one_process_has_solved_another_finds(monkeypatch: pytest.MonkeyPatch) -> None:
    circuit = load_circuit("utility_cart")
    state = next(iter(circuit.steady.values()))
    sight = next(sight for kind in OBSERVATIONS for _, sight, _ in kind.sights(circuit))
    first = Played(Predictor.of(circuit))
    quantity = first.predictor.quantities[0]
    shown, seen = first.shown(quantity, state), first.seen(sight)
    elsewhere = Predictor.of(circuit)
    alone = Predictor.of(circuit, shelved=False)
    assert not alone.has(state)

    def refused(*_: object) -> None:
        raise AssertionError("it is solved again")

    monkeypatch.setattr(SteadySolver, "solve", refused)
    assert elsewhere.has(state)
    again = Played(elsewhere)
    np.testing.assert_array_equal(again.seen(sight), seen)
    np.testing.assert_array_equal(again.shown(quantity, state).mean, shown.mean)
    np.testing.assert_allclose(again.shown(quantity, state).slope, shown.slope, atol=1e-6)
    np.testing.assert_array_equal(elsewhere[state].healthy, first.predictor[state].healthy)
    assert elsewhere[state].solution.converged.all()
    with pytest.raises(AssertionError, match="solved again"):
        alone.prepare([state])


def test_another_circuit_finds_nothing_of_it() -> None:
    circuit = load_circuit("utility_cart")
    state = next(iter(circuit.steady.values()))
    Predictor.of(circuit).prepare([state])
    changed = circuit.model_copy(update={"name": "another"})
    assert not Predictor.of(changed).has(state)


def test_few_other_versions_are_kept(folder: Path) -> None:
    for age_s in range(shelf.MOST_VERSIONS + 3):
        other = folder / f"played-{age_s}"
        other.mkdir(parents=True)
        os.utime(other, (time.time() - 60.0 * age_s,) * 2)
    shelf.put("a", ARRAYS)
    others = {f"played-{age_s}" for age_s in range(shelf.MOST_VERSIONS)}
    assert {p.name for p in folder.iterdir()} == {f"played-{model_version()}", *others}


def test_the_folder_is_the_users_own(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("UMWEG_KERNELS")
    monkeypatch.setenv("XDG_CACHE_HOME", "/somewhere")
    assert user_folder() == Path("/somewhere/umweg")
