"""What is known of a machine before anything is observed: its hours, and what was done to it."""

from pydantic import Field

from umweg.core.circuit.document import Document, LongText, Text
from umweg.core.observe.kinds.readings import Reading


class Earlier(Document):
    """A reading of this machine at a time when it was in order, and what was renewed since."""

    reading: Reading
    hours: float = Field(default=0, ge=0)
    renewed_since: tuple[Text, ...] = Field(default=(), max_length=200)


class History(Document):
    """A machine's hours, work done on it lately in somebody's words, and what this job repaired.

    ``cured`` is how sure the decision was that the repair ends it; 0 where nothing was repaired.
    ``baseline`` are its own readings from when it was in order.
    """

    hours: float = Field(default=0, ge=0)
    recent_work: LongText = ""
    renewed: tuple[Text, ...] = Field(default=(), max_length=200)
    cured: float = Field(default=0, ge=0, le=1)
    baseline: tuple[Earlier, ...] = Field(default=(), max_length=50)
