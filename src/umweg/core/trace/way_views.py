"""The ways of a circuit's moves as they are given out."""

from umweg.core.view import View


class Station(View):
    """A part that the oil passes, in the order in which it does."""

    component: str
    label: str
    entered_by: str
    left_by: str
    flow_lpm: float
    before_bar: float
    after_bar: float
    held_by: list[str]
    """What holds it where it is: its lever, a pilot pressure, a coil; nothing for what is passive."""


class SignalLine(View):
    """A pilot or demand port that this move puts under pressure, or relieves."""

    component: str
    label: str
    port: str
    bar: float
    neutral_bar: float


class Drain(View):
    """Oil that leaves by a drain while this is done."""

    component: str
    label: str
    port: str
    flow_lpm: float


class MoveTrace(View):
    """One move: where its oil goes."""

    function: str
    move: str
    label: str
    pressure: list[Station]
    returning: list[Station]
    signals: list[SignalLine]
    drains: list[Drain]
    coils: list[str]
    """Coils that carry current."""
    contacts: list[str]
    """Contacts and levers that this move sets."""
    parts: list[str]
    """Every part that this move needs."""
    known: bool
    """False where the machine finds no steady state in it: no way is shown."""


class Shared(View):
    """A part, and the moves that need it."""

    component: str
    label: str
    moves: list[str]
    """``function.move``."""


class CircuitTrace(View):
    """The ways of all moves, and the parts against them."""

    circuit: str
    neutral: list[Station]
    """Where the pump's oil goes while nothing is called for."""
    moves: list[MoveTrace]
    parts: list[Shared]
