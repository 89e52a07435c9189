"""How the machine stands and what is connected, and how long the next reading takes from there."""

from collections.abc import Sequence
from dataclasses import dataclass

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.observe.kinds.base import Observed

READ_MIN = 1.0
INLINE_MIN = 18.0
CAP_MIN = 10.0
WARM_MIN_PER_C = 0.25
COOL_MIN_PER_C = 1.0
START_OIL_C = 20.0


@dataclass(frozen=True)
class Setup:
    """What is already connected and how the machine stands, from what was done last."""

    state: MachineState | None = None
    points: frozenset[str] = frozenset()

    def minutes(
        self, circuit: Circuit, state: MachineState, point: str | None, any_oil: bool = False
    ) -> float:
        """Minutes until a reading in ``state`` at ``point`` can be taken.

        Parameters
        ----------
        any_oil : the oil may be as warm or cold as it is
        """
        last = self.state
        total = READ_MIN
        oil_c = START_OIL_C if last is None else last.oil_c
        if any_oil:
            state = state.model_copy(update={"oil_c": oil_c})
        same = last is not None and last.model_dump(exclude={"label"}) == state.model_dump(
            exclude={"label"}
        )
        if not same:
            total += state.setup_min
        warmer = state.oil_c - oil_c
        total += warmer * WARM_MIN_PER_C if warmer > 0 else -warmer * COOL_MIN_PER_C
        known = set() if last is None else {(i.point, i.kind) for i in last.interventions}
        for kit in state.interventions:
            if (kit.point, kit.kind) not in known:
                total += INLINE_MIN if kit.kind == "inline_flow" else CAP_MIN
                total += (
                    0.0 if kit.point in self.points else circuit.test_point(kit.point).access_min
                )
        inline = {i.point for i in state.interventions if i.kind == "inline_flow"}
        if point is not None and point not in self.points | inline:
            total += circuit.test_point(point).access_min
        return total


def setup_after(circuit: Circuit, observations: Sequence[Observed]) -> Setup:
    """How the machine stands after the observations so far, in the order they were made."""
    found = [left for o in observations if (left := o.left(circuit)) is not None]
    points: frozenset[str] = frozenset().union(*(left.points for left in found))
    state, oil_c = None, START_OIL_C
    for one in found:
        state = one.state
        if state is not None and one.warmed:
            oil_c = state.oil_c
    return Setup(None if state is None else state.model_copy(update={"oil_c": oil_c}), points)
