"""A curve that an instrument recorded, and what a timing reads from it."""

import re
from collections.abc import Callable, Mapping
from itertools import pairwise
from typing import Annotated, Self

import numpy as np
from pydantic import Field, model_validator

from umweg.core.circuit.document import Circuit, Document, Text, TimedKind, Timing
from umweg.core.components.base import Array
from umweg.core.errors import ObservationError
from umweg.core.observe.instruments import Number
from umweg.core.observe.quantity_kinds import KINDS
from umweg.core.units import UNITS, to_base

MOST_ROWS = 5000
MOST_MISTAKES = 5
LASTS_SHARE = 0.95
"""A recording that ends before so much of what is to be watched does not tell what is left."""
AGREES_WITHIN = 0.01
STANDS_WITHIN = 0.01
"""Of its whole way that a rod may still be from where it ends, to be told to stand there."""
RISES_BELOW = 0.3
"""Of its span: what was so near its lowest, and then so near its highest, has risen."""
Rows = Annotated[list[Number], Field(min_length=2, max_length=MOST_ROWS)]
_SPLIT = re.compile(r"[;\t ]+|,(?=\s)")


class Recorded(Document):
    """Seconds since one began to watch, and what was shown, in a unit."""

    unit: Text
    time_s: Rows
    shown: Rows

    @model_validator(mode="after")
    def _as_many(self) -> Self:
        if len(self.time_s) != len(self.shown):
            raise ValueError("as many times as values are wanted")
        return self

    def arrays(self) -> tuple[Array, Array]:
        """(T,) seconds from the first row on, and (T,) values in base units."""
        time = np.array(self.time_s)
        return time - time[0], np.array([to_base(v, self.unit) for v in self.shown])


def read_recorded(text: str, unit: str) -> Recorded:
    """Rows of two numbers, seconds and value, as a logger writes them or one pastes them.

    Between them a semicolon, a tab, spaces, or a comma if the numbers have points; a first row of
    words is passed over.

    Raises
    ------
    ObservationError : what is wrong, by line.
    """
    rows: list[tuple[float, float]] = []
    wrong: list[str] = []
    for number, line in enumerate(text.strip().splitlines(), start=1):
        found = _numbers(line)
        if found is not None:
            rows.append(found)
        elif line.strip() and not (number == 1 and not rows):
            wrong.append(f"line {number}: “{line.strip()[:40]}” is not two numbers")
    if not rows:
        wrong.append("there is no row of two numbers: seconds, and what was shown")
    backward = [n for n, (a, b) in enumerate(pairwise(rows), start=2) if b[0] <= a[0]]
    if backward:
        wrong.append(f"row {backward[0]}: its time is not after that of the row before")
    if len(rows) > MOST_ROWS:
        wrong.append(f"{len(rows)} rows; {MOST_ROWS} at most")
    if len(rows) == 1:
        wrong.append("one row is no curve")
    if wrong:
        raise ObservationError("; ".join(wrong[:MOST_MISTAKES]))
    time_s, shown = zip(*rows, strict=True)
    return Recorded(unit=unit, time_s=list(time_s), shown=list(shown))


def _numbers(line: str) -> tuple[float, float] | None:
    """Two numbers of a line, with points or commas; None where there are not two."""
    parts = [p for p in _SPLIT.split(line.strip()) if p]
    if len(parts) == 1 and line.count(",") == 1:
        parts = line.split(",")
    if len(parts) < 2:
        return None
    try:
        a, b = (float(p.strip().replace(",", ".")) for p in parts[:2])
    except ValueError:
        return None
    return (a, b) if np.isfinite(a) and np.isfinite(b) else None


def _highest(timing: Timing, time: Array, shown: Array) -> float:
    return float(shown.max())


def _left(timing: Timing, time: Array, shown: Array) -> float:
    seconds = timing.phases[-1].seconds
    if time[-1] < LASTS_SHARE * seconds:
        raise ObservationError(
            f"the curve ends after {time[-1]:.3g} s; what is left is read after {seconds:.3g} s"
        )
    return float(np.interp(seconds, time, shown))


