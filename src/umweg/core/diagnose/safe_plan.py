"""The way to zero as it is given out: lines, levers, steps, what remains, what opening releases."""

from collections.abc import Mapping
from typing import Literal

from umweg.core.circuit.document import MachineState
from umweg.core.view import View

Lack = Literal["drive", "electricity", "pilot", "dump"]
LACKS: Mapping[Lack, str] = {
    "drive": "The {drive} does not run",
    "electricity": "No electricity: battery dead, coils do not pull",
    "pilot": "No pilot oil: levers move nothing",
    "dump": "The dump valve of a store does not open",
}
"""What may not work when a machine has to be made safe, in the words that somebody says it in."""

StepKind = Literal["clear", "lower", "leave", "stop", "levers", "empty", "read", "blind"]


class LackView(View):
    """Something of this machine that the plan counts on, and that may not work."""

    key: Lack
    words: str


class LeverView(View):
    """Whether a move still works with the drive off, and why not."""

    function: str
    move: str
    label: str
    lowers: bool
    works_running: bool
    works_off: bool
    why_not: str


class LiveLine(View):
    """A line that holds pressure at rest."""

    net: str
    label: str
    points: list[str]
    healthy_bar: float
    worst_bar: float
    worst_with: str
    held_by: list[str]
    """Parts that the pressure stands across."""
    because: list[str]
    """Loads and stores that press on it."""
    since: str
    """State that left it there, where nothing presses on it: it is closed in."""
    falls: str
    """What becomes of it while nobody touches anything, on the machine as documented."""


class SafeStep(View):
    """One thing to do, and how it is known to be done."""

    key: str
    """Stable name within the plan: what a job's record calls it."""
    kind: StepKind
    words: str
    function: str | None
    move: str | None
    point: str | None
    before_bar: float | None
    after_bar: float | None
    state: MachineState | None
    """How the machine stands when it is done."""


class Remains(View):
    """A line that some machine would still hold under pressure after the plan."""

    net: str
    label: str
    bar: float
    faults: list[str]
    """Keys of the faults under which it stays; empty: the machine as documented."""
    words: str


class Release(View):
    """What opening at a test point would release: as it stands, and after the plan."""

    point: str
    label: str
    before_bar: float
    after_bar: float
    worst_bar: float
    worst_with: str


class SafePlan(View):
    """The way of a machine to zero."""

    circuit: str
    drive: str
    lacks: list[Lack]
    """What was said not to work: the plan does without it."""
    asks: list[LackView]
    """What the plan counts on: each may be said not to work."""
    safe: bool
    """Played on the machine as documented, nothing stays above what injures."""
    lines: list[LiveLine]
    levers: list[LeverView]
    steps: list[SafeStep]
    remains: list[Remains]
    releases: list[Release]
    caution: str
