"""What parts are demands how they fail; and parts are found by the words of the trade."""

import pytest
from typer.testing import CliRunner

from umweg.cli import app
from umweg.core.components import component_types
from umweg.core.components.base import ComponentType
from umweg.core.components.roles import ROLES, missing_ways
from umweg.core.components.words import find_types, kind_in

KINDS = [kind for kind in component_types().values() if kind.of_machines]


@pytest.mark.parametrize("kind", KINDS, ids=lambda k: k.type_name)
def test_every_way_to_fail_is_a_mode_or_has_its_reason(kind: type[ComponentType]) -> None:
    assert list(missing_ways(kind)) == []
    assert kind.roles or kind.cannot, "what is it?"
    assert all(len(reason) > 20 for reason in kind.cannot.values())


def test_a_reason_is_given_only_where_a_mode_is_missing() -> None:
    demanded = {way for ways in ROLES.values() for way in ways} | {"anything"}
    for kind in KINDS:
        names = {mode.name for mode in kind.fault_modes}
        for way in kind.cannot:
            assert way in demanded
            modes = {m for role in kind.roles for m in ROLES[role].get(way, ())}
            assert not names & modes, f"{kind.type_name}: {way} is a mode"


def test_a_type_that_lacks_a_way_is_named() -> None:
    relief = component_types()["relief_valve"]

    class Lacking(relief):  # type: ignore[misc, valid-type]
        type_name = ""
        fault_modes = tuple(m for m in relief.fault_modes if m.name != "seat_leaks")
        roles = ("adjustable", "seat")

    assert list(missing_ways(Lacking)) == [("seat", "leaks")]


GAPS = (
    ("release_valve", "stuck_shut"),
    ("reducing_valve", "set_high"),
    ("pressure_compensated_pump", "set_high"),
    ("load_sensing_pump", "set_high"),
    ("position_switch", "loose"),
    ("pressure_filter", "clogged"),
    ("directional_valve", "detent_worn"),
    ("interlock_switch", "never_makes"),
    ("return_shuttle", "leaks"),
    ("steering_unit", "worn"),
    ("rotary_union", "seal_between"),
    ("hose_rupture_valve", "set_low"),
    ("spring_brake", "does_not_hold"),
    ("cross_port_relief", "a_check_open"),
    ("hand_pump", "suction_shut"),
    ("reservoir", "pickup_blocked"),
    ("fixed_pump", "sheared"),
)


@pytest.mark.parametrize(("kind", "mode"), GAPS)
def test_what_the_trade_finds_is_there(kind: str, mode: str) -> None:
    assert mode in {m.name for m in component_types()[kind].fault_modes}


def test_every_word_of_the_trade_finds_its_part() -> None:
    words = [(word, kind) for kind in KINDS for word in kind.words]
    assert len({word.lower() for word, _ in words}) >= 150
    for word, kind in words:
        found = find_types(word)
        assert not found.nearest
        assert kind.type_name in found.names[:8], f"{word}: {found.names}"


@pytest.mark.parametrize(
    ("word", "first"),
    [
        ("orbital", "steering_unit"),
        ("rotator", "hydraulic_motor"),
        ("overcenter", "counterbalance_valve"),
        ("winch motor", "drained_motor"),
        ("PTO", "drive_coupling"),
        ("hose rupture", "hose_rupture_valve"),
        ("in-line filter", "pressure_filter"),
        ("swivel", "rotary_union"),
        ("Telescopic Cylinder", "telescopic_cylinder"),
        ("cylinder", "cylinder"),
        ("boom suspension", "accumulator"),
        ("anti-cavitation", "cross_port_relief"),
    ],
)
def test_what_is_meant_comes_first(word: str, first: str) -> None:
    assert find_types(word).names[0] == first


def test_where_nothing_is_called_so_the_nearest_are_offered() -> None:
    found = find_types("solenoyd valv")
    assert found.nearest
    assert "solenoid_directional_valve" in found.names
    assert find_types("xyzzy").nearest
    assert find_types("xyzzy").names
    assert find_types("  ").names == ()


def test_the_shops_kit_and_the_solvers_own_parts_are_no_parts_of_a_machine() -> None:
    hidden = {k.type_name for k in component_types().values() if not k.of_machines}
    assert hidden == {"test_kit", "voltmeter", "held_back", "stopped_rod"}
    for name in hidden:
        assert name not in find_types(component_types()[name].label).names


@pytest.mark.parametrize(
    ("row", "kind"),
    [
        ("Boom hose, 2 m", "line"),
        ("Overcenter valve, left", "counterbalance_valve"),
        ("Check valves", "check_valve"),
        ("Steering orbital", "steering_unit"),
        ("Paint", None),
    ],
)
def test_a_row_of_a_bill_names_its_type(row: str, kind: str | None) -> None:
    found = kind_in(row)
    assert (found and found.type_name) == kind


def test_the_command_lists_what_is_called_so() -> None:
    done = CliRunner().invoke(app, ["types", "overcentre valve"])
    assert done.exit_code == 0
    assert "the nearest" in done.output
    assert "counterbalance_valve" in done.output
