"""Kinds of quantity: one declaration each, which everything else asks."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from umweg.core.circuit.document import Kind

At = Literal["point", "function", "component", "timing"]


@dataclass(frozen=True, kw_only=True)
class QuantityKind:
    """What a kind of quantity is read in, where and with what.

    ``dimension`` is the kind of unit it is entered in, ``unit`` the one it is compared in.
    ``measured_by`` is what an instrument of the shop must measure; None where a watch or a rule
    will do.
    """

    unit: str
    words: str
    dimension: str
    at: At
    measured_by: str | None = None
    instrument_words: str = ""
    compressed: bool = False
    """Spans orders of magnitude; compared on an asinh scale."""
    from_vacuum: bool = False
    """A pressure against the air's: never below −1 bar."""
    signed: bool = False
    """May be below zero."""
    any_oil: bool = False
    """The oil's temperature has no part in it: nobody waits for warm oil to read it."""
    at_work: bool = False
    """Of a function that moves: nobody reads it of one that stands."""
    stopped_at: float | None = None
    """Nobody goes on above it: what would show more shows this much."""
    from_states: bool = False
    """Worked out from steady states: nothing is played for it, nor waited for."""
    cautions: tuple[str, ...] = ()


SHAFT_CAUTIONS = (
    "A shaft that turns catches sleeves, gloves and hair: stick the mark on with the drive off and "
    "locked, put the guard back, and read from a distance.",
)
HOTTEST_C = 100.0
"""Seals, hoses and oil suffer above it, and what is touched burns."""
HEAT_CAUTIONS = (
    f"Stop when the oil passes {HOTTEST_C:.0f} °C and write down {HOTTEST_C:.0f}: it would only get "
    "hotter. Hot oil and hot parts burn.",
)
KINDS: Mapping[Kind, QuantityKind] = {
    "pressure_bar": QuantityKind(
        unit="bar",
        words="pressure",
        dimension="pressure",
        at="point",
        measured_by="pressure",
        from_vacuum=True,
    ),
    "flow_lpm": QuantityKind(
        unit="L/min",
        words="flow",
        dimension="flow",
        at="point",
        measured_by="flow",
        instrument_words="flow meter",
    ),
    "voltage_v": QuantityKind(
        unit="V",
        words="voltage",
        dimension="voltage",
        at="point",
        measured_by="voltage",
        instrument_words="voltmeter",
        signed=True,
        any_oil=True,
    ),
    "shaft_rpm": QuantityKind(
        unit="rpm",
        words="shaft speed",
        dimension="speed",
        at="point",
        measured_by="speed",
        instrument_words="tachometer",
        cautions=SHAFT_CAUTIONS,
    ),
    "speed_mm_s": QuantityKind(
        unit="mm/s", words="speed", dimension="velocity", at="function", at_work=True
    ),
    "speed_rpm": QuantityKind(
        unit="rpm", words="speed", dimension="speed", at="function", at_work=True
    ),
    "drift_mm_min": QuantityKind(
        unit="mm/min", words="drift", dimension="drift", at="function", compressed=True
    ),
    "filter_drop_bar": QuantityKind(
        unit="bar", words="pressure drop", dimension="pressure", at="component", signed=True
    ),
    "peak_bar": QuantityKind(
        unit="bar",
        words="highest pressure",
        dimension="pressure",
        at="timing",
        measured_by="pressure",
        from_vacuum=True,
    ),
    "left_bar": QuantityKind(
        unit="bar",
        words="pressure left",
        dimension="pressure",
        at="timing",
        measured_by="pressure",
        from_vacuum=True,
    ),
    "within_s": QuantityKind(
        unit="s", words="time", dimension="time", at="timing", compressed=True
    ),
    "interval_s": QuantityKind(
        unit="s", words="time between chargings", dimension="time", at="timing", compressed=True
    ),
    "moved_mm": QuantityKind(
        unit="mm", words="way moved", dimension="length", at="timing", compressed=True
    ),
    "settled_c": QuantityKind(
        unit="°C",
        words="oil temperature",
        dimension="temperature",
        at="timing",
        stopped_at=HOTTEST_C,
        from_states=True,
        cautions=HEAT_CAUTIONS,
    ),
}
UNIT_OF_KIND: Mapping[str, str] = {kind: of.unit for kind, of in KINDS.items()}
WORDS_OF_KIND: Mapping[str, str] = {kind: of.words for kind, of in KINDS.items()}
