"""The command line: what it prints, and how it refuses."""

import json
import subprocess
import sys
from pathlib import Path
from typing import cast

import pytest
from typer.testing import CliRunner

from umweg.bench.ways import WAYS, Own
from umweg.cli import app, main
from umweg.core.errors import UmwegError
from umweg.library import HERE

JOBS = HERE / "jobs"


def run(*arguments: str) -> str:
    result = CliRunner().invoke(app, list(arguments), catch_exceptions=False)
    assert result.exit_code == 0, result.output
    return result.stdout


def test_check_counts_what_it_found_sound() -> None:
    assert "27 components, 28 nets" in run("check", "packer_truck")


def test_solve_prints_numbers_with_units() -> None:
    text = run("solve", "packer_truck", "--state", "blade_extend_stalled", "--json")
    answer = json.loads(text)
    assert answer["converged"] is True
    assert answer["nets"]["pump_out"]["unit"] == "bar"
    assert 180 < answer["nets"]["pump_out"]["value"] < 190


def test_solve_with_a_fault(tmp_path: Path) -> None:
    state = tmp_path / "state.json"
    state.write_text('{"label": "up", "engine": "idle", "moves": {"tailgate": "raise"}}')
    slow = json.loads(
        run("solve", "packer_truck", "--state", str(state), "--fault", "pump:worn=1", "--json")
    )
    good = json.loads(run("solve", "packer_truck", "--state", str(state), "--json"))
    assert slow["nets"]["tailgate"]["value"] < 0.7 * good["nets"]["tailgate"]["value"]


def test_solve_shows_no_number_that_did_not_converge(monkeypatch: pytest.MonkeyPatch) -> None:
    from umweg.core.solve import steady

    hasty = steady.Options(rounds=(steady.Rule(1.5, 1.5, 2),))
    monkeypatch.setattr(steady.SteadySolver.__init__, "__defaults__", (hasty,))
    result = CliRunner().invoke(
        app, ["solve", "packer_truck", "--state", "blade_extend_stalled", "--json"]
    )
    assert result.exit_code == 1
    answer = json.loads(result.stdout)
    assert answer["converged"] is False
    assert answer["nets"] == {}


@pytest.mark.parametrize("name", ["packer_weak", "packer_slow_hot"])
def test_diagnose_prints_the_agreed_document(name: str) -> None:
    answer = json.loads(run("diagnose", str(JOBS / f"{name}.json"), "--json"))
    assert answer["explained"] is True
    suspect = answer["suspects"][0]
    assert {"component", "mode", "family", "share", "group", "reasons"} <= set(suspect)
    step = answer["plan"]["next_steps"][0]
    assert {
        "point",
        "quantity",
        "state",
        "minutes",
        "bits",
        "healthy",
        "by_suspect",
        "hazards",
    } <= set(step)
    truth = json.loads((HERE / "truth" / f"{name}.json").read_text())["faults"][0]
    assert f"{suspect['component']}:{suspect['mode']}" == truth.split("=")[0]


def test_diagnose_reads_as_text() -> None:
    text = run("diagnose", str(JOBS / "packer_weak.json"))
    assert "Port relief, blade extend: opens early" in text
    assert "speaks for it" in text
    assert "Next:" in text


def test_calibrate_says_what_a_baseline_settles(tmp_path: Path) -> None:
    job = json.loads((JOBS / "packer_weak.json").read_text())
    path = tmp_path / "job.json"
    path.write_text(json.dumps(job))
    assert "no baseline" in run("calibrate", str(path))
    read = {
        "kind": "reading",
        "id": "r1",
        "point": "block_gauge",
        "quantity": "pressure_bar",
        "state": "blade_extend_stalled",
        "value": 187.0,
        "unit": "bar",
        "instrument": "gauge_400",
    }
    job["machine"]["baseline"] = [{"reading": read, "hours": job["machine"]["hours"] - 50}]
    path.write_text(json.dumps(job))
    (first, *_) = json.loads(run("calibrate", str(path), "--json"))
    assert first["spread"] < first["spread_before"]
    assert first["label"] in run("calibrate", str(path))


def test_plan_follows_the_next_steps() -> None:
    job = str(JOBS / "packer_weak.json")
    result = CliRunner().invoke(app, ["plan", job, "--depth", "1", "--json"])
    root = json.loads(result.stdout)
    assert root["leaders"][0]["key"] == "blade_relief_a:set_low"
    assert root["enough"] or sum(b["share"] for b in root["branches"]) == pytest.approx(1, abs=0.01)
    shown = CliRunner().invoke(app, ["plan", "turf_lift", "--depth", "1"])
    assert "min on average, as far as the tree goes" in shown.stdout
    assert "places worked out" in shown.stderr


