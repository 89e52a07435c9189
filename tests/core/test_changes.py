"""What differs between two revisions of a circuit."""

import json
from pathlib import Path

from typer.testing import CliRunner

from umweg.cli import app
from umweg.core.circuit.document import Circuit
from umweg.core.draft.changes import changes_of
from umweg.library import circuit_ids, load_circuit


def changed(circuit: Circuit, **sections: object) -> Circuit:
    return Circuit.model_validate(circuit.model_dump(mode="json") | sections)


def test_a_document_does_not_differ_from_itself() -> None:
    for name in circuit_ids():
        circuit = load_circuit(name)
        assert changes_of(circuit, circuit) == []


def test_values_joins_parts_and_states_are_named_with_before_and_after() -> None:
    old = load_circuit("packer_truck")
    data = old.model_dump(mode="json")
    pump = next(c for c in data["components"] if c["id"] == "pump")
    before = pump["parameters"]["displacement_cm3"]
    pump["parameters"]["displacement_cm3"] = before + 4
    pump["connections"]["inlet"] = "elsewhere"
    gone = data["components"].pop()
    data["states"]["quick"] = {"label": "Quick", "engine": "max"}
    new = Circuit.model_validate(data)
    found = {(c.what, c.id, c.field): c for c in changes_of(old, new)}
    assert len(found) == 4
    size = found["part", "pump", "parameters.displacement_cm3"]
    assert (size.before, size.after) == (f"{before:g}", f"{before + 4:g}")
    assert f"displacement_cm3 {before:g} → {before + 4:g}" in size.words
    assert found["part", "pump", "connections.inlet"].after == "elsewhere"
    assert found["part", gone["id"], ""].how == "gone"
    assert found["state", "quick", ""].how == "added"
    assert found["state", "quick", ""].words == "state Quick is new"
    assert found["part", gone["id"], ""].words == f"part {gone['label']} is gone"
    # The other way round it is the other way round.
    back = {(c.what, c.id, c.field): c for c in changes_of(new, old)}
    assert back["part", gone["id"], ""].how == "added"
    assert back["part", "pump", "parameters.displacement_cm3"].after == f"{before:g}"


def test_what_is_in_a_list_without_a_name_is_found_by_its_place() -> None:
    old = load_circuit("packer_truck")
    moved = {**old.fluid.model_dump(), "viscosity_40_c_mm2_s": 32.0}
    (oil,) = changes_of(old, changed(old, fluid=moved))
    assert (oil.what, oil.field, oil.after) == ("machine", "fluid.viscosity_40_c_mm2_s", "32")


def test_the_command_tells_two_files_apart(tmp_path: Path) -> None:
    old = load_circuit("tail_lift")
    other = tmp_path / "other.json"
    other.write_text(changed(old, name="Another").model_dump_json())
    done = CliRunner().invoke(app, ["changes", "tail_lift", str(other), "--json"])
    assert done.exit_code == 0, done.output
    (only,) = json.loads(done.stdout)
    assert (only["field"], only["before"], only["after"]) == ("name", old.name, "Another")
    said = CliRunner().invoke(app, ["changes", "tail_lift", "tail_lift"])
    assert "nothing differs" in said.stdout
