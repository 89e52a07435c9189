"""One case for every type, reckoned by hand from its equations: the law at it, port by port."""

from collections.abc import Iterator

from umweg.core.components import component_types
from umweg.core.components.base import ComponentType
from umweg.validation.compare import Comparison, Point, through

FLOOR = 1e-4
"""What a flow may always be off [L/min, and its like in other domains]."""


def worked_case(kind: type[ComponentType]) -> Comparison:
    """What flows into each port of one type in its worked case, beside what was reckoned."""
    example = kind.example

    def work() -> Iterator[Point]:
        ours = through(
            kind.type_name, example.across, example.viscosity_mm2_s, **example.parameters
        )
        for port in kind.port_names():
            yield Point(port, ours[port], example.through[port])

    return Comparison(
        kind.label, kind.type_name, example.source, "1", example.rel, FLOOR, "equal", work
    )


def worked_cases() -> tuple[Comparison, ...]:
    """The worked cases of all types, by name."""
    return tuple(worked_case(kind) for kind in component_types().values())
