"""What each fault of a machine shows: the numbers it moves, the words it calls for, who looks alike."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from umweg.core.components.base import Array
from umweg.core.diagnose.plan import readings_of
from umweg.core.network.network import Indices
from umweg.core.observe.exhibits import Played
from umweg.core.observe.kinds.behaviours import BEHAVIOURS, HOW_WORDS, Spoken
from umweg.core.observe.kinds.oil import OIL_LOOKS, OIL_WORDS, OilSeen
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity, from_scale
from umweg.core.observe.weights import noise_at

SHOWN_AT = (0.3, 0.57, 1.0)
"""Severities at which a fault is described, each at the nearest that is solved."""
HALF = 1
"""Which of them is “half”."""
MOST_MOVED = 4
SEEN_FROM_WIDTHS = 2.0
"""What moves less than this many widths of what healthy machines show is not seen."""
SAID_FROM = 0.5
ALIKE_ABOVE = 0.97
"""Cosine between what two faults move above which they look alike."""


@dataclass(frozen=True)
class Moved:
    """A quantity in a state: healthy and faulted value in base units, and how many widths apart.

    A width is one standard deviation of what healthy machines show there, reading included.
    """

    quantity: Quantity
    state: str
    healthy: float
    faulted: float
    widths: float


@dataclass(frozen=True)
class Shown:
    """What a fault shows at one severity."""

    severity: float
    moved: tuple[Moved, ...]
    said: tuple[tuple[str, str], ...]
    """Function and move, and the word that an operator would choose instead of “as usual”."""

    @property
    def silent(self) -> bool:
        """Neither a reading nor a word gives it away."""
        return not self.said and all(abs(m.widths) < SEEN_FROM_WIDTHS for m in self.moved)


@dataclass(frozen=True)
class Symptoms:
    """One fault: what it shows at some severities, how it is confirmed, and who looks alike."""

    key: str
    component_id: str
    label: str
    shown: tuple[Shown, ...]
    look: str
    alike: tuple[str, ...]


@dataclass(frozen=True)
class _Field:
    """Everything that can be read: quantities, their states, and widths (Q, C) from healthy."""

    places: tuple[tuple[Quantity, str], ...]
    mean: Array
    widths: Array


def symptoms_of(predictor: Predictor) -> Iterator[Symptoms]:
    """The symptoms of every single fault of a circuit, in the order of its components."""
    circuit, population = predictor.circuit, predictor.population
    predictor.prepare(circuit.steady.values())
    field = _field(predictor)
    words = _words(predictor)
    oil = Played(predictor).seen(OilSeen())
    half = [_at(population.severity, m, SHOWN_AT[HALF]) for m in population.members]
    direction = np.clip(field.widths[:, half], -30.0, 30.0)
    length = np.sqrt((direction**2).sum(axis=0))
    like = direction.T @ direction / np.maximum(np.outer(length, length), 1e-9)
    for h, hypothesis in enumerate(population.hypotheses):
        if len(hypothesis.faults) != 1:
            continue
        fault = hypothesis.faults[0]
        members = population.members[h]
        chosen = dict.fromkeys(_at(population.severity, members, s) for s in SHOWN_AT)
        near = np.argsort(-like[h], kind="stable")
        alike = [
            population.hypotheses[i]
            for i in near
            if i not in (0, h) and like[h, i] > ALIKE_ABOVE and length[h] > SEEN_FROM_WIDTHS
        ]
        yield Symptoms(
            fault.key,
            fault.component_id,
            f"{circuit.component(fault.component_id).label}: {fault.mode.label}",
            tuple(_shown(predictor, field, words, oil, c) for c in chosen),
            fault.mode.look,
            tuple(a.key for a in alike[:5]),
        )


def _at(severity: Array, members: Indices, wanted: float) -> int:
    return int(members[np.abs(severity[members, 0] - wanted).argmin()])


def _field(predictor: Predictor) -> _Field:
    places: list[tuple[Quantity, str]] = []
    means, widths = [], []
    exhibits = Played(predictor)
    for name, quantity in readings_of(predictor):
        shown = exhibits.shown(quantity, predictor.circuit.states[name])
        mean = shown.mean
        noise = noise_at(quantity, float(mean[0]), None)
        width = np.hypot(noise, np.sqrt((shown.slope[:-1, 0] ** 2).sum()))
        places.append((quantity, name))
        means.append(mean)
        widths.append(np.where(shown.known, (mean - mean[0]) / width, 0.0))
    return _Field(tuple(places), np.array(means), np.array(widths))


def _words(predictor: Predictor) -> dict[str, Array]:
    exhibits = Played(predictor)
    return {
        f"{function.label} {move.label}": exhibits.seen(Spoken(function.id, name, "warm"))
        for function in predictor.circuit.functions
        for name, move in function.moves.items()
    }


def _shown(
    predictor: Predictor, field: _Field, words: dict[str, Array], oil: Array, candidate: int
) -> Shown:
    widths = field.widths[:, candidate]
    order = np.argsort(-np.abs(widths), kind="stable")[:MOST_MOVED]
    said = []
    for what, probability in words.items():
        word = int(probability[:, candidate].argmax())
        if BEHAVIOURS[word] != "as_usual" and probability[word, candidate] > SAID_FROM:
            said.append((what, HOW_WORDS[BEHAVIOURS[word]]))
    look = int(oil[:, candidate].argmax())
    if OIL_LOOKS[look] != "clear" and oil[look, candidate] > SAID_FROM:
        said.append(("the oil looks", OIL_WORDS[OIL_LOOKS[look]]))
    return Shown(
        float(predictor.population.severity[candidate, 0]),
        tuple(
            Moved(
                field.places[i][0],
                field.places[i][1],
                float(from_scale(field.places[i][0], field.mean[i, 0])),
                float(from_scale(field.places[i][0], field.mean[i, candidate])),
                float(widths[i]),
            )
            for i in order
        ),
        tuple(said),
    )
