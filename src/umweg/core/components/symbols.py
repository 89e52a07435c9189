"""Shapes that several symbols share, after the drawing rules of ISO 1219-1."""

from umweg.core.components.base import Side, Symbol

TWO_PORTS: dict[str, tuple[Side, float]] = {"inlet": ("south", 1.0), "outlet": ("north", 1.0)}
DIAMOND = "M1 0.2 L1.8 1 L1 1.8 L0.2 1 Z"
CIRCLE = "M1.2 0.2 A1 1 0 1 1 1.2 2.2 A1 1 0 1 1 1.2 0.2"
LEVER = "M0.6 1.2 L0 0.6"
VARIABLE = "M0.3 2.1 L2.1 0.3 M2.1 0.3 l-0.3 0.1 M2.1 0.3 l-0.1 0.3"
OUTWARD = "M1.2 0.2 L0.8 0.8 L1.6 0.8 Z"
INWARD_UP = "M1.2 1.6 L0.8 2.15 L1.6 2.15 Z"
INWARD_DOWN = "M1.2 0.8 L0.8 0.25 L1.6 0.25 Z"
OUTWARD_DOWN = "M1.2 2.2 L0.8 1.6 L1.6 1.6 Z"


def valve(
    positions: int,
    ports: dict[str, tuple[Side, float]],
    strokes: tuple[str, ...] = (),
    dashed: tuple[str, ...] = (),
    filled: tuple[str, ...] = (),
    ends: float = 0.6,
) -> Symbol:
    """A directional valve: ``positions`` squares of 2 units, with room for actuators at both ends.

    Port offsets and strokes are in the whole symbol's units; the squares start at ``ends``.
    """
    squares = tuple(f"M{ends + 2 * i:g} 0.2 h2 v2 h-2 Z" for i in range(positions))
    return Symbol(2 * ends + 2 * positions, 2.4, ports, (*squares, *strokes), dashed, filled)


def four_way(
    extra: dict[str, tuple[Side, float]],
    strokes: tuple[str, ...] = (),
    dashed: tuple[str, ...] = (),
    filled: tuple[str, ...] = (),
) -> Symbol:
    """Three positions, four ways: straight, centre, crossed."""
    return valve(
        3,
        {
            "P": ("south", 3.2),
            "T": ("south", 4.0),
            "A": ("north", 3.2),
            "B": ("north", 4.0),
            **extra,
        },
        (
            "M3.2 0 V0.55 M3.05 0.55 H3.35",
            "M4 0 V0.55 M3.85 0.55 H4.15",
            "M3.2 2.4 V1.85 M3.05 1.85 H3.35",
            "M4 2.4 V1.85 M3.85 1.85 H4.15",
            "M1.2 2.2 V0.2",
            "M2 0.2 V2.2",
            "M5.2 2.2 L6 0.2",
            "M6 2.2 L5.2 0.2",
            *strokes,
        ),
        dashed,
        (
            "M1.2 0.22 L1.1 0.55 L1.3 0.55 Z",
            "M2 2.18 L1.9 1.85 L2.1 1.85 Z",
            "M6 0.22 L5.76 0.42 L5.98 0.55 Z",
            "M5.2 0.22 L5.22 0.55 L5.44 0.42 Z",
            *filled,
        ),
    )


def coil(x: float, y: float = 0.9) -> str:
    """A solenoid: a box with one slanted stroke."""
    return f"M{x:g} {y:g} h0.5 v0.8 h-0.5 Z M{x + 0.1:g} {y + 0.7:g} l0.3 -0.6"
