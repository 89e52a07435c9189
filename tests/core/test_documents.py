"""Broken documents: each is refused whole, and the message names what to mend."""

import json
from collections.abc import Callable
from typing import Any

import pytest

from umweg.core.circuit.document import Circuit, read_circuit
from umweg.core.errors import CircuitError, FormatError
from umweg.core.fluid import viscosity_mm2_s
from umweg.core.network.check import check_circuit
from umweg.core.observe.job import read_job
from umweg.core.shop.compliance import findings, unmet_specifications
from umweg.core.units import UNITS, from_base, to_base
from umweg.library import HERE

Data = dict[str, Any]


def component(data: Data, identifier: str) -> Data:
    return next(c for c in data["components"] if c["id"] == identifier)


def drop(data: Data, identifier: str) -> None:
    data["components"] = [c for c in data["components"] if c["id"] != identifier]


def open_port(data: Data) -> None:
    del component(data, "pump")["connections"]["outlet"]


def dead_end(data: Data) -> None:
    component(data, "pressure_hose")["connections"]["outlet"] = "block_inlett"


def no_relief(data: Data) -> None:
    drop(data, "main_relief")
    for name in ("blade_relief_a", "blade_relief_b"):
        drop(data, name)


def unknown_type(data: Data) -> None:
    component(data, "cooler")["type"] = "radiator"


def out_of_range(data: Data) -> None:
    component(data, "main_relief")["parameters"]["set_bar"] = 17500


def misspelt_parameter(data: Data) -> None:
    component(data, "pump")["parameters"]["displacement_cc"] = 51


def mixed_net(data: Data) -> None:
    component(data, "blade_left")["connections"]["B"] = "blade"


def wrong_port(data: Data) -> None:
    component(data, "cooler")["connections"]["bypass"] = "tank"


def no_command(data: Data) -> None:
    data["functions"][0]["moves"]["extend"]["commands"] = {"blade_section.solenoid": 1}


def missing_net(data: Data) -> None:
    data["test_points"][1]["net"] = "valve_inlet"


def no_state(data: Data) -> None:
    data["specifications"][0]["state"] = "pump_at_load"


def two_pumps(data: Data) -> None:
    second = json.loads(json.dumps(component(data, "pump")))
    second["id"] = "pump_two"
    data["components"].append(second)


def twice(data: Data) -> None:
    data["components"].append(component(data, "cooler"))


def wrong_adjuster(data: Data) -> None:
    component(data, "main_relief")["service"]["adjuster"]["parameter"] = "seat_k"


BROKEN: list[tuple[Callable[[Data], None], list[str]]] = [
    (open_port, ["component pump, port outlet: is not connected"]),
    (dead_end, ["net block_inlett: has one end only, at pressure_hose.outlet"]),
    (no_relief, ["component pump, port outlet: no relief valve bounds"]),
    (unknown_type, ["component cooler: type “radiator” is not known"]),
    (out_of_range, ["component main_relief, parameter set_bar", "17500", "in bar"]),
    (misspelt_parameter, ["component pump, parameter displacement_cc", "not a parameter"]),
    (mixed_net, ["net blade: joins what does not join", "blade_left.B (hydraulic)"]),
    (wrong_port, ["component cooler, port bypass: there is no such port"]),
    (no_command, ["function blade, move extend: no command “blade_section.solenoid”"]),
    (missing_net, ["test point block_gauge: there is no net “valve_inlet”"]),
    (no_state, ["specification pump_flow: there is no state “pump_at_load”"]),
    (two_pumps, ["component pump, port outlet: pushes on the same net as “pump_two”"]),
    (twice, ["component cooler: this id is used twice"]),
    (wrong_adjuster, ["component main_relief: “seat_k” cannot be adjusted"]),
]


@pytest.mark.parametrize(("damage", "messages"), BROKEN, ids=[b[0].__name__ for b in BROKEN])
def test_broken_document(
    packer_data: Data, damage: Callable[[Data], None], messages: list[str]
) -> None:
    damage(packer_data)
    with pytest.raises(CircuitError) as caught:
        check_circuit(read_circuit(json.dumps(packer_data)))
    for message in messages:
        assert message in str(caught.value)


def test_all_mistakes_are_found_at_once(packer_data: Data) -> None:
    for damage in (out_of_range, misspelt_parameter, wrong_port, no_command, missing_net, no_state):
        damage(packer_data)
    with pytest.raises(CircuitError) as caught:
        check_circuit(read_circuit(json.dumps(packer_data)))
    assert len(caught.value.problems) == 6


def test_a_file_that_is_no_circuit() -> None:
    with pytest.raises(FormatError, match="not a JSON file"):
        read_circuit("{")
    with pytest.raises(FormatError) as caught:
        read_circuit('{"format": "umweg-circuit/9", "id": "x"}')
    assert any(p.where == "components" for p in caught.value.problems)
    assert any(p.where == "format" for p in caught.value.problems)


def test_a_file_that_is_no_job() -> None:
    with pytest.raises(FormatError, match="not a job"):
        read_job('{"format": "umweg-job/1"}')


def test_library_circuit_is_sound_and_meets_its_specifications(packer_data: Data) -> None:
    circuit = read_circuit(json.dumps(packer_data))
    check_circuit(circuit)
    assert unmet_specifications(circuit) == []


