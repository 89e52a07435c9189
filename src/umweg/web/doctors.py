"""One diagnostician for each circuit and kit, kept between requests."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from uuid import UUID

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnosis, Diagnostician
from umweg.core.errors import UmwegError
from umweg.core.faults.population import single_faults
from umweg.core.network.network import Network
from umweg.core.observe.observations import Instrument, Observation
from umweg.core.observe.predict import Predictor
from umweg.core.solve.steady import SteadySolver

KEPT_DIAGNOSES = 200
Key = tuple[UUID, tuple[str, ...]]


def _key(job_id: UUID, observations: Sequence[Observation]) -> Key:
    return job_id, tuple(o.id for o in observations)


class Doctors:
    """Diagnosticians by circuit revision, and the latest diagnoses by job.

    Everything in here can be computed again; nothing is kept that is not in the database.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._busy: dict[Key, threading.Lock] = {}
        self._background = ThreadPoolExecutor(1, "diagnosis")
        self._waiting: set[Key] = set()
        self._trouble: dict[Key, str] = {}
        self._doctors: dict[str, Diagnostician] = {}
        self._diagnoses: OrderedDict[Key, Diagnosis] = OrderedDict()

    def doctor(
        self,
        sha256: str,
        circuit: Circuit,
        instruments: Sequence[Instrument],
        labour_per_min: float,
    ) -> Diagnostician:
        """The diagnostician of a circuit document; its predictions are made when first needed."""
        kit = "".join(i.model_dump_json() for i in instruments)
        key = f"{sha256}:{labour_per_min}:{kit}"
        with self._lock:
            found = self._doctors.get(key)
            if found is None:
                solver = SteadySolver(Network(circuit))
                predictor = Predictor(circuit, single_faults(solver.network), solver)
                found = Diagnostician(predictor, instruments, labour_per_min)
                self._doctors[key] = found
            return found

    def kept(self, job_id: UUID, observations: Sequence[Observation]) -> Diagnosis | None:
        """The diagnosis of a job as it stands, if it has been worked out."""
        with self._lock:
            return self._diagnoses.get(_key(job_id, observations))

    def trouble(self, job_id: UUID, observations: Sequence[Observation]) -> str | None:
        """Why the diagnosis of a job as it stands could not be worked out."""
        with self._lock:
            return self._trouble.get(_key(job_id, observations))

    def later(
        self, job_id: UUID, observations: Sequence[Observation], work: Callable[[], object]
    ) -> None:
        """Work out a diagnosis in the background, unless that is on its way already."""
        key = _key(job_id, observations)
        with self._lock:
            if key in self._waiting:
                return
            self._waiting.add(key)

        def run() -> None:
            try:
                work()
            except UmwegError as error:
                with self._lock:
                    self._trouble[key] = str(error)
            finally:
                with self._lock:
                    self._waiting.discard(key)

        self._background.submit(run)

    def close(self) -> None:
        """Drop what waits in the background."""
        self._background.shutdown(wait=False, cancel_futures=True)

    def diagnose(
        self, job_id: UUID, doctor: Diagnostician, observations: Sequence[Observation]
    ) -> Diagnosis:
        """The diagnosis of a job as it stands, computed once for each set of observations."""
        key = _key(job_id, observations)
        with self._lock:
            if key in self._diagnoses:
                self._diagnoses.move_to_end(key)
                return self._diagnoses[key]
            # Two requests for the same must not compute it twice; a request for one job must not
            # wait for what is worked out for another.
            mine = self._busy.setdefault(key, threading.Lock())
        with mine:
            with self._lock:
                if key in self._diagnoses:
                    return self._diagnoses[key]
            diagnosis = doctor.diagnose(observations)
            with self._lock:
                self._diagnoses[key] = diagnosis
                self._busy.pop(key, None)
                while len(self._diagnoses) > KEPT_DIAGNOSES:
                    self._diagnoses.popitem(last=False)
        return diagnosis
