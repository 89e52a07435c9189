"""Errors that name what to mend."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Problem:
    """One thing that is wrong, where it is, and how to mend it."""

    code: str
    where: str
    message: str
    hint: str = ""

    def __str__(self) -> str:
        return f"{self.where}: {self.message}" + (f" ({self.hint})" if self.hint else "")


class UmwegError(Exception):
    """Base of all errors a user can mend; ``code`` is stable.

    Parameters
    ----------
    message : what is wrong, in one sentence
    problems : every single finding, not only the first
    """

    code = "umweg"

    def __init__(self, message: str, problems: tuple[Problem, ...] = ()) -> None:
        super().__init__(message)
        self.message = message
        self.problems = problems

    def __str__(self) -> str:
        return "\n".join([self.message, *(f"  - {p}" for p in self.problems)])


class FormatError(UmwegError):
    """A file that cannot be read as the format it claims to be."""

    code = "format"


class CircuitError(UmwegError):
    """A document that cannot be a circuit; names component, port or net."""

    code = "circuit"


class ObservationError(UmwegError):
    """An observation that cannot be: unknown point, wrong unit, out of range."""

    code = "observation"


class StateError(UmwegError):
    """A machine state that the circuit does not have."""

    code = "state"


class SolveError(UmwegError):
    """The healthy machine itself has no solution."""

    code = "solve"
