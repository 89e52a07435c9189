"""What joins a lever, a pedal or a feedback arm to the spool it moves."""

from collections.abc import Mapping

import numpy as np

from umweg.core.components.base import (
    TRAVEL_PORT,
    Array,
    Command,
    ComponentType,
    Example,
    FaultMode,
    ParameterSet,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import law


def _travel(k: Mapping[str, Array]) -> Array:
    asked = k["ratio"] * np.where(k["crossed"] > 0.5, -1.0, 1.0) * k["lever"]
    moved = np.sign(asked) * np.maximum(np.abs(asked) - k["play"], 0.0)
    result: Array = k["engaged"] * moved + k["offset"]
    return result


@law
def _no_oil(x, k, env, f, j):
    pass


class LeverLinkage(ComponentType):
    """Rods, pins and bell cranks between a lever and a spool; a part of its own that can come off.

    ``travel = engaged·sign(r·lever)·max(|r·lever| − play, 0) + offset``, r the ratio, turned round
    where it is fitted crossed. A spool whose linkage is off stays where its springs hold it.
    """

    type_name = "lever_linkage"
    label = "Lever linkage"
    words = (
        "linkage",
        "cable",
        "bowden cable",
        "rod and clevis",
        "bell crank",
        "lever",
    )
    roles = ("a link",)
    ports = ()
    travel = _travel

    class Parameters(ParameterSet):
        ratio: float = quantity(1, "1", "spool travel per lever travel", low=-1.2, high=1.2)
        play: float = quantity(0, "1", "share of the travel lost in worn pins", low=0, high=1)
        offset: float = quantity(0, "1", "spool position at lever neutral", low=-1, high=1)
        engaged: float = quantity(1, "1", "1 joined, 0 off", low=0, high=1)
        crossed: float = quantity(0, "1", "1 where its rods are swapped", low=0, high=1)

    commands = (Command("lever", -1, 1, by="lever"),)
    fault_modes = (
        FaultMode(
            name="came_off",
            label="rod or pin is off: the lever moves, the spool does not",
            parameter="engaged",
            scale="switch",
            severe=0.0,
            family="command",
            base_rate=0.7,
            look="Move the lever and watch the spool's end: it stands still.",
            remedy="Refit rod and pin; secure the pin.",
            work="refit",
        ),
        FaultMode(
            name="worn",
            label="worn pins and eyes: travel is lost",
            parameter="play",
            scale="to",
            severe=0.85,
            family="command",
            base_rate=0.4,
            look="Lever moves far before the spool's end follows.",
            remedy="Renew pins and bushes.",
            work="reseal",
        ),
        FaultMode(
            name="misadjusted",
            label="out of adjustment: holds the spool off its centre",
            parameter="offset",
            scale="to",
            severe=0.7,
            family="command",
            base_rate=0.25,
            look="Rod unhooked, the spool springs to its centre and the fault is gone.",
            remedy="Set the rod's length with the spool centred.",
            work="set",
        ),
        FaultMode(
            name="crossed",
            label="rods swapped: the function goes the other way",
            parameter="crossed",
            scale="switch",
            severe=1.0,
            family="command",
            base_rate=0.06,
            look="Follow the rod from the lever to the spool.",
            remedy="Refit the rods as marked.",
            work="swap",
        ),
    )
    symbol = Symbol(
        1.8,
        1.6,
        {TRAVEL_PORT: ("east", 1.2)},
        (
            "M0.3 0.2 L0.9 1.2",
            "M0.9 1.14 H1.8",
            "M0.9 1.26 H1.8",
            "M0.7 1.45 L0.9 1.2 L1.1 1.45 Z",
            "M0.6 1.45 H1.2",
        ),
        (),
        ("M0.3 0.2 m-0.14 0 a0.14 0.14 0 1 0 0.28 0 a0.14 0.14 0 1 0 -0.28 0",),
    )
    example = Example("carries no oil; its travel is tested with the linked valve", {}, {})
    law = _no_oil
