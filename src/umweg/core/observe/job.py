"""A job as a file, format ``umweg-job/1``: the machine, the complaint, what was observed."""

from typing import Literal

from pydantic import Field, ValidationError

from umweg.core.circuit.document import Document, problems_of, read_json
from umweg.core.errors import FormatError
from umweg.core.observe.history import History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.observations import Observation


class MachineCard(Document):
    """Which machine of whose, and its hours."""

    name: str
    owner: str = ""
    serial: str = ""
    hours: float = Field(default=0, ge=0)
    recent_work: str = ""

    @property
    def history(self) -> History:
        """What is known of it before anything is observed."""
        return History(hours=self.hours, recent_work=self.recent_work)


class Job(Document):
    """Everything ``diagnose`` needs besides the circuit itself."""

    format: Literal["umweg-job/1"]
    id: str
    circuit: str = Field(description="id of a library circuit, or a path beside this file")
    machine: MachineCard
    complaint: str
    labour_per_min: float = Field(default=1.5, ge=0, le=1000)
    instruments: list[Instrument] = Field(default_factory=list, max_length=200)
    observations: list[Observation] = Field(default_factory=list, max_length=500)


def read_job(text: str | bytes) -> Job:
    """Read a job from JSON.

    Raises
    ------
    FormatError : not JSON, or not ``umweg-job/1``; lists every place that is wrong.
    """
    data = read_json(text)
    try:
        return Job.model_validate(data)
    except ValidationError as error:
        raise FormatError("not a job of format umweg-job/1", problems_of(error)) from error
