"""What the nets of a machine store, gathered from what its components declare."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from umweg.core.components import component_type
from umweg.core.components.base import ROTATION, TRANSLATION, Array
from umweg.core.components.storage import (
    End,
    Gas,
    Head,
    Inertia,
    Level,
    OilVolume,
    Place,
    Storage,
    Switch,
)
from umweg.core.network.network import Indices, Network

LEAST_KG = 5.0
LEAST_KGM2 = 0.01
"""Of whatever moves or turns, where no load declares more."""
STROKE_MM = 400.0
"""Stroke of a rod that no function names."""
_UNIT = {
    "translation": TRANSLATION * 1e-3,
    "rotation": ROTATION * 2.0 * np.pi / 60.0,
}


@dataclass(frozen=True)
class Switches:
    """Commands that oil or current gives, Q of them.

    ``table (Q, 5)``: slot of the command; net and the net it is measured against (−1: none) for on,
    then for off. ``values (Q, 2)`` are the command's, off and on.
    """

    table: Indices
    values: Array
    parts: tuple[tuple[str, tuple[str, ...], Switch], ...]
    """Of each the component, its parameters' names, and what it declares."""

    def levels(self, count: int, parameter: Callable[[str], Array]) -> Array:
        """(B, Q, 4) levels for on and off, then −1 for each that is passed downward, else 1.

        A level that is passed downward is negative here, as what is held against it is.

        Parameters
        ----------
        parameter : (B,) values of ``component.parameter``
        """
        found = np.zeros((count, len(self.parts), 4))
        for q, (part, names, switch) in enumerate(self.parts):
            known = {name: parameter(f"{part}.{name}") for name in names}
            for i, level in enumerate((switch.on, switch.off)):
                found[:, q, 2 + i] = level.way(known)
                found[:, q, i] = found[:, q, 2 + i] * level.at(known)
        return found


@dataclass(frozen=True)
class NetworkStorage:
    """Stores of a network as arrays; N unknown nets, P rods, G vessels, Q switches.

    ``inertia (N,)`` in residual units per unit of speed and second; ``litres (N,)`` of oil with
    every rod at its inner stop, ``per_mm (N, P)`` its change with each rod's travel.
    """

    inertia: Array
    litres: Array
    per_mm: Array
    rods: Indices
    stroke_mm: Array
    end_slots: Indices
    """(P,) slot of the parameter that says where each rod ends, −1: the function's stroke."""
    positions: tuple[Indices, ...]
    """For each rod the slots of the commands that say where it is."""
    vessels: Indices
    """(G, 5): net, slots of volume, of pressure and of the time in which gas takes its wall's
    temperature (−1: at once), 0 for gas behind a bladder, 1 for oil's own height."""
    switches: Switches
    steady_only: dict[int, float]
    """Commands by slot that stand for a moment in the steady laws."""

    @classmethod
    def of(cls, network: Network) -> "NetworkStorage":
        """Gather what the components of a network declare."""
        return _Gathered(network).made()


class _Gathered:
    def __init__(self, network: Network) -> None:
        self.network = network
        n = network.unknown_count
        unknown = network.domains[:n]
        self.litres = np.zeros(n)
        self.inertia = np.zeros(n)
        self.rods = [i for i in range(n) if unknown[i] == "translation"]
        self.per_mm = np.zeros((n, len(self.rods)))
        strokes = {
            network.circuit.component(f.actuator).connections[f.actuator_port]: f.stroke_mm
            for f in network.circuit.functions
            if f.stroke_mm > 0.0
        }
        self.stroke = [strokes.get(network.net_names[i], STROKE_MM) for i in self.rods]
        self.ends = [-1 for _ in self.rods]
        self.positions: list[list[int]] = [[] for _ in self.rods]
        self.vessels: list[tuple[int, int, int, int, int]] = []
        self.switches: list[tuple[str, tuple[str, ...], Switch]] = []
        self.steady_only: dict[int, float] = {}

    def made(self) -> NetworkStorage:
        for part in self.network.parts:
            kind = component_type(part.type)
            values = kind.Parameters.model_validate(part.parameters).model_dump()
            for port in kind.ports:
                net = self.network.net_index[part.connections[port.name]]
                if port.domain == "hydraulic" and net < self.network.unknown_count:
                    self.litres[net] += kind.fittings_l
            for name, value in kind.in_time.items():
                self.steady_only[self.network.slot[f"{part.id}.{name}"]] = value
            for store in kind.storage:
                self._add(part.id, part.connections, values, store)
        for i, domain in enumerate(self.network.domains[: self.network.unknown_count]):
            if domain == "translation":
                self.inertia[i] = max(self.inertia[i], LEAST_KG) * _UNIT[domain]
            elif domain == "rotation":
                self.inertia[i] = max(self.inertia[i], LEAST_KGM2) * _UNIT[domain]

        def index(rows: list[Any], width: int = 0) -> Indices:
            made = np.array(rows, dtype=np.intp)
            return made.reshape(-1, width) if width else made

        return NetworkStorage(
            inertia=self.inertia,
            litres=self.litres,
            per_mm=self.per_mm,
            rods=index(self.rods),
            stroke_mm=np.array(self.stroke, dtype=float),
            end_slots=index(self.ends),
            positions=tuple(index(p) for p in self.positions),
            vessels=index(self.vessels, 5),
            switches=self._switches(),
            steady_only=self.steady_only,
        )

    def _add(
        self,
        part: str,
        joins: dict[str, str],
        values: dict[str, float],
        store: Storage,
    ) -> None:
        net = self.network.net_index[joins[store.port]]
        if net >= self.network.unknown_count:
            return
        slot = self.network.slot
        match store:
            case OilVolume():
                self.litres[net] += store.litres(values)
                rod = self.network.net_index[joins[store.rod]] if store.rod else -1
                if store.litres_per_mm is not None and rod in self.rods:
                    column, change = self.rods.index(rod), store.litres_per_mm(values)
                    if store.shrinks:
                        self.litres[net] += change * self.stroke[column]
                    self.per_mm[net, column] += -change if store.shrinks else change
            case Inertia():
                self.inertia[net] += store.amount(values)
            case Gas():
                own = slot[f"{part}.{store.volume_l}"], slot[f"{part}.{store.precharge_bar}"]
                cooling = slot[f"{part}.{store.cooling_s}"] if store.cooling_s else -1
                self.vessels.append((net, *own, cooling, 0))
            case Head():
                own = slot[f"{part}.{store.volume_l}"], slot[f"{part}.{store.head_bar}"]
                self.vessels.append((net, *own, -1, 1))
            case End():
                self.ends[self.rods.index(net)] = slot[f"{part}.{store.stroke_mm}"]
            case Place():
                self.positions[self.rods.index(net)].append(slot[f"{part}.{store.position}"])
            case Switch():
                self.switches.append((part, tuple(values), store))

    def _switches(self) -> Switches:
        joins = {p.id: p.connections for p in self.network.parts}

        def nets(part: str, level: Level) -> tuple[int, int]:
            index, own = self.network.net_index, joins[part]
            return index[own[level.port]], index[own[level.less]] if level.less else -1

        table = [
            (self.network.slot[f"{part}.{s.command}"], *nets(part, s.on), *nets(part, s.off))
            for part, _, s in self.switches
        ]
        return Switches(
            np.array(table, dtype=np.intp).reshape(-1, 5),
            np.array([s.values for *_, s in self.switches], dtype=float).reshape(-1, 2),
            tuple(self.switches),
        )
