"""What is known of a machine before anything is observed: its hours, and what was done to it."""

from pydantic import Field

from umweg.core.circuit.document import Document, LongText, Text
from umweg.core.observe.kinds.readings import Reading


class Earlier(Document):
    """A reading of this machine at a time when it was in order, and what was renewed since."""

    reading: Reading
    hours: float = Field(default=0, ge=0)
    renewed_since: tuple[Text, ...] = Field(default=(), max_length=200)


MOST_REPAIRS = 200
EXPECTED_AS = 3.0
"""How many finds the expected rate is worth against a shop's own (shape α of its Gamma)."""


class Experience(Document):
    """How often a shop found a fault on parts of a type, beside how often it was to be expected.

    Finds are Poisson at the expected number times a factor that is Gamma(α, α) before anything was
    found, so its mean after is (α + found)/(α + expected) (Gelman et al., Bayesian Data Analysis,
    3rd ed., §2.6).
    """

    type: Text
    mode: Text
    found: int = Field(ge=0, le=1_000_000)
    expected: float = Field(ge=0, le=1_000_000)

    @property
    def factor(self) -> float:
        """How much likelier the fault is in this shop than the library believes."""
        return (EXPECTED_AS + self.found) / (EXPECTED_AS + self.expected)


class History(Document):
    """A machine's hours, work done on it lately in somebody's words, and what this job repaired.

    ``renewed`` names each repair, as often as it was done: a component, or where it is known what was
    wrong with it, that fault as ``component:mode``. ``cured`` is how sure the decision was that the
    repair ends it; 0 where nothing was repaired. ``baseline`` are its own readings from when it was
    in order. ``experience`` is the shop's, as far as it was taken over.
    """

    hours: float = Field(default=0, ge=0)
    recent_work: LongText = ""
    renewed: tuple[Text, ...] = Field(default=(), max_length=MOST_REPAIRS)
    cured: float = Field(default=0, ge=0, le=1)
    baseline: tuple[Earlier, ...] = Field(default=(), max_length=50)
    experience: tuple[Experience, ...] = Field(default=(), max_length=2000)
