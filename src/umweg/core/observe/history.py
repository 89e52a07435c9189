"""What is known of a machine before anything is observed: its hours, and what was done to it."""

from pydantic import Field

from umweg.core.circuit.document import Document, LongText


class History(Document):
    """A machine's hours, and work done on it lately in somebody's words."""

    hours: float = Field(default=0, ge=0)
    recent_work: LongText = ""