def test_unmet_specification_names_the_computed_value(packer_data: Data) -> None:
    packer_data["specifications"][1]["low"] = 186
    problems = unmet_specifications(read_circuit(json.dumps(packer_data)))
    assert len(problems) == 1
    assert "main_pressure" in problems[0].where
    assert "the healthy machine shows 184" in problems[0].message


@pytest.mark.parametrize(
    ("oil_c", "expected"), [(40.0, 46.0), (100.0, 6.8)], ids=["40 °C", "100 °C"]
)
def test_viscosity_at_its_reference_temperatures(oil_c: float, expected: float) -> None:
    assert viscosity_mm2_s(oil_c, 46.0, 6.8) == pytest.approx(expected, rel=1e-9)


def test_viscosity_between_against_the_walther_line() -> None:
    """ASTM D341 worked by hand for 46/6.8 mm²/s: log log(ν + 0.7) is a straight line in log T.

    log log 46.7 = 0.222539 at log 313.15 = 2.495752, log log 7.5 = −0.057962 at log 373.15 =
    2.571883: slope −3.68447. At 333.15 K 0.123471, at 273.15 K 0.441216.
    """
    assert viscosity_mm2_s(60.0, 46.0, 6.8) == pytest.approx(10 ** (10**0.123471) - 0.7, rel=1e-4)
    assert viscosity_mm2_s(0.0, 46.0, 6.8) == pytest.approx(10 ** (10**0.441216) - 0.7, rel=1e-4)


@pytest.mark.parametrize("symbol", list(UNITS))
def test_units_convert_there_and_back(symbol: str) -> None:
    assert from_base(to_base(37.5, symbol), symbol) == pytest.approx(37.5)


def test_unit_definitions() -> None:
    assert to_base(1000, "psi") == pytest.approx(68.9476, abs=1e-4)
    assert to_base(10, "gpm") == pytest.approx(37.854, abs=1e-3)
    assert to_base(212, "°F") == pytest.approx(100.0)
    assert to_base(18, "MPa") == 180


def turned(data: Data, identifier: str, one: str, two: str) -> None:
    joins = component(data, identifier)["connections"]
    joins[one], joins[two] = joins[two], joins[one]


def test_check_valve_pointing_the_wrong_way_is_named() -> None:
    data: Data = json.loads((HERE / "circuits" / "turf_lift.json").read_text())
    turned(data, "lift_check", "inlet", "outlet")
    found = [str(p) for p in findings(read_circuit(json.dumps(data)))]
    assert any("component lift_check: Check valve points the wrong way" in f for f in found)
    assert any("the healthy machine does not move" in f for f in found)


def test_reversed_hose_pair_is_named(packer_data: Data) -> None:
    turned(packer_data, "blade_section", "A", "B")
    found = [str(p) for p in findings(read_circuit(json.dumps(packer_data)))]
    assert any(
        "component blade_section: connections of A and B are a reversed pair" in f for f in found
    )
    assert any(
        "function blade, move extend: the healthy machine moves the other way" in f for f in found
    )


def test_setting_without_its_command_is_named(packer_data: Data) -> None:
    packer_data["states"]["neutral_idle"]["settings"] = {"pto.clutch": 0}
    with pytest.raises(CircuitError, match=r"no command “pto\.clutch”"):
        check_circuit(read_circuit(json.dumps(packer_data)))


def test_interlock_that_names_nothing_is_found(packer_data: Data) -> None:
    packer_data["interlocks"] = [
        {"id": "door", "label": "Door", "functions": ["blade", "crane"], "switch": "door_switch"}
    ]
    with pytest.raises(CircuitError) as caught:
        check_circuit(read_circuit(json.dumps(packer_data)))
    assert "interlock door: there is no component “door_switch”" in str(caught.value)
    assert "interlock door: there is no function “crane”" in str(caught.value)


def test_a_circuit_of_thousands_of_parts_is_refused_at_once(packer_data: dict[str, Any]) -> None:
    part = packer_data["components"][0]
    packer_data["components"] = [{**part, "id": f"part_{n}"} for n in range(3000)]
    with pytest.raises(FormatError) as told:
        read_circuit(json.dumps(packer_data))
    assert "at most 600 items" in str(told.value)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("[" * 200_000 + "]" * 200_000, "nested too deep"),
        (" " * 5_000_001, "5000000 at most"),
        ('{"format": ', "not a JSON file"),
        ("9" * 5000, "not a JSON file"),
    ],
    ids=["deep", "large", "cut off", "digits"],
)
def test_a_file_that_is_no_document_is_told_in_words(text: str, words: str) -> None:
    with pytest.raises(FormatError, match=words):
        read_circuit(text)


def test_what_is_not_there_is_named(packer: Circuit) -> None:
    for look in (packer.component, packer.function, packer.test_point):
        with pytest.raises(CircuitError, match=r"the circuit has no .* “gone”"):
            look("gone")


def test_findings_of_a_thoroughly_wrong_file_are_not_without_end(
    packer_data: dict[str, Any],
) -> None:
    packer_data["components"] = [{"id": "UPPER"} for _ in range(500)]
    with pytest.raises(FormatError) as told:
        read_circuit(json.dumps(packer_data))
    assert len(told.value.problems) == 100
