"""Every kind of observation there is: to add one, declare it under ``kinds`` and name it here."""

from typing import Annotated, get_args

from pydantic import Field

from umweg.core.observe.kinds.base import Observed
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.caught import OilCaught
from umweg.core.observe.kinds.confirmations import Confirmation
from umweg.core.observe.kinds.hand_ear import HandAndEar
from umweg.core.observe.kinds.indicators import IndicatorLook
from umweg.core.observe.kinds.oil import Look
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.kinds.swaps import Swap
from umweg.core.observe.kinds.trials import Tried
from umweg.core.observe.kinds.warmth import RunsHot

AnyObservation = (
    Reading
    | Behaviour
    | IndicatorLook
    | Look
    | RunsHot
    | Confirmation
    | Swap
    | OilCaught
    | HandAndEar
    | Tried
)
Observation = Annotated[AnyObservation, Field(discriminator="kind")]
OBSERVATIONS: tuple[type[Observed], ...] = get_args(AnyObservation)
