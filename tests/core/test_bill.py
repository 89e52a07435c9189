"""A bill of parts: what there is becomes lines of a list, joins open."""

import pytest

from umweg.core.components import component_types
from umweg.core.components.words import kind_in
from umweg.core.draft.bill import read_bill
from umweg.core.draft.listing import OPEN, read_listing
from umweg.core.errors import FormatError

TABLE = """Pos;Description;Qty;Price;Location;displacement_cm3
1;Gear pump 16 cm³;1;210,50;left of the engine;16
2;Relief valve, main;1;48;;
3;Check valve;2;12;;
4;Sticker set;1;3;;
"""


def test_each_part_becomes_a_line_that_the_list_reads() -> None:
    billed = read_bill(TABLE)
    assert billed.parts == 4
    pump, relief, first, second, sticker = billed.text.splitlines()
    assert pump.startswith('gear_pump_16_cm fixed_pump "Gear pump 16 cm³" inlet=?')
    assert "displacement_cm3=16" in pump
    assert 'at="left of the engine"' in pump
    assert pump.endswith("cost=210.50")
    assert relief.startswith("relief_valve_main relief_valve ")
    assert first.startswith('check_valve check_valve "Check valve 1"')
    assert second.startswith('check_valve_2 check_valve "Check valve 2"')
    assert sticker.startswith("# Sticker set")
    assert [(p.where, "Sticker set" in p.message) for p in billed.findings] == [("row 5", True)]
    listing = read_listing(billed.text)
    assert {p.message.partition(" waits")[2] for p in listing.problems} == {
        " for the net it is joined to"
    }
    assert [p["type"] for p in listing.parts] == [
        "fixed_pump",
        "relief_valve",
        "check_valve",
        "check_valve",
    ]
    assert listing.parts[0]["service"]["part_cost"] == 210.5


@pytest.mark.parametrize("mark", [";", ",", "\t"])
def test_columns_are_parted_by_what_the_header_is(mark: str) -> None:
    table = mark.join(("name", "type")) + "\n" + mark.join(("The pump", "fixed_pump")) + "\n"
    assert read_bill(table).text.startswith('the_pump fixed_pump "The pump"')


def test_every_type_is_found_by_its_name_and_by_its_label() -> None:
    for name, kind in component_types().items():
        if not kind.of_machines:
            assert kind_in(name) is not kind
            continue
        assert kind_in(name) is kind
        found = kind_in(f"2 x {kind.label} (spare)")
        assert found is not None
        # Two types may have labels of which one is in the other's: the longer one is meant.
        assert len(found.label) >= len(kind.label)


def test_what_is_no_bill_is_refused() -> None:
    with pytest.raises(FormatError, match="a header, and a row"):
        read_bill("Gear pump")
    with pytest.raises(FormatError, match="no column names the parts"):
        read_bill("pos;price\n1;20\n")
    with pytest.raises(FormatError, match="at most"):
        read_bill("name\n" + "Gear pump\n" * 1001)


def test_a_count_that_is_none_is_said_and_counts_as_one() -> None:
    billed = read_bill("name;qty\nGear pump;some\n")
    assert billed.parts == 1
    assert "“some” is no number" in billed.findings[0].message
    assert f"inlet={OPEN}" in billed.text
