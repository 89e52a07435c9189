"""What component types store, beside their laws: oil, gas, momentum; and what oil switches.

A law says what flows; what is declared here says how much is held back. Both together are the
machine in time (see :mod:`umweg.core.solve.transient`).
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

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
    """Gas behind a bladder or a piston: names of its volume [L] and its pressure when empty [bar]."""

    port: str
    volume_l: str
    precharge_bar: str


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
class Switch:
    """A command that oil gives: on below one pressure at a port, off above another.

    ``low_bar`` and ``high_bar`` are parameters.
    """

    command: str
    port: str
    low_bar: str
    high_bar: str


Storage = OilVolume | Gas | Inertia | Place | End | Switch


def tube_l(bore_mm: float, length_m: float) -> float:
    """Volume of a tube [L]."""
    return 0.25e-3 * math.pi * bore_mm * bore_mm * length_m


def area_l_per_mm(bore_mm: float, rod_mm: float = 0.0) -> float:
    """Oil that a piston or its ring side takes for a millimetre [L/mm]."""
    return 0.25e-6 * math.pi * (bore_mm * bore_mm - rod_mm * rod_mm)


def chambers(*ports: str) -> tuple[OilVolume, ...]:
    """Oil in the ports and passages of a pump or motor: two turns of it at each."""
    return tuple(OilVolume(port, lambda k: 2e-3 * k["displacement_cm3"]) for port in ports)