def _passes(timing: Timing, time: Array, shown: Array) -> float:
    level, seconds = timing.level_bar, timing.phases[-1].seconds
    if level is None:
        raise ObservationError(f"“{timing.id}” waits for a rod at its end, not for a pressure")
    past = shown <= level if level < shown[0] else shown >= level
    first = int(np.argmax(past))
    if not past.any():
        if time[-1] < LASTS_SHARE * seconds:
            raise ObservationError(
                f"the curve ends after {time[-1]:.3g} s and has not passed {level:g} bar"
            )
        return seconds
    if first == 0:
        return 0.0
    share = (level - shown[first - 1]) / (shown[first] - shown[first - 1])
    return float(time[first - 1] + share * (time[first] - time[first - 1]))


def _stands(timing: Timing, time: Array, shown: Array) -> float:
    """Seconds until a rod stands where it stays."""
    span = float(np.ptp(shown))
    away = np.flatnonzero(np.abs(shown - shown[-1]) > STANDS_WITHIN * span)
    seconds = timing.phases[-1].seconds
    # It has come to its end only if it moved, and stands if it is seen to for a twentieth of the time.
    first = int(away[-1]) + 1 if len(away) else 0
    stood = len(away) and time[-1] - time[first] >= (1.0 - LASTS_SHARE) * time[-1]
    if not stood:
        if time[-1] < LASTS_SHARE * seconds:
            raise ObservationError(
                f"the rod has not come to its end where the curve ends, at {time[-1]:.3g} s"
            )
        return seconds
    return float(time[first])


def _way(timing: Timing, time: Array, shown: Array) -> float:
    return abs(_left(timing, time, shown) - float(shown[0]))


def _again(timing: Timing, time: Array, shown: Array) -> float:
    """Seconds between the last two times that it began to rise again."""
    low, high = shown.min(), shown.max()
    rises, below = [], False
    for at, value in zip(time, shown, strict=True):
        if value < low + RISES_BELOW * (high - low):
            below = True
        elif below and value > high - RISES_BELOW * (high - low):
            rises.append(at)
            below = False
    if len(rises) > 1:
        return float(rises[-1] - rises[-2])
    seconds = timing.phases[-1].seconds
    if time[-1] < LASTS_SHARE * seconds:
        raise ObservationError(
            f"the curve ends after {time[-1]:.3g} s and has not risen twice from its lowest"
        )
    return seconds


READ_FROM: Mapping[tuple[TimedKind, str], Callable[[Timing, Array, Array], float]] = {
    ("peak_bar", "pressure"): _highest,
    ("left_bar", "pressure"): _left,
    ("within_s", "pressure"): _passes,
    ("within_s", "length"): _stands,
    ("moved_mm", "length"): _way,
    ("interval_s", "pressure"): _again,
    ("interval_s", "length"): _again,
}
"""What a curve of a pressure or of a rod's place tells, for each kind of timing that it tells."""


def curves_for(timing: Timing) -> tuple[str, ...]:
    """Of what a curve may be that a timing is read from; none where no curve tells it."""
    at_gauge = timing.function is None
    return tuple(
        kind for of, kind in READ_FROM if of == timing.of and at_gauge == (kind == "pressure")
    )


def told_by(circuit: Circuit, timing_id: str, recorded: Recorded) -> float:
    """What a timing reads from a recorded curve, in its base unit.

    Raises
    ------
    ObservationError : no such timing, one that no such curve tells, or a unit that is none.
    """
    timing = next((t for t in circuit.timings if t.id == timing_id), None)
    if timing is None or not curves_for(timing):
        known = [t.id for t in circuit.timings if curves_for(t)]
        raise ObservationError(
            f"“{timing_id}” is not read from a curve; of this machine: {', '.join(known) or 'none'}"
        )
    wanted = curves_for(timing)
    if recorded.unit not in UNITS or UNITS[recorded.unit].kind not in wanted:
        fit = ", ".join(u.symbol for u in UNITS.values() if u.kind in wanted)
        raise ObservationError(
            f"“{recorded.unit}” is not a unit of {' or '.join(wanted)}; use {fit}"
        )
    return READ_FROM[timing.of, UNITS[recorded.unit].kind](timing, *recorded.arrays())


def agrees(circuit: Circuit, timing_id: str, recorded: Recorded, value: float, unit: str) -> None:
    """Refuse a value that its own curve does not show.

    Raises
    ------
    ObservationError : says what the curve shows.
    """
    told = told_by(circuit, timing_id, recorded)
    base = to_base(value, unit)
    if abs(base - told) > AGREES_WITHIN * max(abs(told), 1.0):
        of = circuit.timing(timing_id).of
        raise ObservationError(
            f"its curve shows {told:.4g} {KINDS[of].unit}, not {base:.4g} {KINDS[of].unit}"
        )
