"""Rankings, computed from what workers have kept; the web process plays no machine itself."""

import threading
from collections import OrderedDict

from sqlalchemy import Engine
from sqlalchemy.orm import Session

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.question import Question
from umweg.core.diagnose.ranking import rank
from umweg.core.diagnose.report import DiagnosisView, ranking_report
from umweg.core.observe.exhibits import Packed, Suspects
from umweg.core.version import model_version
from umweg.db import kept
from umweg.db.models import CircuitRevision
from umweg.work.exhibits import KeptExhibits, Shelf

CIRCUITS_AT_HAND = 100
AT_ONCE = 2
"""Rankings computed at the same time: more would only take turns."""


class Rankings:
    """Suspects and exhibits at hand, by circuit; thread-safe, bounded."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._lock = threading.Lock()
        self._turns = threading.BoundedSemaphore(AT_ONCE)
        self._suspects: OrderedDict[str, Suspects] = OrderedDict()
        self._shelf = Shelf()

    def suspects(self, revision: CircuitRevision) -> Suspects:
        """The suspects of a circuit revision; its document is read when it is not at hand."""
        with self._lock:
            found = self._suspects.get(revision.sha256)
            if found is not None:
                self._suspects.move_to_end(revision.sha256)
                return found
        made = Suspects.of(Circuit.model_validate(revision.document))
        with self._lock:
            found = self._suspects.setdefault(revision.sha256, made)
            while len(self._suspects) > CIRCUITS_AT_HAND:
                self._suspects.popitem(last=False)
        return found

    def exhibits(self, suspects: Suspects, sha256: str) -> KeptExhibits:
        """What the candidates would show, as far as it is kept."""
        return KeptExhibits(suspects, sha256, self._shelf, lambda name: self._fetch(sha256, name))

    def kept(self, sha256: str, name: str) -> Packed:
        """A kept result.

        Raises
        ------
        NotPlayedError : it is not there yet.
        """
        return self._shelf.get(sha256, name, lambda wanted: self._fetch(sha256, wanted))

    def rank(self, suspects: Suspects, question: Question) -> DiagnosisView:
        """The answer to a question as far as it needs no plan.

        Raises
        ------
        NotPlayedError : something that was observed has not been played yet.
        """
        with self._turns:
            exhibits = self.exhibits(suspects, question.circuit_sha256)
            ranking = rank(
                exhibits, question.observations, question.instruments, history=question.history
            )
            return ranking_report(ranking, question.observations)

    def _fetch(self, sha256: str, name: str) -> bytes | None:
        with Session(self._engine) as session:
            return kept.kept(session, sha256, model_version(), [name]).get(name)
