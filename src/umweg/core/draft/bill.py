"""A bill of parts as a table, made into lines of a parts-and-joins list.

A bill says what there is, how many and what it costs, not how it is joined: each part becomes a line
with its ports still open, in the words of the list, and what is no part of a circuit a comment.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass

from umweg.core.components.base import ComponentType
from umweg.core.components.words import kind_in
from umweg.core.draft.listing import OPEN
from umweg.core.draft.table import Names, read_table
from umweg.core.errors import FormatError, Problem

COLUMNS: Names = {
    "label": ("label", "name", "description", "designation", "part", "item", "text"),
    "type": ("type", "kind", "sort"),
    "count": ("count", "quantity", "qty", "pieces", "pcs", "number of"),
    "cost": ("cost", "price", "unit price", "part cost"),
    "at": ("location", "at", "where", "place"),
}
MOST_OF_ONE = 50
MOST_ROWS = 1000


@dataclass(frozen=True)
class BilledLines:
    """Lines of a list, and what could not be taken for a part."""

    text: str
    parts: int
    findings: tuple[Problem, ...]


def read_bill(text: str) -> BilledLines:
    """A table with a header, its columns parted by semicolons, commas or tabs.

    A column that is called as a parameter of the type (``displacement_cm3``) gives its number.

    Raises
    ------
    FormatError : there is no row, no column that names the parts, or far too many rows.
    """
    rows = read_table(text, COLUMNS, "a bill of parts", MOST_ROWS)
    if "label" not in rows[0] and "type" not in rows[0]:
        wanted = ", ".join(COLUMNS["label"][:3])
        raise FormatError(
            f"no column names the parts: one of {wanted} is wanted; there is {', '.join(rows[0])}"
        )
    lines: list[str] = []
    findings: list[Problem] = []
    taken: set[str] = set()
    for number, told in enumerate(rows, start=2):
        label = told.get("label") or told.get("type", "")
        if not label:
            continue
        kind = kind_in(told.get("type", "")) or kind_in(label)
        if kind is None:
            lines.append(f"# {label}: no type of part is called so")
            findings.append(Problem("line", f"row {number}", f"“{label}” is no type of part here"))
            continue
        count = _count(told.get("count", ""))
        if count is None:
            findings.append(Problem("line", f"row {number}", f"“{told['count']}” is no number"))
            count = 1
        for i in range(count):
            name = _free(label, taken)
            numbered = label if count == 1 else f"{label} {i + 1}"
            lines.append(_line(name, kind, numbered, told))
    return BilledLines("\n".join(lines) + "\n", len(taken), tuple(findings))


def _count(text: str) -> int | None:
    if not text:
        return 1
    try:
        count = float(text.replace(",", "."))
    except ValueError:
        return None
    return max(1, min(int(count), MOST_OF_ONE)) if count > 0 else None


def _free(label: str, taken: set[str]) -> str:
    stem = "_".join(re.findall(r"[a-z0-9]+", label.lower()))[:50] or "part"
    stem = stem if stem[0].isalpha() else f"part_{stem}"
    name, number = stem, 2
    while name in taken:
        name, number = f"{stem}_{number}", number + 1
    taken.add(name)
    return name


def _line(name: str, kind: type[ComponentType], label: str, told: Mapping[str, str]) -> str:
    words = [name, kind.type_name, _quoted(label)]
    words += [f"{port}={OPEN}" for port in kind.port_names()]
    for parameter in kind.Parameters.model_fields:
        number = told.get(parameter, "").replace(",", ".")
        if re.fullmatch(r"-?\d+(\.\d+)?", number):
            words.append(f"{parameter}={number}")
    if told.get("at"):
        words.append(f"at={_quoted(told['at'])}")
    cost = told.get("cost", "").replace(",", ".")
    if re.fullmatch(r"\d+(\.\d+)?", cost):
        words.append(f"cost={cost}")
    return " ".join(words)


def _quoted(text: str) -> str:
    return '"' + text.replace('"', "'").replace("\\", "/") + '"'
