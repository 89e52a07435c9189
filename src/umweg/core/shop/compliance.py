"""Does the healthy machine meet its own specifications."""

import numpy as np

from umweg.core.circuit.document import Circuit
from umweg.core.errors import Problem
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.quantities import UNIT_OF_KIND, Kind, Quantity
from umweg.core.shop.verdict import judge


def unmet_specifications(circuit: Circuit) -> list[Problem]:
    """Specifications that the machine as documented does not meet, with the computed value.

    Parameters
    ----------
    circuit : a document that passed the check of its structure
    """
    machine = HiddenMachine(circuit, (), np.random.default_rng(0))
    problems = []
    for spec in circuit.specifications:
        if spec.quantity == "indicator":
            continue
        kind: Kind = spec.quantity
        quantity = Quantity(kind, spec.point)
        value = machine.value(quantity, circuit.states[spec.state], healthy=True)
        verdict = judge(spec, value, 0.0)
        if verdict.word != "pass":
            limits = " … ".join("" if v is None else f"{v:g}" for v in (spec.low, spec.high))
            problems.append(
                Problem(
                    "unmet",
                    f"specification {spec.id}",
                    f"the healthy machine shows {value:.4g} {UNIT_OF_KIND[kind]} in "
                    f"“{spec.state}”, which is {verdict.word} against {limits}",
                    "mend the parameters or the specification",
                )
            )
    return problems
