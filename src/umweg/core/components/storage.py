"""What component types store, beside their laws: oil, gas, momentum; and what oil switches.

A law says what flows; what is declared here says how much is held back. Both together are the
machine in time (see :mod:`umweg.core.solve.transient`).
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

Values = Mapping[str, float]
"""A component's parameters by name."""


@dataclass(frozen=True)
class OilVolume:
    """Oil enclosed at a port: ``litres``, and ``litres_per_mm`` of the travel of the rod at ``rod``;
    on the ring side (``shrinks``) of the travel that it has left."""

    port: str
    litres: Callable[[Values], float]
    rod: str = ""
    litres_per_mm: Callable[[Values], float] | None = None
    shrinks: bool = False


@dataclass(frozen=True)
class Gas:
    """Gas behind a bladder or a piston: names of its volume [L], its pressure when empty [bar], and
    the time constant [s] with which it takes its wall's temperature; none: it always has it."""

    port: str
    volume_l: str
    precharge_bar: str
    cooling_s: str = ""


@dataclass(frozen=True)
class Head:
    """Oil standing above a port: names of its volume when full [L] and the pressure it gives then
    [bar]. As high as it stands, so much it presses; empty, it gives nothing more."""

    port: str
    volume_l: str
    head_bar: str


@dataclass(frozen=True)
class Inertia:
    """What has to be set in motion: mass [kg] at a rod, moment of inertia [kg·m²] at a shaft."""

    port: str
    amount: Callable[[Values], float]


@dataclass(frozen=True)
class Place:
    """The command, 0 … 1 of the stroke, by which a load's law knows where its rod is."""

    port: str
    position: str


@dataclass(frozen=True)
class End:
    """Where a rod comes to its end: a parameter [mm], in place of the function's stroke."""

    port: str
    stroke_mm: str


@dataclass(frozen=True)
class Level:
    """A level that a port passes; measured over another port where one is named (``less``).

    Both functions take a component's parameters, each an array over machines: the level, and 1 where
    it is passed upward, −1 where downward.
    """

    port: str
    at: Callable[[Mapping[str, Any]], Any]
    way: Callable[[Mapping[str, Any]], Any] = lambda _: 1.0
    less: str = ""


@dataclass(frozen=True)
class Switch:
    """A command that oil or current gives and that stays until the other level is passed.

    ``values`` are the command's when it is off and when it is on.
    """

    command: str
    on: Level
    off: Level
    values: tuple[float, float] = (0.0, 1.0)

    @property
    def port(self) -> str:
        """Where it is turned on."""
        return self.on.port


def between(command: str, port: str, low: str, high: str) -> Switch:
    """On below one pressure at a port, off above another; both are parameters."""
    return Switch(
        command, Level(port, lambda k: k[low], lambda _: -1.0), Level(port, lambda k: k[high])
    )


Storage = OilVolume | Gas | Head | Inertia | Place | End | Switch


def tube_l(bore_mm: float, length_m: float) -> float:
    """Volume of a tube [L]."""
    return 0.25e-3 * math.pi * bore_mm * bore_mm * length_m


def area_l_per_mm(bore_mm: float, rod_mm: float = 0.0) -> float:
    """Oil that a piston or its ring side takes for a millimetre [L/mm]."""
    return 0.25e-6 * math.pi * (bore_mm * bore_mm - rod_mm * rod_mm)


def chambers(*ports: str) -> tuple[OilVolume, ...]:
    """Oil in the ports and passages of a pump or motor: two turns of it at each."""
    return tuple(OilVolume(port, lambda k: 2e-3 * k["displacement_cm3"]) for port in ports)
