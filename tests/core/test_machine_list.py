"""A customer's machines as a table: taken whole or not at all."""

import pytest

from umweg.core.draft.machine_list import MOST_MACHINES, read_machines
from umweg.core.errors import FormatError

KNOWN = {"tail_lift": "Tail lift TL 1500", "packer_truck": "Packer P16"}
TABLE = """Machine;Serial number;Customer;Operating hours;Model
Lift 1;TL-1;Meyer;1200,5;tail_lift
Lift 2;TL-2;Meyer;;Tail lift TL 1500
"""


def test_columns_have_the_names_that_people_give_them() -> None:
    first, second = read_machines(TABLE, KNOWN)
    assert (first.card.name, first.card.serial, first.card.owner) == ("Lift 1", "TL-1", "Meyer")
    assert first.card.hours == 1200.5
    assert second.card.hours == 0.0
    assert first.circuit_id == second.circuit_id == "tail_lift"


@pytest.mark.parametrize(
    ("row", "why"),
    [
        ("Lift 3;TL-3;;;crane", "row 4: there is no circuit “crane”"),
        ("Lift 3;TL-1;;;tail_lift", "row 2 has the serial number TL-1 too"),
        (";TL-3;;;tail_lift", "it has no name"),
        ("Lift 3;;;;tail_lift", "it has no serial"),
        ("Lift 3;TL-3;;many;tail_lift", "“many” is no number of hours"),
        ("Lift 3;TL-3;;-4;tail_lift", "“-4” is no number of hours"),
        (f"{'L' * 201};TL-3;;;tail_lift", "its name is longer than 200"),
        (f"Lift 3;{'T' * 101};;;tail_lift", "its serial is longer than 100"),
    ],
)
def test_every_row_that_is_wrong_is_named(row: str, why: str) -> None:
    with pytest.raises(FormatError) as caught:
        read_machines(f"{TABLE}{row}\n{row.replace('TL-3', 'TL-4')}\n", KNOWN)
    told = [str(p) for p in caught.value.problems]
    assert any(why in words for words in told), told
    assert any("row 5" in words for words in told)


@pytest.mark.parametrize(
    ("typed", "hours"),
    [("1,200", 1200), ("1.200", 1200), ("12 400", 12400), ("1200,5", 1200.5), ("12.5", 12.5)],
)
def test_hours_are_read_as_people_write_them(typed: str, hours: float) -> None:
    (only,) = read_machines(f"name;serial;circuit;hours\nA;1;tail_lift;{typed}\n", KNOWN)
    assert only.card.hours == hours


def test_what_is_no_list_is_refused() -> None:
    with pytest.raises(FormatError, match="cannot be read"):
        read_machines('name;serial;circuit\n"' + "x" * 140_000, KNOWN)
    with pytest.raises(FormatError, match="a header, and a row"):
        read_machines("name;serial", KNOWN)
    with pytest.raises(FormatError, match="no column says the serial and the circuit"):
        read_machines("name;colour\na;b\n", KNOWN)
    many = "name;serial;circuit\n" + "".join(f"a;{i};tail_lift\n" for i in range(MOST_MACHINES + 1))
    with pytest.raises(FormatError, match=f"{MOST_MACHINES} at most"):
        read_machines(many, KNOWN)
