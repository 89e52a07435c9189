"""Diagnosticians that a worker has at hand: one for each circuit and kit, the latest few."""

import threading
from collections import OrderedDict
from collections.abc import Callable

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.question import Question
from umweg.core.faults.population import single_faults
from umweg.core.network.network import Network
from umweg.core.observe.predict import Predictor
from umweg.core.solve.steady import SteadySolver

AT_HAND = 16


class Doctors:
    """Predictions are a circuit's, whoever asks; a kit and a rate make a diagnostician of them."""

    def __init__(self, most: int = AT_HAND) -> None:
        self._most = most
        self._lock = threading.Lock()
        self._predictors: OrderedDict[str, Predictor] = OrderedDict()
        self._doctors: dict[str, tuple[Question, Diagnostician]] = {}

    def predictor(self, sha256: str, circuit: Callable[[], Circuit]) -> Predictor:
        """The predictor of a circuit document, made when it is not at hand."""
        with self._lock:
            found = self._predictors.get(sha256)
            if found is not None:
                self._predictors.move_to_end(sha256)
                return found
        solver = SteadySolver(Network(circuit()))
        made = Predictor(solver.network.circuit, single_faults(solver.network), solver)
        # An answer is waited for; what is read in time is played beside it, and offered then.
        made.patient = False
        with self._lock:
            found = self._predictors.setdefault(sha256, made)
            while len(self._predictors) > self._most:
                gone, _ = self._predictors.popitem(last=False)
                self._doctors.pop(gone, None)
        return found

    def doctor(self, question: Question, circuit: Callable[[], Circuit]) -> Diagnostician:
        """The diagnostician who answers a question."""
        predictor = self.predictor(question.circuit_sha256, circuit)
        bare = question.model_copy(update={"observations": ()})
        with self._lock:
            kept = self._doctors.get(question.circuit_sha256)
            if kept is not None and kept[0] == bare and kept[1].predictor is predictor:
                return kept[1]
            made = Diagnostician(
                predictor, question.instruments, question.labour_per_min, question.history
            )
            self._doctors[question.circuit_sha256] = bare, made
            return made
