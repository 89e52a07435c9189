"""What is either right or swapped: hoses, pilot lines, plugs and checks fitted the wrong way round."""

from typing import Any

from umweg.core.components.base import FaultMode, quantity
from umweg.core.components.kernels import scalar


def crossed(description: str) -> Any:
    """The parameter that swaps a pair: 0 as drawn, 1 swapped; nothing between has a meaning."""
    return quantity(0, "1", f"1 where {description}", low=0, high=1)


@scalar
def turn(swapped: float) -> float:
    """1 as drawn, −1 where the pair is swapped."""
    return -1.0 if swapped > 0.5 else 1.0


HOSES_CROSSED = FaultMode(
    name="hoses_crossed",
    label="its two hoses are swapped: goes the other way",
    parameter="crossed",
    scale="switch",
    severe=1.0,
    family="command",
    base_rate=0.08,
    look="Follow both hoses back to the valve; compare with marks and drawing.",
    remedy="Swap the hoses, both sides without pressure; mark them.",
    work="swap",
)
WORK_HOSES_CROSSED = FaultMode(
    name="hoses_crossed",
    label="hoses on its work ports are swapped: goes the other way",
    parameter="crossed",
    scale="switch",
    severe=1.0,
    family="command",
    base_rate=0.06,
    look="Follow the hoses from its ports A and B; compare with marks and drawing.",
    remedy="Swap the hoses, both sides without pressure; mark them.",
    work="swap",
)
PILOTS_CROSSED = FaultMode(
    name="pilots_crossed",
    label="its two pilot hoses are swapped: goes the other way",
    parameter="crossed",
    scale="switch",
    severe=1.0,
    family="command",
    base_rate=0.08,
    look="Follow both pilot hoses back to the joystick.",
    remedy="Swap the pilot hoses; mark them.",
    work="swap",
)
PLUGS_CROSSED = FaultMode(
    name="plugs_crossed",
    label="plugs of coil a and coil b are swapped",
    parameter="crossed",
    scale="switch",
    severe=1.0,
    family="command",
    base_rate=0.12,
    look="Wire numbers at both plugs against the wiring diagram.",
    remedy="Swap the plugs; mark the wires.",
    work="swap",
)
FITTED_BACKWARD = FaultMode(
    name="fitted_backward",
    label="fitted the wrong way round",
    parameter="crossed",
    scale="switch",
    severe=1.0,
    family="dam",
    base_rate=0.06,
    look="Arrow on its body against the way of the oil.",
    remedy="Turn it round, arrow with the oil.",
    work="swap",
)
