"""More on a machine than it is made for: what all loads share."""

from typing import Any

from umweg.core.components.base import Command, FaultMode, quantity

LADEN = Command("laden", 0, 1)
"""Set by the network wherever a function works, holds or is stalled: what is moved empty carries
nothing that could be too much."""

OVERLOADED = FaultMode(
    name="overloaded",
    label="more load on it than it is rated for",
    parameter="over",
    scale="to",
    severe=1.0,
    family="load",
    base_rate=0.3,
    look="What is on it, weighed or reckoned, against its plate.",
    remedy="Take the load back to the rated one; nothing on the machine is wrong.",
    work="by_hand",
)


def over() -> Any:
    """The parameter of :data:`OVERLOADED`."""
    return quantity(0, "1", "how much more than the load named is on it", low=0, high=4)
