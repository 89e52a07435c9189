"""Does a machine run, and is what no machine of the trade does named in words."""

import json
from pathlib import Path

import pytest
from typer.testing import CliRunner

from umweg.cli import app
from umweg.core.circuit.document import Circuit
from umweg.core.draft.runs import Runs, runs
from umweg.library import circuit_ids, load_circuit


def typed(circuit_id: str, **changes: float) -> Circuit:
    """A library machine with some of its numbers mistyped, ``part__parameter``."""
    document = load_circuit(circuit_id).model_dump(mode="json", exclude_unset=True)
    for name, value in changes.items():
        part, _, parameter = name.partition("__")
        component = next(c for c in document["components"] if c["id"] == part)
        component.setdefault("parameters", {})[parameter] = value
    return Circuit.model_validate(document)


def words_about(found: Runs, component: str) -> str:
    return " ".join(o.words for o in found.odd if o.component == component)


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_of_a_machine_that_runs_nothing_is_said(circuit_id: str) -> None:
    circuit = load_circuit(circuit_id)
    found = runs(circuit)
    assert [s.state for s in found.states] == list(circuit.steady)
    assert all(s.nets is not None for s in found.states)
    assert found.odd == ()


def test_a_hose_of_a_pipes_bore_is_named_with_the_speed_of_its_oil() -> None:
    """70 L/min through 8 mm: 70/6·10⁻⁴/(π/4·8²·10⁻⁶) = 23 m/s."""
    found = runs(typed("packer_truck", pressure_hose__bore_mm=8))
    assert "23 m/s" in words_about(found, "pressure_hose")
    assert {o.component for o in found.odd} == {"pressure_hose"}


def test_a_pump_that_cannot_draw_starves() -> None:
    assert "starve" in words_about(runs(typed("packer_truck", suction_hose__bore_mm=12)), "pump")


def test_a_relief_above_what_parts_are_rated_for_is_told_by_its_parts_not_by_all() -> None:
    found = runs(typed("packer_truck", main_relief__set_bar=400))
    assert "rated 250 bar" in words_about(found, "pump")
    assert len(found.odd) == 3


def test_a_bore_typed_in_centimetres_makes_a_cylinder_too_fast() -> None:
    small = {f"tailgate_{side}__bore_mm": 12 for side in ("left", "right")}
    small |= {f"tailgate_{side}__rod_mm": 6 for side in ("left", "right")}
    found = runs(typed("packer_truck", **small))
    assert "mm/s: are its bore" in words_about(found, "tailgate_right")


def test_a_load_that_nothing_lifts_stands_still() -> None:
    found = runs(typed("packer_truck", main_relief__set_bar=30))
    assert [o.words.split(":")[0] for o in found.odd] == [
        "“Packer blade” would stand still",
        "“Tailgate” would stand still",
    ]


def test_a_valve_that_shuts_in_neutral_sends_all_oil_over_the_relief() -> None:
    circuit = typed("packer_truck", blade_section__bypass_k=0.5)
    said = words_about(runs(circuit), "main_relief")
    assert "although nobody moves anything" in said


def test_it_is_a_command(tmp_path: Path) -> None:
    file = tmp_path / "narrow.json"
    file.write_text(typed("packer_truck", pressure_hose__bore_mm=8).model_dump_json())
    told = CliRunner().invoke(app, ["runs", str(file), "--json"])
    assert told.exit_code == 0, told.output
    found = json.loads(told.output)
    assert found["odd"][0]["component"] == "pressure_hose"
    assert found["states"][0]["nets"]["blade_a"][1] == "bar"
    assert "25 of 25 states settle" in CliRunner().invoke(app, ["runs", "packer_truck"]).output
