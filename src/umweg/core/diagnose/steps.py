"""A step: one observation that could be made next."""

from dataclasses import dataclass, field

from umweg.core.components.base import Array
from umweg.core.diagnose.hazards import Hazard
from umweg.core.diagnose.parted import Parted
from umweg.core.diagnose.ranking import Band
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Answer, Observed

RISK_AVERSION = 4.0


@dataclass(frozen=True)
class Step:
    """One observation that could be made next."""

    kind: str
    point: str
    point_label: str
    quantity: str
    unit: str
    state: str
    state_label: str
    minutes: float
    bits: float
    healthy: Band | None
    by_suspect: tuple[Band, ...]
    hazard: Hazard | None
    cautions: tuple[str, ...]
    fitting: str
    instrument: Instrument | None
    highest_bar: float | None
    saving: float
    """Expected money saved by knowing, less the time it takes; below 0 it is not worth it."""
    asks: Observed
    """What is to be observed, its answer being none yet."""
    outcomes: tuple[tuple[Answer, float], ...] = ()
    """For looks and questions: each answer and its probability."""
    refused: str = ""
    chances: Array | None = field(default=None, compare=False, repr=False)
    """For looks and questions: (L, G) probability of each answer for each live candidate."""
    gauge_point: str = ""
    """Test point at which something hangs for it."""
    parts: tuple[Parted, ...] = ()
    """Whom it parts, of a reading in base units; nothing where it says it of nobody by name."""

    @property
    def bits_per_minute(self) -> float:
        """What steps are ranked by: information per minute, less where a rating is at risk."""
        risk = 0.0 if self.hazard is None else min(RISK_AVERSION * self.hazard.share, 0.9)
        return self.bits / self.minutes * (1.0 - risk)
