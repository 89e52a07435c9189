"""The skeleton of a machine: what is there and what is joined, every number only a guess."""

import re

from umweg.core.circuit.document import Circuit, Component, Service
from umweg.core.components import component_type
from umweg.core.draft.listing import identifier, write_listing

FAMILIES = {
    "F1": "Fixed pump to a steering gear",
    "F2": "Closed-centre pump behind a feed pump, header tank between",
    "F3": "Dual-line central lubrication",
    "F4": "Progressive central lubrication",
    "F5": "Lift inside its oil bath",
    "F6": "Low-pressure supply with clutches and brake",
    "F7": "Fan drive behind a brake-charging valve",
    "F8": "Open centre with remotes and a suction screen",
    "F9": "Closed-loop drive with charge pump and control pressure",
    "F10": "Charge-fed interlock and brake release",
    "F11": "Reversible electric pack with several cylinders",
    "F12": "Electronically regulated supply",
    "F13": "Two pumps in parallel, a load over centre",
    "F14": "Compact electric pack with a block of solenoid valves",
    "F15": "Accumulator and hand pump",
    "F16": "Closed loop with twin cylinders and a change-over",
    "F17": "Folding frame with position-operated valves",
    "F18": "Load-sensing pump with closed-centre sections",
    "F19": "Lever, pilot and solenoid valves on one machine",
    "F20": "Brake with a master cylinder",
    "F21": "Open centre with one relief",
}
"""What is called what: one circuit of the library stands for each."""
_SIZE = re.compile(r",?\s+\d[\d.,]*\s*(cm³|L|kW|bar|mm|V|Ah?)?$")


def skeleton_of(circuit: Circuit) -> Circuit:
    """A circuit of which only parts, joins, points and moves are kept.

    Every number that spreads at all is a guess; places, prices, minutes, adjusters, specifications,
    states and timings are those of another machine and are left out. Ratings stay, so that a test is
    judged by something until the maker's are typed.
    """
    return circuit.model_copy(
        update={
            "id": identifier(f"New {circuit.machine_kind}"),
            "name": f"New {circuit.machine_kind}",
            "components": [_bare(part) for part in circuit.components],
            "test_points": [p.model_copy(update={"access_min": 5.0}) for p in circuit.test_points],
            "states": {},
            "timings": [],
            "specifications": [],
            "notes": {},
        }
    )


def skeleton_listing(circuit: Circuit) -> str:
    """The skeleton of a circuit as a list to go on from."""
    return (
        "# Numbers with ~ are guesses, and so is what is not typed. Type what you know over them;\n"
        "# what a port bears (max.) is the maker's to say.\n"
        + write_listing(skeleton_of(circuit), untyped="typical")
    )


def _bare(part: Component) -> Component:
    kind = component_type(part.type)
    return part.model_copy(
        update={
            "label": _SIZE.sub("", part.label) or kind.label,
            "location": "",
            "service": Service(),
            "fault_weight": 1.0,
            "typical": [n for n in kind.Parameters.model_fields if kind.typed(n)],
        }
    )
