"""Cases as the trade tells them, format ``umweg-case/1``: what was told and read, and what it was.

A file of cases is TOML, one circuit a file, each case a table::

    circuit = "packer_truck"

    [worn_pump]
    sort = "plain"
    told = "Packs weak, and the longer it works the worse it gets."
    says = ["blade.extend weak hot", "tailgate.raise slow"]
    reads = ["pump_loaded pump_outlet 48 L/min", "blade_out 14 s"]
    also = [{kind = "oil", look = "dark"}]
    wrong = ["pump:worn"]

``says`` is a move, its words by commas, and the oil where it is not warm; ``reads`` a state, a point
or function, a value and its unit, or a timing with the value and its unit. ``also`` are observations
of any other kind. ``wrong`` names what is wrong, each by one fault or several that it may be called
(``pump:worn|pump:seal_blown``); one that ends in ``:*`` is any fault of that part.
"""

import tomllib
from collections.abc import Callable, Sequence
from typing import Any, Literal

from pydantic import Field, TypeAdapter, ValidationError, model_validator

from umweg.core.circuit.document import (
    Circuit,
    Document,
    Identifier,
    Kind,
    LongText,
    Text,
    problems_of,
)
from umweg.core.errors import FormatError, Problem
from umweg.core.observe.history import History
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantity_kinds import KINDS
from umweg.core.units import UNITS

Sort = Literal["plain", "in_order", "misleading", "repaired", "two"]
"""A plain one; a machine in order; one with a word or a reading that misleads; one that comes back
after a repair; one with two faults."""
OILS = ("cold", "warm", "hot")
ANY = "*"
_OBSERVATION: TypeAdapter[Observation] = TypeAdapter(Observation)


class Told(Document):
    """One case as it stands in its file."""

    sort: Sort
    told: LongText
    says: list[Text] = Field(default_factory=list, max_length=50)
    reads: list[Text] = Field(default_factory=list, max_length=50)
    also: list[dict[str, Any]] = Field(default_factory=list, max_length=50)
    history: History = History()
    wrong: list[Text] = Field(min_length=1, max_length=4)
    why: LongText = ""
    """How it is known, or what misleads."""


class CaseFile(Document):
    """The cases of one circuit."""

    circuit: Identifier
    cases: dict[Identifier, Told]

    @model_validator(mode="before")
    @classmethod
    def _tables_are_cases(cls, data: Any) -> Any:
        if isinstance(data, dict):
            tables = {name: value for name, value in data.items() if isinstance(value, dict)}
            rest = {name: value for name, value in data.items() if name not in tables}
            return {**rest, "cases": tables}
        return data


class Case(Document):
    """One case, ready to be diagnosed."""

    circuit: str
    id: str
    sort: Sort
    told: str
    history: History
    observations: tuple[Observation, ...]
    wrong: tuple[tuple[str, ...], ...]
    """Of each thing that is wrong, the faults that it may be called."""


def read_cases(text: str, circuit_of: Callable[[str], Circuit]) -> list[Case]:
    """All cases of a file.

    Parameters
    ----------
    circuit_of : gives the circuit of a name

    Raises
    ------
    FormatError : it is no such file, or names what the circuit does not have; all of it is told.
    """
    try:
        file = CaseFile.model_validate(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise FormatError(f"not a file of cases: {error}") from error
    except ValidationError as error:
        raise FormatError("not a file of cases", problems_of(error)) from error
    circuit = circuit_of(file.circuit)
    problems: list[Problem] = []
    cases = []
    for name, told in file.cases.items():
        reader = _Reader(circuit, name, problems)
        cases.append(
            Case(
                circuit=circuit.id,
                id=name,
                sort=told.sort,
                told=told.told,
                history=told.history,
                observations=tuple(reader.observations(told)),
                wrong=tuple(tuple(entry.split("|")) for entry in told.wrong),
            )
        )
    if problems:
        raise FormatError(f"{len(problems)} things to mend in the cases", tuple(problems))
    return cases


class _Reader:
    """Reads the short lines of one case."""

    def __init__(self, circuit: Circuit, name: str, problems: list[Problem]) -> None:
        self._circuit = circuit
        self._name = name
        self._problems = problems

    def _wrong(self, message: str, hint: str = "") -> None:
        self._problems.append(Problem("case", self._name, message, hint))

    def observations(self, told: Told) -> list[Observation]:
        made = [self._said(line) for line in told.says]
        made += [self._read(line) for line in told.reads]
        made += [dict(one) for one in told.also]
        found = []
        for n, one in enumerate(made, 1):
            try:
                found.append(_OBSERVATION.validate_python({"id": f"o{n}", **one}))
            except ValidationError as error:
                self._wrong("; ".join(p.message for p in problems_of(error)), str(one))
        return found

    def _said(self, line: str) -> dict[str, Any]:
        move, _, rest = line.partition(" ")
        function, _, name = move.partition(".")
        words = rest.split()
        if len(words) not in (1, 2) or (len(words) == 2 and words[1] not in OILS):
            self._wrong(f"“{line}” is not FUNCTION.MOVE WORDS and cold or hot")
            return {}
        how, *also = words[0].split(",")
        when = words[1] if len(words) == 2 else "warm"
        said = {"kind": "behaviour", "function": function, "move": name, "how": how}
        return {**said, "also": also, "when": when}

    def _read(self, line: str) -> dict[str, Any]:
        *where, value, unit = line.split()
        timings = {t.id: t for t in self._circuit.timings}
        quantity: Kind | None = None
        if len(where) == 1 and where[0] in timings:
            timing = timings[where[0]]
            place, state, quantity = timing.id, timing.state, timing.of
        elif len(where) == 2:
            state, place = where
            quantity = self._quantity(place, unit)
        if quantity is None:
            self._wrong(
                f"“{line}” is neither STATE POINT VALUE UNIT nor TIMING VALUE UNIT",
                f"timings: {', '.join(timings)}",
            )
            return {}
        return {
            "kind": "reading",
            "point": place,
            "quantity": quantity,
            "state": state,
            "value": value,
            "unit": unit,
        }

    def _quantity(self, place: str, unit: str) -> Kind | None:
        """What is read there in such a unit."""
        at = "function" if any(f.id == place for f in self._circuit.functions) else "point"
        known = UNITS.get(unit)
        for kind, of in KINDS.items():
            if known is not None and of.at == at and of.dimension == known.kind:
                return kind
        return None


def found_by(wrong: Sequence[str], keys: Sequence[str]) -> bool:
    """Whether one of the faults that something may be called is among suspects' keys."""
    named = {name for key in keys for name in key.split("+")}
    parts = {name.split(":")[0] for name in named}
    return any(t in named or (t.endswith(f":{ANY}") and t.split(":")[0] in parts) for t in wrong)
