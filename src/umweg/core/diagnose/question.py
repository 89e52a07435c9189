"""A question with everything its answer depends on, and the answer.

The same question has the same key on every machine, and the same answer; whoever has it once
keeps it under that key.
"""

import hashlib
import json
from collections.abc import Sequence

from umweg.core.circuit.document import Circuit, Document
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.mend import mend
from umweg.core.diagnose.ranking import Ranking
from umweg.core.diagnose.report import DiagnosisView, report
from umweg.core.observe.history import Experience, History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.observations import Observation


class Question(Document):
    """Who can it be, why, and what next: about one circuit, with one shop's kit.

    ``model`` names the version of the computation; another version may answer otherwise.
    """

    circuit_sha256: str
    model: str
    instruments: tuple[Instrument, ...]
    labour_per_min: float
    history: History = History()
    observations: tuple[Observation, ...]

    @property
    def key(self) -> str:
        """Stable name: a hash of all of it."""
        return _sha256(self.model_dump(mode="json"))

    @property
    def basis(self) -> str:
        """A hash of what is the same for all jobs of a shop: model, kit, rate, experience."""
        shop = self.history.experience
        return basis_of(self.model, self.instruments, self.labour_per_min, shop)


def basis_of(
    model: str,
    instruments: Sequence[Instrument],
    labour_per_min: float,
    experience: Sequence[Experience],
) -> str:
    """What all questions of a shop at one time have in common, as a hash."""
    kit = [i.model_dump(mode="json") for i in instruments]
    return _sha256([model, kit, labour_per_min, [e.model_dump() for e in experience]])


def circuit_sha256(circuit: Circuit) -> str:
    """Hash of a circuit document, whatever the order of its names."""
    return _sha256(circuit.model_dump(mode="json"))


def _sha256(document: object) -> str:
    text = json.dumps(document, sort_keys=True, ensure_ascii=True)
    return hashlib.sha256(text.encode()).hexdigest()


def answer(
    diagnostician: Diagnostician,
    observations: Sequence[Observation],
    ranking: Ranking | None = None,
) -> DiagnosisView:
    """The answer to a question about the diagnostician's circuit with its kit.

    Parameters
    ----------
    ranking : of the same observations, where it was made already
    """
    diagnosis = diagnostician.diagnose(observations, ranking=ranking)
    found = report(diagnostician.circuit, diagnosis, observations)
    first = diagnosis.do_first
    if not diagnosis.enough or first is None:
        return found
    how = mend(diagnostician, observations, first.component_id)
    return found.model_copy(update={"mend": how})
