"""What a line holds where something is connected or opened, and how it is brought to nothing.

Connected is with the engine off and every load held where it was: the posture in which people
reach for the spanner, a minute after they stopped. What the lines hold then is asked of the healthy
machine and of every suspect, because a fault may lock in what a healthy machine lets go.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from umweg.core.circuit.document import Function
from umweg.core.components import component_type
from umweg.core.components.base import Array
from umweg.core.diagnose.hazards import LIVE, REFUSE_TEST_ABOVE, cause_words
from umweg.core.diagnose.levers import Levers
from umweg.core.diagnose.rest import HOLDS_ABOVE_BAR, AtRest
from umweg.core.observe.predict import Predictor

PROCEDURE = "follow the maker's procedure to release it"


@dataclass(frozen=True)
class Held:
    """What a line holds once the machine was stopped.

    ``worst_bar`` is what all but a share too small to refuse a test for stay below, with ``worst``
    the candidate that has it; ``unknown_share`` is the belief in machines of which it is not known.
    ``since`` is the state that left it there, where nothing presses on it.
    """

    healthy_bar: float
    worst_bar: float
    worst: int
    unknown_share: float
    since: str


class Openings:
    """What is held where, for one belief.

    Parameters
    ----------
    weight : (C,) belief in each candidate, summing to 1
    """

    def __init__(self, predictor: Predictor, weight: Array) -> None:
        self._predictor = predictor
        self._circuit = predictor.circuit
        self._weight = weight
        self._live = np.flatnonzero(weight > LIVE)
        self._rest = AtRest(predictor)
        self._levers = Levers(self._rest)
        self._cautions: dict[str, str | None] = {}

    def cautions(self, points: Iterable[str]) -> list[str]:
        """A caution for each test point whose line is, or may be, under pressure at rest."""
        found = []
        for point in sorted(set(points)):
            if point not in self._cautions:
                where = self._circuit.test_point(point)
                self._cautions[point] = (
                    self._caution(where.label, where.net) if where.hydraulic else None
                )
            words = self._cautions[point]
            if words is not None:
                found.append(words)
        return found

    def of_components(self, component_ids: Iterable[str]) -> list[str]:
        """A caution for each component that is, or may be, under pressure when it is opened."""
        found = []
        for name in component_ids:
            part = self._circuit.component(name)
            oil = {p.name for p in component_type(part.type).ports if p.domain == "hydraulic"}
            nets = {net for port, net in part.connections.items() if port in oil}
            worst = max(nets, key=lambda net: self._held(net).worst_bar, default=None)
            words = None if worst is None else self._caution(part.label, worst)
            if words is not None:
                found.append(words)
        return found

    def held(self, point: str) -> Held:
        """What the line at a test point holds."""
        return self._held(self._circuit.test_point(point).net)

    def _held(self, net: str) -> Held:
        row = self._rest.row(net)
        if row >= self._rest.network.unknown_count:
            # The tank, the frame: it is where everything else is let go to.
            return Held(0.0, 0.0, 0, 0.0, "")
        held = self._rest.held[row][self._live]
        unknown = np.isnan(held)
        pressure = np.where(unknown, -np.inf, held)
        weight = self._weight[self._live]
        order = np.argsort(-pressure, kind="stable")
        first = int(np.searchsorted(np.cumsum(weight[order]), REFUSE_TEST_ABOVE))
        worst = order[min(first, len(order) - 1)]
        return Held(
            float(self._rest.sound[row]),
            float(pressure[worst]),
            int(self._live[worst]),
            float(weight[unknown].sum()),
            self._rest.closed_in(row),
        )

    def _caution(self, label: str, net: str) -> str | None:
        held, rest = self._held(net), self._rest
        said = []
        if held.healthy_bar > HOLDS_ABOVE_BAR and rest.trapped is not None:
            said.append(
                f"the machine keeps {held.healthy_bar:.0f} bar here with the {rest.drive} off"
            )
            if held.since:
                said.append(f"closed in as after “{held.since}”")
        if held.worst_bar > max(HOLDS_ABOVE_BAR, 1.2 * held.healthy_bar) or (
            rest.trapped is None and held.worst_bar > HOLDS_ABOVE_BAR
        ):
            start = "up to" if said else f"with the {rest.drive} off this line may keep"
            if rest.trapped is None:
                said.append(
                    f"{start} {held.worst_bar:.0f} bar, as much as it had before: "
                    "how it falls is not played yet"
                )
            else:
                cause = cause_words(self._predictor, held.worst)
                said.append(f"{start} {held.worst_bar:.0f} bar with: {cause}")
        if held.unknown_share > REFUSE_TEST_ABOVE:
            said.append(
                f"for {held.unknown_share:.1%} of the belief it is not known what it keeps: "
                "treat it as under pressure"
            )
        if not said:
            return None
        return f"{label}: {', '.join(said)}. Before connecting or opening: {self._way_down(net)}."

    def _way_down(self, net: str) -> str:
        """How to bring a line to nothing, in the order in which it is done: stores before anything
        that may still move."""
        rest = self._rest
        pressing = rest.because(rest.row(net))
        # Where nothing presses on it in order, a fault may have let any of the loads in.
        loads = [f for f in rest.weighing if f.id in pressing or not pressing]
        ways = list(self._lowered(loads))
        ways.append(f"{rest.drive} off")
        for store in rest.stores:
            label = self._circuit.component(store).label.lower()
            ways.append(f"empty {label} through what it feeds")
        if words := rest.levers_words():
            ways.append(words)
        stays = self._stays(net)
        if stays:
            ways.append(stays)
        ways.append(f"see the gauge read zero; if it does not, {PROCEDURE}")
        return "; ".join(ways)

    def _stays(self, net: str) -> str:
        """What none of that brings to nothing, in words; nothing where it does."""
        nets, freed = self._rest.freed
        here = np.flatnonzero(nets == self._rest.row(net))
        if not len(here) or self._rest.trapped is None:
            return ""
        of_live = freed[here[0]][self._live]
        if not np.isfinite(of_live).any():
            return ""
        most = int(np.nanargmax(of_live))
        if not of_live[most] > HOLDS_ABOVE_BAR:
            return ""
        cause = cause_words(self._predictor, int(self._live[most]))
        return f"that may leave {of_live[most]:.0f} bar closed in here (with: {cause})"

    def _lowered(self, loads: Iterable[Function]) -> Iterator[str]:
        """Who comes down, and for whom the drive must still run."""
        ways = [(f.label.lower(), self._levers.way_down(f)) for f in loads]
        running = [label for label, way in ways if way is not None and not way.works_off]
        anyway = [label for label, way in ways if way is not None and way.works_off]
        propped = [label for label, way in ways if way is None]
        if running:
            yield f"lower and support while the {self._rest.drive} still runs: {', '.join(running)}"
        if anyway:
            yield f"lower and support: {', '.join(anyway)}"
        if propped:
            yield f"prop, for their own controls do not lower them: {', '.join(propped)}"
