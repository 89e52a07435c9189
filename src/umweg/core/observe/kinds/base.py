"""What a kind of observation declares: one class, from the entry to the step that asks for it."""

from abc import abstractmethod
from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import ClassVar, Protocol, Self, get_args

from umweg.core.circuit.document import Circuit, Document, MachineState, Text
from umweg.core.components.base import Array
from umweg.core.errors import ObservationError
from umweg.core.faults.population import Fault
from umweg.core.observe.exhibits import Exhibits, Sight, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.predict import Predictor
from umweg.core.observe.weights import Evidence

WARM = "rated speed, warm oil, light and loaded"


@dataclass(frozen=True)
class Left:
    """How an observation leaves the machine: the state it stands in, and where a gauge hangs."""

    state: MachineState | None = None
    points: frozenset[str] = field(default_factory=frozenset)
    warmed: bool = True
    """Was its oil brought to the state's temperature for it."""


class Observed(Document):
    """An observation as people enter it, and everything that follows from its kind."""

    lasting: ClassVar[bool] = False
    """It is of a part itself, which looks the same while a fault that comes and goes is gone."""
    undone: ClassVar[bool] = False
    """It was of a moment in which something was tried: nobody shows that again to prove a repair."""
    looked: ClassVar[bool] = True
    """It was looked for at the machine: neither measured nor told."""

    answered_by: ClassVar[str] = ""
    """Its field that one of a few words is chosen for; nothing where a number is typed."""

    id: Text

    @abstractmethod
    def topic(self) -> Hashable:
        """What was asked: two observations of one topic differ in the answer only."""

    @property
    def shown_again_by(self) -> Hashable:
        """What shows the same thing again once something was repaired: the same topic."""
        return self.topic()

    def answers(self) -> Sequence[Self]:
        """The same asked again, with each of its answers; none where a number is typed, where the part
        that it was of is not there any more, or where something was tried and undone."""
        if not self.answered_by or self.lasting:
            return ()
        kind = type(self).model_fields[self.answered_by].annotation
        words = get_args(kind) or (False, True)
        return tuple(self.model_copy(update={"id": "new", self.answered_by: w}) for w in words)

    @property
    def complains(self) -> bool:
        """Somebody told of something that is not as usual."""
        return False

    @property
    def as_usual(self) -> bool | None:
        """Whether it says by itself that a machine is as it should be; None where it does not say."""
        return None

    @property
    def before_tests(self) -> str:
        """What it asks for before anything is tested on the machine; nothing where it asks nothing."""
        return ""

    @abstractmethod
    def check(self, suspects: Suspects) -> None:
        """Refuse what could never be weighed on this machine.

        Raises
        ------
        ObservationError : it names something the circuit lacks, or its unit or value cannot be.
        StateError : it was made in a state that the circuit cannot be in.
        """

    @abstractmethod
    def words(self, circuit: Circuit) -> str:
        """One line of plain text.

        Raises
        ------
        ObservationError : it names something the circuit lacks.
        """

    @abstractmethod
    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Evidence:
        """Evidence about every candidate.

        Raises
        ------
        ObservationError : it names something the circuit lacks, or a unit that does not fit.
        StateError : it was made in a state that the circuit cannot be in.
        NotPlayedError : what the candidates would show there was not worked out yet.
        """

    def solved_in(self, circuit: Circuit) -> Iterable[MachineState]:
        """Steady states that it is weighed by, as far as they are known beforehand: those of several
        observations are solved at once, in a third of the time.

        Raises
        ------
        ObservationError : it names something the circuit lacks.
        """
        del circuit
        return ()

    @abstractmethod
    def witnessed(self, machine: HiddenMachine, instrument: Instrument | None = None) -> Self:
        """The same observation as it comes out on a simulated machine.

        Raises
        ------
        SolveError : the machine has no steady state there.
        """

    def left(self, circuit: Circuit) -> Left | None:
        """How it leaves the machine; None where it changes nothing."""
        del circuit
        return None

    @classmethod
    def sights(cls, circuit: Circuit) -> Iterable[tuple[str, Sight, Sequence[MachineState]]]:
        """All that can be seen of this kind, for playing ahead.

        Yields
        ------
        name of the share of the work, what is seen, and states that nothing else needs
        """
        del circuit
        return ()

    @classmethod
    def proposals(cls, asking: "Asking") -> "Iterable[Proposal]":
        """Looks and questions of this kind that could come next."""
        del asking
        return ()


class Asking(Protocol):
    """What a kind needs to know to propose something."""

    @property
    def circuit(self) -> Circuit:
        """The machine's circuit."""
        ...

    @property
    def exhibits(self) -> Exhibits:
        """What each candidate would show."""
        ...

    @property
    def predictor(self) -> Predictor:
        """The candidates, every named state of them being solved."""
        ...

    @property
    def observed(self) -> Sequence[Observed]:
        """What was told, seen and read so far."""
        ...

    @property
    def suspected(self) -> Sequence[Fault]:
        """Faults that are under suspicion enough to be looked for."""
        ...

    def tells(self, probability: Array) -> float:
        """Bits that an answer is expected to tell about what is wrong, by the chances (W, C) of each
        answer for each candidate."""
        ...

    def minutes(self, state: MachineState, point: str | None = None) -> float:
        """How long it takes from here until something can be observed in a state."""
        ...


@dataclass(frozen=True)
class Answer:
    """One of the answers to a look or a question: its word, and the observation that it makes."""

    word: str
    observation: Observed


@dataclass(frozen=True)
class Proposal:
    """A look or a question: where, in which state, how long it takes, and what each would answer."""

    kind: str
    place: str
    label: str
    state: str
    state_label: str
    minutes: float
    answers: tuple[Answer, ...]
    probability: Array
    """(W, C) of each answer, for each candidate."""
    opens: tuple[str, ...] = ()
    """Components whose oil is opened for it."""
    cautions: tuple[str, ...] = ()
    """What else is to be minded."""
    tried_in: tuple[MachineState, ...] = ()
    """States that something tried brings the machine into: what they would break is judged first."""

    @property
    def topic(self) -> Hashable:
        """What is asked."""
        return self.answers[0].observation.topic()

    @property
    def lasting(self) -> bool:
        """Does a fault that comes and goes answer it the same, whether it is there just then."""
        return self.answers[0].observation.lasting


def resolve_state(circuit: Circuit, state: str | MachineState) -> MachineState:
    """A named state of the circuit, or the state itself.

    Raises
    ------
    ObservationError : the circuit has no state of that name.
    """
    if isinstance(state, MachineState):
        return state
    if state not in circuit.states:
        raise ObservationError(
            f"there is no state “{state}”; the circuit has {', '.join(circuit.states)}"
        )
    return circuit.states[state]
