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
    "hoses_crossed",
    "its two hoses are swapped: goes the other way",
    "crossed",
    "switch",
    1.0,
    "command",
    0.08,
    "Follow both hoses back to the valve; compare with marks and drawing.",
    "Swap the hoses, both sides without pressure; mark them.",
)
WORK_HOSES_CROSSED = FaultMode(
    "hoses_crossed",
    "hoses on its work ports are swapped: goes the other way",
    "crossed",
    "switch",
    1.0,
    "command",
    0.06,
    "Follow the hoses from its ports A and B; compare with marks and drawing.",
    "Swap the hoses, both sides without pressure; mark them.",
)
PILOTS_CROSSED = FaultMode(
    "pilots_crossed",
    "its two pilot hoses are swapped: goes the other way",
    "crossed",
    "switch",
    1.0,
    "command",
    0.08,
    "Follow both pilot hoses back to the joystick.",
    "Swap the pilot hoses; mark them.",
)
PLUGS_CROSSED = FaultMode(
    "plugs_crossed",
    "plugs of coil a and coil b are swapped",
    "crossed",
    "switch",
    1.0,
    "command",
    0.12,
    "Wire numbers at both plugs against the wiring diagram.",
    "Swap the plugs; mark the wires.",
)
FITTED_BACKWARD = FaultMode(
    "fitted_backward",
    "fitted the wrong way round",
    "crossed",
    "switch",
    1.0,
    "dam",
    0.06,
    "Arrow on its body against the way of the oil.",
    "Turn it round, arrow with the oil.",
)
