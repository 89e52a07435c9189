"""Which levers still work with the drive off, why the others do not, and how each load comes down.

It comes out of the circuit: the machine as documented is asked for every move, with its drive at
idle and off.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

from umweg.core.circuit.document import Function, MachineState
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.diagnose.rest import HOLDS_ABOVE_BAR, AtRest
from umweg.core.diagnose.safe_plan import Lack
from umweg.core.observe.quantities import STANDS_SHARE, moved_net

LIFTS_BAR = 5.0
"""Pressure that a pilot line needs before it moves anything."""
MOST_NAMED = 3
COMES_DOWN = 20.0
"""A load that goes so many times as fast as it creeps while it is held comes down."""


@dataclass(frozen=True)
class Move:
    """A move of a function with its load held, at idle and with the drive off."""

    function: Function
    name: str
    running: float
    """Speed of its actuator, signed, with the drive at idle."""
    off: float
    why_not: str

    @property
    def label(self) -> str:
        """Function and move."""
        return f"{self.function.label} {self.function.moves[self.name].label}"

    @property
    def works_running(self) -> bool:
        """With the drive at idle."""
        return abs(self.running) > 0.0

    @property
    def works_off(self) -> bool:
        """With the drive off."""
        return abs(self.off) > STANDS_SHARE * abs(self.running) > 0.0


@dataclass(frozen=True)
class HandValve:
    """A valve worked by hand that lets a load come down by its own weight."""

    label: str
    key: str
    """Its command."""


class Levers:
    """All moves of a machine at rest; ``lacks`` is what does not work of it."""

    def __init__(self, rest: AtRest, lacks: Iterable[Lack] = ()) -> None:
        self._rest = rest
        self._circuit = rest.circuit
        self._lacks = frozenset(lacks)

    def moved_row(self, function: Function) -> int:
        """Where the motion of a function's actuator stands in the tables."""
        return self._rest.row(moved_net(self._circuit, function.id))

    @cached_property
    def moves(self) -> list[Move]:
        """Every move of every function."""
        return [self._move(f, m) for f in self._circuit.functions for m in f.moves]

    def _move(self, function: Function, name: str) -> Move:
        net = self.moved_row(function)
        running = self._rest.healthy(self.state(function, name, "idle"))
        off = self._rest.healthy(self.state(function, name, "off"))
        if running is None or off is None:
            why = "not known: no steady state was found"
            return Move(function, name, 0.0 if running is None else running[net], 0.0, why)
        move = Move(function, name, float(running[net]), float(off[net]), "")
        if move.works_off or not move.works_running:
            return move
        lowers = function in self._rest.weighing and self.lowers(move)
        why = self._why_not(function, lowers, running, off)
        return Move(function, name, move.running, move.off, why)

    def state(self, function: Function, move: str, engine: str) -> MachineState:
        """A move at rest's loads, with the drive as named."""
        label = f"{function.label} {function.moves[move].label}"
        return self._rest.state(
            f"{label}, {self._rest.drive} {engine}", engine, {function.id: move}
        )

    def _why_not(self, function: Function, lowers: bool, running: Array, off: Array) -> str:
        """What it lacks once the drive is off: pilot oil, or anything that pushes."""
        if not lowers:
            return f"it takes the pump: nothing pushes it with the {self._rest.drive} off"
        called, supplied = [], []
        for part in self._circuit.components:
            for port in component_type(part.type).ports:
                net = part.connections.get(port.name)
                if port.line != "pilot" or net is None:
                    continue
                row = self._rest.row(net)
                if running[row] < LIFTS_BAR or off[row] > 0.5 * running[row]:
                    continue
                supplied.append(part.label)
                if self._idling is not None and self._idling[row] < 0.5 * running[row]:
                    called.append(part.label)
        # What this move alone puts under pressure says more than what every move shares, and what
        # holds the load says most.
        holders = self._holders(function)
        named = [n for n in called if n in holders] or called or supplied
        if named:
            parts = ", ".join(list(dict.fromkeys(named))[:MOST_NAMED])
            return f"no pilot oil with the {self._rest.drive} off at {parts}"
        return f"it does not come down by its weight with the {self._rest.drive} off"

    def _holders(self, function: Function) -> set[str]:
        """Parts that hold the lines which a function's load presses on."""
        if function.id not in self._rest.pressing:
            return set()
        across = self._rest.pressing[function.id][1]
        nets = [
            net
            for net, row in self._rest.oil_nets
            if self._rest.table.healthy[row] > HOLDS_ABOVE_BAR and self._rest.lets_go(across, row)
        ]
        return {part.label for net in nets for part in self._rest.held_by(net)}

    @cached_property
    def _idling(self) -> Array | None:
        return self._rest.healthy(self._rest.state(f"{self._rest.drive} idle, loads held", "idle"))

    def lowers(self, move: Move) -> bool:
        """Does a move go the way its load wants: the way it creeps while it is held."""
        net = self.moved_row(move.function)
        creep = self._rest.table.healthy[net]
        return bool(creep * move.running > 0.0)

    def way_down(self, function: Function) -> Move | None:
        """The move that brings its load down, rather one that works with the drive off; none that
        needs what does not work.

        Where something does not work, another function that moves the same load may: an emergency
        circuit.
        """

        def moves_it(move: Move) -> bool:
            other = bool(self._lacks and function.load) and move.function.load == function.load
            return move.function is function or other

        ways = [m for m in self.moves if moves_it(m) and self.lowers(m) and not self.wanting(m)]
        return max(ways, key=lambda m: (m.works_off, abs(m.running)), default=None)

    def wanting(self, move: Move) -> set[Lack]:
        """What a move needs of that which does not work."""
        needs: set[Lack] = set() if move.works_off else {"drive"}
        for command in move.function.moves[move.name].commands:
            kind = component_type(self._circuit.component(command.partition(".")[0]).type)
            ports = kind.ports
            by = self._rest.given_by(command)
            if by == "button" or any(p.domain == "electrical" for p in ports):
                needs.add("electricity")
            oil = [p for p in ports if p.domain == "hydraulic"]
            # What a pilot valve gives goes to a spool: without it nothing is shifted.
            if kind.piloted or (oil and all(p.line != "working" for p in oil)):
                needs.add("pilot")
        return needs & self._lacks

    def by_hand(self, function: Function) -> HandValve | None:
        """A valve worked by hand by which its load comes down with nothing else working: played."""
        if function.id not in self._rest.pressing:
            return None
        net = self.moved_row(function)
        creep = float(self._rest.table.healthy[net])
        across = self._rest.pressing[function.id][1]
        for name, row in self._rest.oil_nets:
            if not self._rest.lets_go(across, row):
                continue
            for part, command in self._rest.let_go(name):
                key = f"{part.id}.{command}"
                opened = self._rest.healthy(self._rest.state("let down", settings={key: 1.0}))
                if opened is None:
                    continue
                speed = float(opened[net])
                if speed * creep > 0.0 and abs(speed) > COMES_DOWN * abs(creep):
                    return HandValve(part.label, key)
        return None
