"""What a comparison is, and how it comes out."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from umweg.core.components import component_type
from umweg.core.components.base import evaluate

Kind = Literal["equal", "at_most", "at_least"]


@dataclass(frozen=True)
class Point:
    """One figure: under which conditions, what the law gives, what the source gives."""

    at: str
    ours: float
    reference: float


@dataclass(frozen=True)
class Comparison:
    """One law beside one source.

    ``band`` is how far a figure may lie from the source's, relative; ``floor`` the absolute
    difference that is always allowed. With ``kind`` other than ``equal`` the source is a bound.
    """

    name: str
    law: str
    source: str
    unit: str
    band: float
    floor: float
    kind: Kind
    work: Callable[[], Iterable[Point]]

    @cached_property
    def points(self) -> tuple[Point, ...]:
        """The figures, worked out when first asked for."""
        return tuple(self.work())

    def within(self, point: Point) -> bool:
        """Whether one figure keeps the band."""
        room = self.band * abs(point.reference) + self.floor
        over = point.ours - point.reference
        if self.kind == "at_most":
            return over <= room
        if self.kind == "at_least":
            return over >= -room
        return abs(over) <= room

    @property
    def holds(self) -> bool:
        """Whether every figure keeps the band."""
        return all(self.within(p) for p in self.points)

    @property
    def worst(self) -> Point:
        """The figure that lies farthest from its source, relative to it."""
        return max(self.points, key=lambda p: abs(p.ours - p.reference) / (abs(p.reference) or 1.0))


_KNOWN: list[Comparison] = []


def validates(
    name: str,
    law: str,
    source: str,
    unit: str,
    band: float,
    floor: float = 0.0,
    kind: Kind = "equal",
) -> Callable[[Callable[[], Iterator[Point]]], Callable[[], Iterator[Point]]]:
    """Make a generator of points known as a comparison."""

    def known(work: Callable[[], Iterator[Point]]) -> Callable[[], Iterator[Point]]:
        _KNOWN.append(Comparison(name, law, source, unit, band, floor, kind, work))
        return work

    return known


def comparisons() -> tuple[Comparison, ...]:
    """All that are known, in the order in which their modules stand."""
    return tuple(_KNOWN)


def through(
    kind: str,
    across: Mapping[str, float],
    viscosity_mm2_s: float = 46.0,
    **given: float,
) -> dict[str, float]:
    """What flows into each port of one part at its defaults but for what is given."""
    law = component_type(kind)
    values = {n: f.default for n, f in law.Parameters.model_fields.items()}
    values |= {c.name: c.default for c in law.commands}
    k = np.array([{**values, **given}[n] for n in law.parameter_names()]).reshape(1, -1, 1)
    x = np.array([across[p] for p in law.port_names()]).reshape(1, -1, 1)
    flows, _ = evaluate(law, x, k, np.array([viscosity_mm2_s]))
    return dict(zip(law.port_names(), flows[0, :, 0].tolist(), strict=True))
