"""What is given out: to the command line, to the API, to the browser."""

from pydantic import BaseModel, ConfigDict


class View(BaseModel):
    """Base of all answers."""

    model_config = ConfigDict(frozen=True)
