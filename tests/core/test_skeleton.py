"""The frame of each family: parts and joins of a library machine, every number a guess."""

import pytest

from umweg.core.components import component_type
from umweg.core.draft.frame import drafted_of
from umweg.core.draft.listing import document_of, read_listing
from umweg.core.draft.skeleton import FAMILIES, skeleton_listing, skeleton_of
from umweg.core.network.check import circuit_problems
from umweg.core.network.network import Network
from umweg.library import circuit_ids, load_circuit


def test_every_family_has_its_frame() -> None:
    there = {f for name in circuit_ids() for f in load_circuit(name).family}
    assert there == FAMILIES.keys()


@pytest.mark.parametrize("name", circuit_ids())
def test_a_frame_is_read_again_with_every_join_and_no_number_known(name: str) -> None:
    circuit = load_circuit(name)
    frame = document_of(read_listing(skeleton_listing(circuit)))
    assert circuit_problems(frame) == []
    assert [(c.id, c.type, c.connections) for c in frame.components] == [
        (c.id, c.type, c.connections) for c in circuit.components
    ]
    for part in frame.components:
        kind = component_type(part.type)
        spread = {n for n in kind.Parameters.model_fields if kind.typed(n)}
        assert spread == set(part.typical)
        assert part.location == ""
    assert not frame.states
    assert not frame.specifications
    assert frame.name == f"New {circuit.machine_kind}"
    # Numbers stay as the guess to begin with.
    assert skeleton_of(circuit).components[1].parameters == circuit.components[1].parameters
    assert Network(frame).unknown_count == Network(circuit).unknown_count


@pytest.mark.parametrize("name", ["packer_truck", "loading_ramp", "mulcher_clutches"])
def test_a_frame_makes_a_machine_that_works(name: str) -> None:
    circuit = load_circuit(name)
    drafted = drafted_of(skeleton_listing(circuit)).circuit
    assert {f.id for f in drafted.functions} >= {f.id for f in circuit.functions}
    assert len(drafted.states) > 4
