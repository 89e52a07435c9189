"""What a machine's own readings, from when it was in order, say of the numbers in its circuit."""

from collections.abc import Sequence

import numpy as np

from umweg.core.components import component_type
from umweg.core.diagnose.evidence import believe
from umweg.core.errors import UmwegError
from umweg.core.faults.population import unknowns_of
from umweg.core.observe.baseline import weigh_earlier
from umweg.core.observe.exhibits import Exhibits
from umweg.core.observe.history import History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.weights import Measured
from umweg.core.view import View

SETTLED_BELOW = 0.9
"""Share of its spread, at most, that a number keeps that was settled; above, nothing was learned."""


class Settled(View):
    """One number of the circuit: as documented, and as this machine's readings have it.

    ``value`` and the spreads (one standard deviation) are in the parameter's ``unit``.
    """

    component: str
    label: str
    parameter: str
    description: str
    unit: str
    documented: float
    spread_before: float
    value: float
    spread: float


def calibrate(
    exhibits: Exhibits, history: History, instruments: Sequence[Instrument]
) -> list[Settled]:
    """The numbers that the readings settle, those first of which most was learned.

    The machine's unknowns u ~ N(0, 1), given the readings y = S u + noise of the healthy machine:
    mean Sᵀ K⁻¹ (y − m), variance 1 − diag(Sᵀ K⁻¹ S), K being the covariance of the readings. They
    are what is fitted: the maker's band, which is about machines of a make, has no part in it.

    Raises
    ------
    NotPlayedError : what the machine would show for one of them was not worked out yet.
    """
    suspects = exhibits.suspects
    weighed: list[Measured] = []
    for earlier in history.baseline:
        try:
            weighed.append(
                weigh_earlier(earlier, history.hours, exhibits, instruments, banded=False)
            )
        except UmwegError:
            # It was read on another circuit than the machine has now.
            continue
    if not weighed:
        return []
    unknowns = unknowns_of(suspects.network)
    count = len(unknowns.keys)
    belief = believe(suspects, (), earlier=weighed)
    loose = float(belief.looseness[0])
    slope = belief.slope[:, :count, 0] * loose
    mean = slope.T @ belief.solved[0]
    variance = np.einsum("ru,rs,su->u", slope, belief.precision[0], slope)
    # The slopes of a loosely specified machine are its spread's: of that is what is left as well.
    left = np.sqrt(np.clip(1.0 - variance, 0.0, 1.0))
    found = []
    for i in np.argsort(left, kind="stable"):
        if left[i] > SETTLED_BELOW:
            break
        component_id, name = unknowns.keys[i].split(".", 1)
        part = suspects.circuit.component(component_id)
        kind = component_type(part.type)
        documented = float(suspects.network.base_parameters[unknowns.slot[i]])
        sigma = float(unknowns.sigma[i])
        found.append(
            Settled(
                component=component_id,
                label=part.label,
                parameter=name,
                description=kind.Parameters.model_fields[name].description or name,
                unit=kind.unit(name),
                documented=documented,
                spread_before=sigma,
                value=documented + float(mean[i]) * sigma * loose,
                spread=float(left[i]) * sigma * loose,
            )
        )
    return found
