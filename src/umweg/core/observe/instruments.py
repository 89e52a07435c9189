"""What readings are taken with."""

from datetime import date
from typing import Annotated, Literal

from pydantic import Field

from umweg.core.circuit.document import Document, Text

Number = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


class Instrument(Document):
    """What a reading is taken with; ``accuracy_pct`` is of full scale, two standard deviations.

    One that is ``retired`` is proposed no more; what was read with it is weighed with it still.
    """

    id: str
    label: str
    measures: Literal["pressure", "flow", "time", "length", "voltage", "speed", "temperature"]
    low: Number = 0
    high: Number = Field(gt=0)
    unit: Text
    accuracy_pct: float = Field(default=1.6, gt=0, le=20)
    retired: bool = False
    calibrated_on: date | None = None
    calibration_months: int = Field(default=12, ge=1, le=120)
    """How long a calibration is good for."""
