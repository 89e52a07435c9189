"""What can be reached from where, and what a document is told for it."""

from umweg.core.circuit.document import Circuit
from umweg.core.network.check import circuit_problems
from umweg.core.network.ways import Ways


def test_a_way_back_is_there_only_where_two_nets_are_joined() -> None:
    ways = Ways()
    ways.join(["tank", "inlet", "pump"])
    ways.lead("pump", "gallery")
    ways.join(["spare"])
    assert ways.nets == {"tank", "inlet", "pump", "gallery", "spare"}
    assert ways.reached({"tank"}) == {"tank", "inlet", "pump", "gallery"}
    assert ways.reached({"gallery"}) == {"gallery"}
    assert ways.reached({"spare", "gallery"}) == {"spare", "gallery"}
    assert ways.reached(set()) == set()


def test_a_ring_of_nets_is_gone_round_once() -> None:
    ways = Ways()
    for start, end in (("a", "b"), ("b", "c"), ("c", "a")):
        ways.lead(start, end)
    assert ways.reached({"b"}) == {"a", "b", "c"}


def test_two_pumps_are_told_apart_by_a_check_between_them(packer: Circuit) -> None:
    data = packer.model_dump(mode="json")
    pump = next(c for c in data["components"] if c["id"] == "pump")
    second = {
        **pump,
        "id": "second",
        "connections": {**pump["connections"], "outlet": "between"},
    }
    outlet = pump["connections"]["outlet"]
    hose = {
        "id": "joint",
        "type": "line",
        "label": "Joint",
        "connections": {"inlet": "between", "outlet": outlet},
    }
    data["components"] += [second, hose]
    found = {p.code: p for p in circuit_problems(Circuit.model_validate(data))}
    assert found["joined_pumps"].where == "component pump, port outlet"
    assert "second" in found["joined_pumps"].message
    check = {
        "id": "joint",
        "type": "check_valve",
        "label": "Joint",
        "connections": {"inlet": "between", "outlet": outlet},
    }
    data["components"][-1] = check
    apart = {p.code for p in circuit_problems(Circuit.model_validate(data))}
    assert not apart & {"joined_pumps", "no_relief"}, "the relief bounds it through the check"
    check["connections"] = {"inlet": outlet, "outlet": "between"}
    assert "no_relief" in {p.code for p in circuit_problems(Circuit.model_validate(data))}
