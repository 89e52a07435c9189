"""The one table of units people read and type; the core computes in the first of each kind."""

from dataclasses import dataclass

from umweg.core.errors import ObservationError


@dataclass(frozen=True)
class Unit:
    """``value_in_base = value * factor + offset``."""

    symbol: str
    kind: str
    factor: float
    offset: float = 0.0
    below: float | None = None
    """In the base unit: what is less than that is shown in this one."""


UNITS: dict[str, Unit] = {
    u.symbol: u
    for u in (
        Unit("bar", "pressure", 1.0),
        Unit("psi", "pressure", 0.0689475729),
        Unit("MPa", "pressure", 10.0),
        Unit("L/min", "flow", 1.0),
        Unit("gpm", "flow", 3.785411784),
        Unit("cm³/min", "flow", 1e-3, below=0.1),
        Unit("L", "volume", 1.0),
        Unit("cm³", "volume", 1e-3, below=0.1),
        Unit("°C", "temperature", 1.0),
        Unit("°F", "temperature", 5.0 / 9.0, -160.0 / 9.0),
        Unit("mm", "length", 1.0),
        Unit("in", "length", 25.4),
        Unit("s", "time", 1.0),
        Unit("mm/min", "drift", 1.0),
        Unit("in/min", "drift", 25.4),
        Unit("rpm", "speed", 1.0),
        Unit("mm/s", "velocity", 1.0),
        Unit("in/s", "velocity", 25.4),
        Unit("V", "voltage", 1.0),
    )
}


def to_base(value: float, symbol: str) -> float:
    """Convert a value as taken to the base unit of its kind.

    Raises
    ------
    ObservationError : when the unit is not in the table.
    """
    unit = UNITS.get(symbol)
    if unit is None:
        raise ObservationError(f"unit “{symbol}” is not known; use one of {', '.join(UNITS)}")
    return value * unit.factor + unit.offset


def from_base(value: float, symbol: str) -> float:
    """Convert a value in the base unit to ``symbol``; the inverse of :func:`to_base`."""
    unit = UNITS.get(symbol)
    if unit is None:
        raise ObservationError(f"unit “{symbol}” is not known; use one of {', '.join(UNITS)}")
    return (value - unit.offset) / unit.factor


def sized(value: float, kind: str) -> str:
    """A value in the base unit of its kind as it is shown: three figures, in a unit of its size.

    Grease runs in cm³/min and a brake holds cm³, where a pump gives L/min out of a tank of L.
    """
    units = [unit for unit in UNITS.values() if unit.kind == kind]
    small = [u for u in units if u.below is not None and 0.0 < abs(value) < u.below]
    unit = min(small, key=lambda u: u.below or 0.0, default=units[0])
    return f"{value / unit.factor:.3g} {unit.symbol}"
