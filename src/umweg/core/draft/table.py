"""A table with a header as people paste it: parted by semicolons, commas or tabs."""

import csv
import io
from collections.abc import Mapping, Sequence

from umweg.core.errors import FormatError

Names = Mapping[str, Sequence[str]]
"""What each column may be called."""


def read_table(text: str, names: Names, what: str, most: int) -> list[dict[str, str]]:
    """Rows of a table by our own names of its columns; a column of another name keeps its own.

    Parameters
    ----------
    what : the table is of, for the words of an error
    most : rows it may have

    Raises
    ------
    FormatError : it is no such table, there is no row below the header, or far too many.
    """
    first = text.strip().partition("\n")[0]
    mark = max(";,\t", key=first.count)
    try:
        rows = [r for r in csv.reader(io.StringIO(text.strip()), delimiter=mark) if any(r)]
    except csv.Error as error:
        raise FormatError(f"{what} is a table; this one cannot be read: {error}") from error
    if len(rows) < 2:
        raise FormatError(f"{what} is a table: a header, and a row for each")
    if len(rows) - 1 > most:
        raise FormatError(f"{what} has {len(rows) - 1} rows; {most} at most")
    columns: dict[str, int] = {}
    for i, name in enumerate(rows[0]):
        plain = name.strip().lower()
        columns.setdefault(next((k for k, known in names.items() if plain in known), plain), i)
    return [
        {name: row[i].strip() if i < len(row) else "" for name, i in columns.items()}
        for row in rows[1:]
    ]
