"""A customer's machines as a table, with the circuit that each has."""

import re
from collections.abc import Mapping
from dataclasses import dataclass

from umweg.core.draft.table import Names, read_table
from umweg.core.errors import FormatError, Problem
from umweg.core.observe.job import MachineCard

COLUMNS: Names = {
    "name": ("name", "machine", "designation", "fleet number"),
    "serial": ("serial", "serial number", "serial no", "s/n", "vin"),
    "owner": ("owner", "customer", "company"),
    "hours": ("hours", "h", "operating hours", "hour meter"),
    "circuit": ("circuit", "model", "type"),
}
"""What a column may be called."""
MOST_MACHINES = 1000
LONGEST: Mapping[str, int] = {"name": 200, "owner": 200, "serial": 100}
MOST_HOURS = 1e6
_THOUSANDS = re.compile(r"\d{1,3}(?:[.,' ]\d{3})+")
"""Nobody writes thousandths of an hour."""


@dataclass(frozen=True)
class ListedMachine:
    """A machine of the list, and the id of its circuit."""

    card: MachineCard
    circuit_id: str


def read_machines(text: str, circuits: Mapping[str, str]) -> list[ListedMachine]:
    """The machines of a table with a header; it is taken whole or not at all.

    Parameters
    ----------
    circuits : name of each circuit that is known, by its id; a row may say either

    Raises
    ------
    FormatError : names every row that is wrong and why.
    """
    rows = read_table(text, COLUMNS, "a list of machines", MOST_MACHINES)
    missing = [name for name in ("name", "serial", "circuit") if name not in rows[0]]
    if missing:
        raise FormatError(
            f"no column says the {' and the '.join(missing)}; there is {', '.join(rows[0])}"
        )
    by_name = {name.lower(): key for key, name in circuits.items()}
    found: list[ListedMachine] = []
    problems: list[Problem] = []
    seen: dict[str, int] = {}
    for number, row in enumerate(rows, start=2):
        wrong: list[str] = []
        circuit = row["circuit"]
        circuit_id = circuit if circuit in circuits else by_name.get(circuit.lower())
        if circuit_id is None:
            wrong.append(f"there is no circuit “{circuit}”")
        for name in ("name", "serial"):
            if not row[name]:
                wrong.append(f"it has no {name}")
        for name, most in LONGEST.items():
            if len(row.get(name, "")) > most:
                wrong.append(f"its {name} is longer than {most} letters")
        first = seen.setdefault(row["serial"], number)
        if first != number and row["serial"]:
            wrong.append(f"row {first} has the serial number {row['serial']} too")
        hours = _hours(row.get("hours", ""))
        if hours is None:
            wrong.append(f"“{row['hours']}” is no number of hours")
        if wrong:
            problems += [Problem("line", f"row {number}", words) for words in wrong]
            continue
        assert circuit_id is not None
        assert hours is not None
        card = MachineCard(
            name=row["name"], serial=row["serial"], owner=row.get("owner", ""), hours=hours
        )
        found.append(ListedMachine(card, circuit_id))
    if problems:
        raise FormatError(
            f"{len(problems)} things to mend in the list of machines", tuple(problems)
        )
    return found


def _hours(text: str) -> float | None:
    if not text:
        return 0.0
    if _THOUSANDS.fullmatch(text):
        text = re.sub(r"\D", "", text)
    try:
        hours = float(text.replace(" ", "").replace(",", "."))
    except ValueError:
        return None
    return hours if 0.0 <= hours <= MOST_HOURS else None
