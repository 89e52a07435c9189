"""Diagnosticians that a worker has at hand: one for each circuit and kit, the latest few."""

import threading
from collections import OrderedDict
from collections.abc import Callable

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.question import Question
from umweg.core.observe.predict import Predictor

AT_HAND = 16
THINKING = 4
"""Diagnosticians asked last that keep what they solved for pairs and finer severities: it is many
times what the single faults take, and is solved again within seconds."""


class Doctors:
    """Predictions are a circuit's, whoever asks; a kit and a rate make a diagnostician of them."""

    def __init__(self, most: int = AT_HAND) -> None:
        self._most = most
        self._lock = threading.Lock()
        self._predictors: OrderedDict[str, Predictor] = OrderedDict()
        self._doctors: dict[str, tuple[Question, Diagnostician]] = {}
        self._busy: dict[str, threading.Lock] = {}

    def alone(self, sha256: str) -> threading.Lock:
        """Held by who plays a circuit or asks its diagnostician: two of a process never work on the
        same one at the same time."""
        with self._lock:
            return self._busy.setdefault(sha256, threading.Lock())

    def predictor(self, sha256: str, circuit: Callable[[], Circuit]) -> Predictor:
        """The predictor of a circuit document, made when it is not at hand."""
        with self._lock:
            found = self._predictors.get(sha256)
            if found is not None:
                self._predictors.move_to_end(sha256)
                return found
        # What they play is kept in the database.
        made = Predictor.of(circuit(), shelved=False)
        # An answer is waited for; what is read in time is played beside it, and offered then.
        made.patient = False
        gone: dict[str, Predictor] = {}
        with self._lock:
            found = self._predictors.setdefault(sha256, made)
            while len(self._predictors) > self._most:
                name, unused = self._predictors.popitem(last=False)
                self._doctors.pop(name, None)
                gone[name] = unused
        for name, unused in gone.items():
            self._if_idle(name, unused.clear)
        return found

    def doctor(self, question: Question, circuit: Callable[[], Circuit]) -> Diagnostician:
        """The diagnostician who answers a question."""
        predictor = self.predictor(question.circuit_sha256, circuit)
        self._let_rest()
        bare = question.model_copy(update={"observations": ()})
        with self._lock:
            kept = self._doctors.get(question.circuit_sha256)
            if kept is not None and kept[0] == bare and kept[1].predictor is predictor:
                return kept[1]
            made = Diagnostician(
                predictor, question.instruments, question.labour_per_min, question.history
            )
            self._doctors[question.circuit_sha256] = bare, made
        if kept is not None:
            # Another kit or history: what the one before has solved is of no use to anybody.
            self._if_idle(question.circuit_sha256, kept[1].put_aside)
        return made

    def _let_rest(self) -> None:
        """Those who were not asked lately put aside what is quickly solved again."""
        with self._lock:
            idle = list(self._predictors)[:-THINKING]
            resting = [(name, self._doctors[name][1]) for name in idle if name in self._doctors]
        for name, doctor in resting:
            self._if_idle(name, doctor.put_aside)

    def _if_idle(self, sha256: str, put_aside: Callable[[], None]) -> None:
        busy = self.alone(sha256)
        if busy.acquire(blocking=False):
            try:
                put_aside()
            finally:
                busy.release()
