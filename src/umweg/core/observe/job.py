"""A job as a file, format ``umweg-job/1``: the machine, the complaint, what was observed."""

from typing import Literal

from pydantic import Field, ValidationError

from umweg.core.circuit.document import Document, problems_of, read_json
from umweg.core.errors import FormatError
from umweg.core.observe.history import History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.observations import Observation


class MachineCard(History):
    """Which machine of whose, and what is known of it before anything is observed."""

    name: str
    owner: str = ""
    serial: str = ""

    @property
    def history(self) -> History:
        """Without whose it is."""
        return History.model_validate({f: getattr(self, f) for f in History.model_fields})


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
