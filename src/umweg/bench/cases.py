"""Cases told in the trade's words, diagnosed as they were told: is what was wrong named first?"""

from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from itertools import groupby

from umweg.bench.isolate import SURE
from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.ranking import Suspect
from umweg.core.observe.case import Case, found_by
from umweg.core.observe.instruments import Instrument

MOST_SHOWN = 4


@dataclass(frozen=True)
class CaseFigures:
    """What the program says of one case."""

    circuit: str
    case: str
    sort: str
    wrong: tuple[str, ...]
    first: bool
    """Something that was wrong leads."""
    in_three: bool
    """All that was wrong is named by the first three groups."""
    claimed: float
    explained: bool
    """Something modelled explains what was told and read."""
    leaders: tuple[tuple[str, float], ...]
    """The first groups, by their first suspect, with their shares."""
    left_out: tuple[str, ...]
    """What could not be weighed, and why."""
    next_step: str

    @property
    def confidently_wrong(self) -> bool:
        """Sure of something that it was not."""
        return self.claimed > SURE and self.explained and not self.first


def bench_cases(
    cases: Sequence[Case],
    circuits: Mapping[str, Circuit],
    instruments: Sequence[Instrument],
    processes: int = 2,
) -> Iterator[CaseFigures]:
    """Figures of each case as they come, circuit by circuit."""
    kit = tuple(instruments)
    with ProcessPoolExecutor(processes) as pool:
        parts = [
            pool.submit(_of_circuit, circuits[name], tuple(of_one), kit)
            for name, of_one in groupby(cases, key=lambda c: c.circuit)
        ]
        for part in parts:
            yield from part.result()


def _of_circuit(
    circuit: Circuit, cases: Sequence[Case], instruments: Sequence[Instrument]
) -> list[CaseFigures]:
    doctor = Diagnostician.of(circuit, instruments)
    doctor.prepare()
    return [_one(doctor, case) for case in cases]


def _one(prepared: Diagnostician, case: Case) -> CaseFigures:
    doctor = Diagnostician(prepared.predictor, prepared.instruments, history=case.history)
    diagnosis = doctor.diagnose(case.observations)
    groups: dict[tuple[str, ...], Suspect] = {}
    for suspect in diagnosis.suspects:
        groups.setdefault(suspect.group, suspect)
    keys = list(groups)
    three = [key for group in keys[:3] for key in group]
    first = keys[0] if keys else ()
    return CaseFigures(
        circuit=case.circuit,
        case=case.id,
        sort=case.sort,
        wrong=tuple("|".join(names) for names in case.wrong),
        first=any(found_by(names, first) for names in case.wrong),
        in_three=all(found_by(names, three) for names in case.wrong),
        claimed=diagnosis.suspects[0].there if diagnosis.suspects else 0.0,
        explained=diagnosis.explained,
        leaders=tuple((" = ".join(k), s.there) for k, s in list(groups.items())[:MOST_SHOWN]),
        left_out=tuple(f"{one.observation}: {one.why}" for one in diagnosis.left_out),
        next_step=f"{diagnosis.steps[0].point_label}, {diagnosis.steps[0].state_label}"
        if diagnosis.steps
        else "",
    )
