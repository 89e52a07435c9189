"""The way on as a tree: if this step shows that, then what; down to the repair.

Each reading is cut where a technician cuts it: below, as, and above what the healthy machine
would show. Under each answer the diagnosis is made again as if it had been given.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import cast

import numpy as np

from umweg.core.components.base import Array
from umweg.core.diagnose.diagnosis import Diagnosis, Diagnostician
from umweg.core.diagnose.plan import Planner
from umweg.core.diagnose.report import hypothesis_title
from umweg.core.diagnose.steps import Step
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.core.view import View

SELDOM = 0.03
"""An answer less likely than this is named, not followed."""
MOST_DEPTH = 6
NAMED = 3

Progress = Callable[[int, int], None]
"""Told how many places are worked out, of how many that are known of so far."""


class Leader(View):
    """A suspect as it stands at one place of the tree."""

    key: str
    title: str
    share: float


class Branch(View):
    """One answer to a step: how likely it is, and what then."""

    words: str
    low: float | None
    high: float | None
    """Of a reading, in its base unit; open where there is no bound."""
    share: float
    place: "Place | None"
    """Nothing where the answer is seldom, or the tree ends here."""


class Place(View):
    """Where one stands in the tree: what is believed, and what is done next."""

    enough: bool
    """No further step is worth its minutes."""
    leaders: list[Leader]
    repair: str | None
    """What is mended first, if one stopped here."""
    step: str | None
    step_key: tuple[str, str, str] | None
    """Kind, place and state of the step."""
    minutes: float
    expected_min: float
    """From here to a repair, on average over the answers that are followed."""
    branches: list[Branch]


@dataclass(frozen=True)
class _Answer:
    words: str
    share: float
    observation: Observation
    low: float | None = None
    high: float | None = None


def tree_of(
    doctor: Diagnostician,
    observations: Sequence[Observation],
    depth: int = 2,
    progress: Progress | None = None,
) -> Place:
    """The remaining plan, so many steps deep.

    Parameters
    ----------
    progress : told how far it is after every place; what it raises ends the work

    Raises
    ------
    ValueError : a depth that is not 1 … 6.
    """
    if not 1 <= depth <= MOST_DEPTH:
        raise ValueError(f"depth {depth} is not 1 … {MOST_DEPTH}")
    doctor.prepare()
    return _Grower(doctor, progress or (lambda _done, _known: None)).place(
        list(observations), depth
    )


class _Grower:
    def __init__(self, doctor: Diagnostician, progress: Progress) -> None:
        self._doctor = doctor
        self._progress = progress
        self._made = 0
        self._known = 1

    def place(self, seen: list[Observation], depth: int) -> Place:
        diagnosis = self._doctor.diagnose(seen)
        self._made += 1
        self._progress(self._made, self._known)
        offered = next((s for s in diagnosis.steps if not s.refused), None)
        step = None if diagnosis.enough or depth == 0 else offered
        branches = [] if step is None else self._branches(seen, step, depth)
        followed = [(b.share, b.place.expected_min) for b in branches if b.place is not None]
        minutes = 0.0 if step is None else step.minutes
        later = sum(p * m for p, m in followed) / max(sum(p for p, _ in followed), 1e-9)
        return Place(
            enough=diagnosis.enough or offered is None,
            leaders=self._leaders(diagnosis),
            repair=self._repair(diagnosis),
            step=None if step is None else _words(step),
            step_key=None if step is None else (step.kind, step.point, step.state),
            minutes=minutes,
            expected_min=minutes + (later if followed else 0.0),
            branches=branches,
        )

    def _leaders(self, diagnosis: Diagnosis) -> list[Leader]:
        circuit = self._doctor.circuit
        return [
            Leader(
                key=s.hypothesis.key, title=hypothesis_title(circuit, s.hypothesis), share=s.share
            )
            for s in diagnosis.suspects[:NAMED]
        ]

    def _repair(self, diagnosis: Diagnosis) -> str | None:
        first = diagnosis.do_first
        if first is None:
            return None
        label = self._doctor.circuit.component(first.component_id).label
        return f"{label}: {first.remedy}"

    def _branches(self, seen: list[Observation], step: Step, depth: int) -> list[Branch]:
        planner = self._doctor.planner(seen)
        mark = f"then-{len(seen)}"
        answers = sorted(_answers(planner, step, mark), key=lambda a: -a.share)
        self._known += sum(a.share >= SELDOM for a in answers)
        return [
            Branch(
                words=a.words,
                low=a.low,
                high=a.high,
                share=a.share,
                place=None if a.share < SELDOM else self.place([*seen, a.observation], depth - 1),
            )
            for a in answers
        ]


def _words(step: Step) -> str:
    at = f"{step.point_label} — {step.state_label}" if step.state_label else step.point_label
    return at if not step.unit else f"{at} [{step.unit}]"


def _answers(planner: Planner, step: Step, mark: str) -> Iterable[_Answer]:
    """Looks have their answers; a reading is below, as, or above what is healthy."""
    if not isinstance(step.asks, Reading):
        for answer, share in step.outcomes:
            observation = answer.observation.model_copy(update={"id": mark})
            yield _Answer(answer.word, share, cast(Observation, observation))
        return
    value, chance = planner.outlook(step)
    healthy = planner.with_bands(step).healthy
    assert healthy is not None, "every reading has a healthy band"
    low, high, unit = healthy.low, healthy.high, step.unit
    cells = (
        (f"below {low:.3g} {unit}", value < low, None, low),
        (f"{low:.3g} … {high:.3g} {unit}, as healthy", (value >= low) & (value <= high), low, high),
        (f"above {high:.3g} {unit}", value > high, high, None),
    )
    for words, inside, bottom, top in cells:
        share = float(chance[inside].sum())
        if share > 0.0:
            typical = _median(value[inside], chance[inside])
            update = {"id": mark, "value": typical, "unit": UNIT_OF_KIND[step.asks.quantity]}
            yield _Answer(words, share, step.asks.model_copy(update=update), bottom, top)


def _median(value: Array, share: Array) -> float:
    """The middle of what would be read there: it is one of the values, not between two humps."""
    upto = np.cumsum(share)
    return float(value[int(np.searchsorted(upto, 0.5 * upto[-1]))])
