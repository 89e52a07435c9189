"""A program played on one machine, as curves that can be drawn or kept."""

import csv
import io
from collections.abc import Mapping, Sequence

import numpy as np
from pydantic import Field

from umweg.core.circuit.document import Circuit, Document, TimedPhase, Timing
from umweg.core.components.base import ACROSS_UNIT
from umweg.core.errors import SolveError
from umweg.core.observe.quantities import from_scale, moved_net, quantity_of
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.core.observe.timed import TimedReader
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.solve.transient import Event
from umweg.core.view import View

EVERY = 5
"""Of so many samples of a curve one is a moment of the whole machine."""


class Program(Document):
    """States gone through one after the other, from wherever the rods are."""

    phases: list[TimedPhase] = Field(min_length=1, max_length=50)
    places: dict[str, float] = Field(
        default_factory=dict, description="function to share of its stroke, half by default"
    )


class Curve(View):
    """One net, or one rod's travel, over time."""

    name: str
    unit: str
    values: list[float]
    lowest: float
    highest: float
    """Between the samples too."""


class Happened(View):
    """A rod that reached or left its end, a switch of oil that turned."""

    at_s: float
    words: str


class Played(View):
    """A program played on one machine."""

    time_s: list[float]
    phases: list[tuple[float, str]]
    """When each begins, and its state."""
    curves: list[Curve]
    happened: list[Happened]
    steps: int


def play_program(
    circuit: Circuit,
    solver: SteadySolver,
    program: Program,
    own: Mapping[int, float],
    samples: int = 201,
) -> Played:
    """Play a program on one machine.

    Parameters
    ----------
    own : parameter slot to this machine's own value

    Raises
    ------
    StateError, CircuitError : it names a state or function that the circuit lacks.
    SolveError : the machine has no steady state to begin with, or could not be played to the end.
    """
    reader = TimedReader(circuit, solver)
    network = solver.network
    found = reader.curves(
        program.phases,
        program.places,
        Cases.one(dict(own)),
        kept=np.arange(network.unknown_count),
        grid=np.linspace(0.0, sum(p.seconds for p in program.phases), samples),
    )
    if not found.finished[0]:
        raise SolveError(
            f"it could be played for {found.reached_s[0]:.3g} s only; no numbers are shown"
        )
    curves = [
        Curve(
            name=network.net_names[i],
            unit=ACROSS_UNIT[network.domains[i]],
            values=found.across[0, :, i].tolist(),
            lowest=float(found.lowest[0, :, i].min()),
            highest=float(found.highest[0, :, i].max()),
        )
        for i in range(network.unknown_count)
    ]
    rods = [network.net_names[i] for i in reader.transient.storage.rods]
    for column, name in enumerate(rods):
        way = found.place_mm[0, :, column]
        low, high = float(way.min()), float(way.max())
        curves.append(
            Curve(name=f"{name} place", unit="mm", values=way.tolist(), lowest=low, highest=high)
        )
    begins = np.cumsum([0.0, *(p.seconds for p in program.phases[:-1])])
    return Played(
        time_s=found.time_s.tolist(),
        phases=[
            (float(at), circuit.states[p.state].label)
            for at, p in zip(begins, program.phases, strict=True)
        ],
        curves=curves,
        happened=[Happened(at_s=e.at_s, words=_words(e, rods, reader)) for e in found.events[0]],
        steps=int(found.steps[0]),
    )


def _words(event: Event, rods: Sequence[str], reader: TimedReader) -> str:
    if event.rod >= 0:
        return f"{rods[event.rod]} {'stands at its end' if event.on else 'leaves its end'}"
    slot = int(reader.transient.storage.switches.table[event.switch, 0])
    parameter = reader.network.parameters[slot]
    label = reader.circuit.component(parameter.component_id).label
    return f"{label}: {parameter.name} {'begins' if event.on else 'ends'}"


class Begins(View):
    """When a state begins."""

    at_s: float
    label: str


class NetOverTime(View):
    """What a net holds at each of the moments."""

    net: str
    unit: str
    values: list[float]


class Watched(View):
    """What is watched while something is read in time, on one machine."""

    what: str
    """Point or function that is watched."""
    unit: str
    time_s: list[float]
    values: list[float]
    phases: list[Begins]
    level: float | None
    """The value that is waited for."""
    moments_s: list[float]
    """Times at which the whole machine is told, for a map that plays along."""
    nets: list[NetOverTime]


def can_be_watched(timing: Timing) -> bool:
    """Is there one line to watch: a cycle of work is no curve, and some pauses have no gauge."""
    from_states = quantity_of(timing).of.from_states
    return not from_states and (timing.point or timing.function) is not None


def watched(
    circuit: Circuit, solver: SteadySolver, timing: Timing, own: Mapping[int, float]
) -> Watched:
    """The curve that a timing is read from.

    Parameters
    ----------
    own : parameter slot to this machine's own value

    Raises
    ------
    ValueError : nothing is watched in it.
    SolveError : as :func:`play_program`.
    """
    if not can_be_watched(timing):
        raise ValueError(f"nothing is watched in “{timing.label}”")
    played = play_program(circuit, solver, program_of(timing), own)
    curves = {c.name: c for c in played.curves}
    if timing.point is not None:
        point = circuit.test_point(timing.point)
        curve, what = curves[point.net], point.label
    else:
        assert timing.function is not None
        net = moved_net(circuit, timing.function)
        # A rod is watched by its place, a shaft by its speed.
        curve = curves.get(f"{net} place") or curves[net]
        what = circuit.function(timing.function).label
    return Watched(
        what=what,
        unit=curve.unit,
        time_s=played.time_s,
        values=curve.values,
        phases=[Begins(at_s=at, label=label) for at, label in played.phases],
        level=timing.level_bar,
        moments_s=[round(t, 3) for t in played.time_s[::EVERY]],
        nets=[
            NetOverTime(net=c.name, unit=c.unit, values=[round(v, 2) for v in c.values[::EVERY]])
            for c in played.curves
            if c.name in solver.network.net_index
        ],
    )


def program_of(timing: Timing) -> Program:
    """The program that a timing is read in."""
    return Program(phases=timing.phases, places=timing.places)


def read_of(
    timing: Timing, circuit: Circuit, solver: SteadySolver, own: Mapping[int, float]
) -> str:
    """What a timing shows on one machine, in words.

    Raises
    ------
    SolveError : it cannot be played.
    """
    value, fine = TimedReader(circuit, solver).values(timing, Cases.one(dict(own)))
    if not fine[0]:
        raise SolveError(f"“{timing.label}” could not be played to the end")
    shown = float(from_scale(quantity_of(timing), value)[0])
    return f"{timing.label}: {shown:.4g} {UNIT_OF_KIND[timing.of]}"


def to_csv(played: Played) -> str:
    """A table with the time first and the units in the header."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\n")
    writer.writerow(["time [s]", *(f"{c.name} [{c.unit}]" for c in played.curves)])
    for row, at in enumerate(played.time_s):
        writer.writerow([f"{at:.4f}", *(f"{c.values[row]:.4f}" for c in played.curves)])
    return buffer.getvalue()