def test_mend_says_what_it_takes_and_how_it_is_set() -> None:
    text = run("mend", "packer_truck", "main_relief")
    assert "Set to the specification with a gauge" in text
    assert "never above" in text
    assert "if it is not that:" in text
    answer = json.loads(run("mend", str(JOBS / "packer_weak.json"), "blade_relief_a", "--json"))
    assert answer["options"][0]["work"] == "set"
    assert answer["setting"] is None
    assert "set as its maker says" in answer["why_no_setting"]


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["mend", "packer_truck", "main_relief:bent"], "has no fault “bent”"),
        (["mend", "packer_truck", "nowhere"], "no component “nowhere”"),
        (["check", "nothing.json"], "nothing.json cannot be read"),
        (["solve", "packer_truck", "--state", "flying"], "has no state “flying”; it has"),
        (
            ["solve", "packer_truck", "--state", "neutral_idle", "--fault", "pump:worn"],
            "severity of “pump:worn” must be a number",
        ),
        (["diagnose", "missing.json"], "missing.json cannot be read"),
    ],
)
def test_what_a_user_can_mend_is_told(
    arguments: list[str],
    message: str,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    monkeypatch.setattr("sys.argv", ["umweg", *arguments])
    with pytest.raises(SystemExit) as caught:
        main()
    assert caught.value.code == 2
    assert message in capsys.readouterr().err


def test_the_program_says_how_it_is_called() -> None:
    started = [sys.executable, "-m", "umweg", "diagnose", "--help"]
    done = subprocess.run(started, capture_output=True, text=True, check=True)
    assert "Usage: umweg diagnose" in done.stdout


def test_a_job_beside_its_circuit(tmp_path: Path) -> None:
    (tmp_path / "machine.json").write_bytes((HERE / "circuits" / "packer_truck.json").read_bytes())
    job = json.loads((JOBS / "packer_weak.json").read_text())
    job["circuit"] = "machine.json"
    (tmp_path / "job.json").write_text(json.dumps(job))
    assert json.loads(run("diagnose", str(tmp_path / "job.json"), "--json"))["explained"]
    job["circuit"] = "gone.json"
    (tmp_path / "job.json").write_text(json.dumps(job))
    with pytest.raises(UmwegError, match="no circuit file gone"):
        run("diagnose", str(tmp_path / "job.json"))


def test_bench_counts_bands_by_kind_of_reading() -> None:
    arguments = ("--circuit", "turf_lift", "--machines", "1", "--seed", "3")
    found = json.loads(run("bench", "bands", *arguments, "--json"))
    assert found["circuit"] == "turf_lift"
    assert sum(found["asked"].values()) >= 20
    assert found["share"] == sum(found["held"].values()) / sum(found["asked"].values())
    total = run("bench", "bands", *arguments).splitlines()[-1]
    assert total.split()[:4:2] == ["all", "of"]
    assert int(total.split()[3]) == sum(found["asked"].values())


def test_bench_prints_a_line_for_each_circuit() -> None:
    asked = ("turf_lift", "packer_truck")
    text = run("bench", "solve", "--batch", "200", *(w for c in asked for w in ("--circuit", c)))
    lines = text.splitlines()[1:]
    assert [line.split()[0] for line in lines] == list(asked)
    assert all("100.0000%" in line for line in lines)


def test_hidden_machines_of_a_circuit_in_a_file(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(cast(dict[str, object], WAYS), "ladder", Own)
    path = str(HERE / "circuits" / "turf_lift.json")
    arguments = ("--circuit", path, "--machines", "2", "--seed", "5", "--against", "ladder")
    lines = run("bench", "isolate", *arguments).splitlines()
    own, same = (line.split()[1:] for line in lines[1:3])
    assert lines[1].startswith("turf_lift")
    assert lines[2].startswith("ladder")
    assert own == same
    assert own[0] == "2"
    assert "minutes, of the fixed ladder's: 100%" in lines


def test_a_way_that_nobody_knows_is_named() -> None:
    result = CliRunner().invoke(app, ["bench", "isolate", "--against", "luck"])
    assert result.exit_code == 2
    assert "luck" in result.output
    assert "any-order" in result.output
