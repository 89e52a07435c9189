"""Open ports of a list are offered the nets that such ports are joined to on known machines."""

import json
from pathlib import Path

import pytest
from typer.testing import CliRunner

from umweg.cli import app
from umweg.core.draft.joins import Pairings, likely_joins
from umweg.core.draft.listing import read_listing, write_listing
from umweg.library import circuit_ids, known_pairings, load_circuit

BEGUN = """engine engine "Engine"
tank reservoir tank=tank suction=tank_out
coupling drive_coupling driver=engine driven=shaft
pump fixed_pump inlet=? outlet=p shaft=?
relief relief_valve inlet=? outlet=?
ram cylinder A=cap B=ring rod=wedge
wedge mechanical_load rod=?
"""


def offered(text: str) -> dict[str, tuple[str, ...]]:
    found = likely_joins(read_listing(text), known_pairings())
    return {f"{o.component}.{o.port}": o.nets for o in found}


def test_the_likely_net_stands_first() -> None:
    found = offered(BEGUN)
    assert found["pump.inlet"][0] == "tank_out"
    assert found["pump.shaft"][0] == "shaft"
    assert found["relief.inlet"][0] == "p"
    assert "tank" in found["relief.outlet"]
    assert found["wedge.rod"] == ("wedge",)


def test_only_what_is_of_the_same_kind_is_offered_and_never_the_part_itself() -> None:
    found = offered(BEGUN)
    assert not {"shaft", "engine", "wedge"} & set(found["relief.inlet"])
    assert "p" not in found["pump.inlet"], "its own outlet"
    assert set(found["pump.shaft"]) <= {"shaft", "engine"}


def test_a_port_that_nothing_fits_is_told_all_the_same() -> None:
    (only,) = likely_joins(read_listing("ram cylinder A=a B=b rod=?\n"), known_pairings())
    assert (only.line, only.component, only.port, only.nets) == (1, "ram", "rod", ())


def test_pairs_are_counted_once_a_net_and_both_ways() -> None:
    pairings = Pairings.of([load_circuit("packer_truck")])
    for (a, b), count in pairings.exact.items():
        assert pairings.exact[b, a] == count
    assert pairings.score(("fixed_pump", "outlet"), ("mechanical_load", "rod")) == 0.0
    assert Pairings.of([]).score(("fixed_pump", "outlet"), ("relief_valve", "inlet")) == 0.0


@pytest.mark.parametrize("circuit_id", ["packer_truck", "forwarder_crane", "turf_lift"])
def test_most_joins_of_a_machine_are_found_by_the_other_machines(circuit_id: str) -> None:
    """A join is taken out of a finished list; the others' pairings put it back among the offered."""
    others = Pairings.of(load_circuit(c) for c in circuit_ids() if c != circuit_id)
    circuit = load_circuit(circuit_id)
    text = write_listing(circuit)
    ends: dict[str, int] = {}
    for part in circuit.components:
        for net in part.connections.values():
            ends[net] = ends.get(net, 0) + 1
    found, asked = 0, 0
    for part in circuit.components:
        for port, net in part.connections.items():
            if ends[net] < 2:
                continue
            lines = text.splitlines()
            at = next(i for i, line in enumerate(lines) if line.startswith(f"{part.id} "))
            lines[at] = lines[at].replace(f" {port}={net}", f" {port}=?", 1)
            (open_port,) = likely_joins(read_listing("\n".join(lines)), others)
            asked += 1
            found += net in open_port.nets
    assert asked > 30
    assert found / asked > 0.75, f"{found} of {asked}"


def test_the_command_says_it(tmp_path: Path) -> None:
    typed = tmp_path / "begun.txt"
    typed.write_text(BEGUN)
    done = CliRunner().invoke(app, ["joins", str(typed), "--json"])
    assert done.exit_code == 0
    told = {f"{o['component']}.{o['port']}": o for o in json.loads(done.stdout)}
    assert told["pump.inlet"]["nets"][0] == "tank_out"
    assert told["pump.inlet"]["line"] == 4
