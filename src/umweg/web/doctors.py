"""One diagnostician for each circuit and kit, kept between requests."""

import threading
from collections import OrderedDict
from collections.abc import Sequence
from uuid import UUID

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnosis, Diagnostician
from umweg.core.faults.population import single_faults
from umweg.core.network.network import Network
from umweg.core.observe.observations import Instrument, Observation
from umweg.core.observe.predict import Predictor
from umweg.core.solve.steady import SteadySolver

KEPT_DIAGNOSES = 200


class Doctors:
    """Diagnosticians by circuit revision, and the latest diagnoses by job.

    Everything in here can be computed again; nothing is kept that is not in the database.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._computing = threading.Lock()
        self._doctors: dict[str, Diagnostician] = {}
        self._diagnoses: OrderedDict[tuple[UUID, tuple[str, ...]], Diagnosis] = OrderedDict()

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

    def diagnose(
        self, job_id: UUID, doctor: Diagnostician, observations: Sequence[Observation]
    ) -> Diagnosis:
        """The diagnosis of a job as it stands, computed once for each set of observations."""
        key = (job_id, tuple(o.id for o in observations))
        with self._lock:
            if key in self._diagnoses:
                self._diagnoses.move_to_end(key)
                return self._diagnoses[key]
        # One at a time: two requests for the same job would compute the same twice.
        with self._computing:
            with self._lock:
                if key in self._diagnoses:
                    return self._diagnoses[key]
            diagnosis = doctor.diagnose(observations)
            with self._lock:
                self._diagnoses[key] = diagnosis
                while len(self._diagnoses) > KEPT_DIAGNOSES:
                    self._diagnoses.popitem(last=False)
        return diagnosis
