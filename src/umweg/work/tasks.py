"""The pieces of work; each is one declaration that the workers discover."""

import asyncio
import io
import time
import zipfile
from collections.abc import Callable, Coroutine, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import partial
from itertools import combinations
from typing import Any, TypeVar

import structlog
from procrastinate import Blueprint, JobContext, RetryStrategy
from procrastinate.exceptions import JobAborted
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.flow_curve import flow_curve
from umweg.core.diagnose.make_safe import make_safe
from umweg.core.diagnose.own import own_step
from umweg.core.diagnose.question import Question, answer
from umweg.core.diagnose.ranking import rank
from umweg.core.diagnose.report import DiagnosisView, flow_curve_view, step_view
from umweg.core.diagnose.safe_plan import LACKS, Lack
from umweg.core.diagnose.tree import tree_of
from umweg.core.draft.frame import drafted_of
from umweg.core.draft.runs import runs
from umweg.core.errors import FormatError, SolveError, UmwegError
from umweg.core.faults.population import parse_fault
from umweg.core.network.check import check_circuit
from umweg.core.observe.exhibits import Played, Sight, Suspects, shown_name, unpacked_shown
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.observations import OBSERVATIONS
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import TimedPrediction
from umweg.core.observe.quantities import Quantity, quantity_of, timed_quantities
from umweg.core.trace.curves import watched
from umweg.core.trace.map import map_of
from umweg.core.trace.trace import trace
from umweg.core.version import model_version
from umweg.core.view import View
from umweg.db import kept
from umweg.db.bundle import bundle_of, by_circuit
from umweg.db.store import Store
from umweg.work.asking import (
    DRAFT,
    EXPORT,
    CurveFound,
    DraftFound,
    OwnFound,
    TreeFound,
    curve_name,
    listing_sha256,
    own_name,
    summary_of,
    tree_name,
)
from umweg.work.doctors import Doctors
from umweg.work.exhibits import (
    Keeping,
    document_to_bytes,
    from_bytes,
    once_of,
    once_to_bytes,
    to_bytes,
)
from umweg.work.memory import give_back

log = structlog.get_logger("umweg.work")

PIECES: dict[str, Callable[..., None]] = {}
RETRY = RetryStrategy(max_attempts=3, wait=1)
GIVE_WAY_S = 15.0
JOBS_A_FILE = 200
WRITING = "Writing all jobs"
BROKEN = "this could not be worked out: a fault of the program, which is in its log"


@dataclass
class Workbench:
    """What the tasks of one worker process share."""

    engine: Engine
    doctors: Doctors = field(default_factory=Doctors)
    answering: int = 0
    """How many answers are being worked out: playing gives way to them for a while."""

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A short session, committed at its end."""
        with Session(self.engine) as session:
            yield session
            session.commit()

    def circuit(self, sha256: str) -> Circuit:
        """The circuit of that hash.

        Raises
        ------
        FormatError : it is not stored.
        """
        with self.session() as session:
            document = kept.circuit_document(session, sha256)
        if document is None:
            raise FormatError(f"no circuit {sha256[:12]} is stored")
        return Circuit.model_validate(document)

    def give_way(self) -> None:
        """Wait while answers are being worked out, but not for ever."""
        end = time.monotonic() + GIVE_WAY_S
        while self.answering and time.monotonic() < end:
            time.sleep(0.02)


def piece(name: str) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Declare a piece of work."""

    def declare(function: Callable[..., None]) -> Callable[..., None]:
        PIECES[name] = function
        return function

    return declare


def blueprint() -> Blueprint:
    """All pieces of work for one queue; each runs in a thread, beside the others."""
    made = Blueprint()
    for name, function in PIECES.items():
        made.task(name=name, pass_context=True, retry=RETRY)(_threaded(function))
    return made


def _threaded(function: Callable[..., None]) -> Callable[..., Coroutine[Any, Any, None]]:
    async def run(context: JobContext, /, **arguments: Any) -> None:
        try:
            await asyncio.to_thread(function, context, **arguments)
        finally:
            give_back()

    return run


def _bench(context: JobContext) -> Workbench:
    bench = context.additional_context["bench"]
    assert isinstance(bench, Workbench)
    return bench


def _attempts_left(context: JobContext) -> bool:
    return context.job.attempts + 1 < (RETRY.max_attempts or 1)


@piece("work_out")
def work_out(context: JobContext, key: str) -> None:
    """Answer a question and keep the answer; one that nobody waits for any more is left."""
    bench = _bench(context)
    document = _still_asked(bench, key)
    if document is None:
        return
    try:
        question = Question.model_validate(document)
        bench.answering += 1
        try:
            doctor = bench.doctors.doctor(question, lambda: bench.circuit(question.circuit_sha256))
            keeping = Keeping(doctor.exhibits)
            _remember_timed(bench, doctor.predictor, keeping.suspects, question.circuit_sha256)
            _bring_once(bench, doctor.predictor, question.circuit_sha256)
            with bench.doctors.alone(question.circuit_sha256):
                # A page asks again for what it does not see yet; by now it may be answered, or
                # something else asked.
                if _still_asked(bench, key) is not None:
                    _answer(bench, question, doctor, keeping)
        finally:
            bench.answering -= 1
    except UmwegError as error:
        _keep_answer(bench, key, None, str(error))
    except Exception:
        log.exception("work_out", key=key)
        if _attempts_left(context):
            raise
        _keep_answer(bench, key, None, BROKEN)


def _still_asked(bench: Workbench, key: str) -> dict[str, Any] | None:
    """A question that has no answer, if it is the newest about its job."""
    with bench.session() as session:
        row = kept.answer_of(session, key)
        if row is None or row.diagnosis is not None or row.trouble is not None:
            return None
        if kept.newest_question(session, row.job_id) != key:
            return None
        return row.question


def _answer(bench: Workbench, question: Question, doctor: Diagnostician, keeping: Keeping) -> None:
    """Answer a question, and keep the answer with the exhibits that it was weighed by."""
    ranking = rank(keeping, question.observations, question.instruments, history=question.history)
    found = answer(doctor, question.observations, ranking)
    with bench.session() as session:
        asked = keeping.take()
        kept.keep(session, question.circuit_sha256, question.model, asked, asked_for=True)
    _keep_answer(bench, question.key, found, None)


def _keep_answer(
    bench: Workbench, key: str, found: DiagnosisView | None, trouble: str | None
) -> None:
    diagnosis = None if found is None else found.model_dump(mode="json")
    summary = None if found is None else summary_of(found)
    with bench.session() as session:
        kept.keep_answer(session, key, diagnosis=diagnosis, summary=summary, trouble=trouble)


def _remember_timed(
    bench: Workbench, predictor: Predictor, suspects: Suspects, sha256: str
) -> None:
    """What any worker has played in time is offered by this one too."""
    circuit = predictor.circuit
    known = {quantity_of(t) for t in predictor.in_time}
    names = {
        shown_name(quantity_of(t), circuit.states[t.state]): quantity_of(t)
        for t in circuit.timings
        if quantity_of(t) not in known
    }
    if not names:
        return
    with bench.session() as session:
        found = kept.kept(session, sha256, model_version(), names)
    for name, content in found.items():
        shown = unpacked_shown(from_bytes(content), suspects.slope_count)
        predictor.remember(names[name], TimedPrediction(shown.mean, shown.slope, shown.known))


def _bring_once(bench: Workbench, predictor: Predictor, sha256: str) -> None:
    """What any worker has made once of a circuit, what closed lines keep, is at hand here too."""
    if predictor.at_hand():
        return
    with bench.session() as session:
        found = kept.kept(session, sha256, model_version(), [ONCE]).get(ONCE)
    for name, content in once_of(found).items() if found is not None else ():
        predictor.bring(name, content)


Found = TypeVar("Found", bound=View)


def _or_trouble(
    context: JobContext, make: Callable[[], Found], failed: Callable[[str], Found]
) -> Found:
    """What is worked out, or why not: kept as well, so that nobody waits for it for ever.

    A fault of the program is tried again while attempts are left.
    """
    try:
        return make()
    except UmwegError as error:
        return failed(str(error))
    except JobAborted:
        raise
    except Exception:
        log.exception(context.task.name if context.task else "work", work=context.job.id)
        if _attempts_left(context):
            raise
        return failed(BROKEN)


@piece("grow_tree")
def grow_tree(context: JobContext, key: str, depth: int) -> None:
    """Work out the way on from a question, and keep it as a tree.

    It gives way to answers between any two of its places.
    """
    bench = _bench(context)
    with bench.session() as session:
        row = kept.answer_of(session, key)
        if row is None:
            return
        question, job_id = Question.model_validate(row.question), row.job_id
        name = tree_name(key, depth)
        if kept.kept(session, question.circuit_sha256, question.model, [name]):
            # Asked for again while it grew.
            return
    doctor = bench.doctors.doctor(question, lambda: bench.circuit(question.circuit_sha256))
    alone = bench.doctors.alone(question.circuit_sha256)
    title = f"Working out the way on: {doctor.circuit.name}"

    def progress(done: int, known: int) -> None:
        alone.release()
        try:
            if context.should_abort():
                raise JobAborted
            with bench.session() as session:
                kept.show_progress(session, context.job.id or 0, title, done, known)
            bench.give_way()
        finally:
            alone.acquire()

    def grown() -> TreeFound:
        with alone:
            root = tree_of(doctor, question.observations, depth, progress)
        return TreeFound(place=root, trouble=None)

    found = _or_trouble(context, grown, lambda why: TreeFound(place=None, trouble=why))
    content = {name: document_to_bytes(found)}
    with bench.session() as session:
        kept.keep(session, question.circuit_sha256, question.model, content, asked_for=True)
        kept.tell(session, "tree", job_id)


@piece("judge_own")
def judge_own(context: JobContext, key: str, reading: dict[str, Any]) -> None:
    """Judge a reading that somebody wants to take by themselves, and keep it as a step."""
    bench, asked = _bench(context), Reading.model_validate(reading)
    with bench.session() as session:
        row = kept.answer_of(session, key)
        if row is None:
            return
        question, job_id = Question.model_validate(row.question), row.job_id
    doctor = bench.doctors.doctor(question, lambda: bench.circuit(question.circuit_sha256))

    def judged() -> OwnFound:
        with bench.doctors.alone(question.circuit_sha256):
            planner = doctor.planner(question.observations)
            try:
                step = own_step(planner, asked, question.observations)
                curve = flow_curve(planner, asked, question.observations)
            finally:
                if isinstance(asked.state, MachineState):
                    # Somebody's own states are not kept: there is no end to them.
                    planner.predictor.forget([asked.state])
        return OwnFound(
            step=step_view(doctor.circuit, step),
            trouble=None,
            curve=None if curve is None else flow_curve_view(doctor.circuit, curve),
        )

    found = _or_trouble(context, judged, lambda why: OwnFound(step=None, trouble=why))
    content = {own_name(key, asked): document_to_bytes(found)}
    with bench.session() as session:
        kept.keep(session, question.circuit_sha256, question.model, content, asked_for=True)
        kept.tell(session, "own", job_id)


@piece("draw_curve")
def draw_curve(context: JobContext, sha256: str, timing: str, fault: str) -> None:
    """Play a timing on one machine, and keep what is watched in it."""
    bench = _bench(context)
    predictor = bench.doctors.predictor(sha256, lambda: bench.circuit(sha256))
    circuit, solver = predictor.circuit, predictor.solver

    def drawn() -> CurveFound:
        own: dict[int, float] = {}
        if fault:
            known, severity = parse_fault(solver.network, fault)
            own[known.slot] = float(known.mode.value(known.healthy, severity))
        with bench.doctors.alone(sha256):
            curve = watched(circuit, solver, circuit.timing(timing), own)
        return CurveFound(curve=curve, trouble=None)

    found = _or_trouble(context, drawn, lambda why: CurveFound(curve=None, trouble=why))
    with bench.session() as session:
        content = {curve_name(timing, fault): document_to_bytes(found)}
        kept.keep(session, sha256, model_version(), content, asked_for=True)


@piece("export_all")
def export_all(context: JobContext, standing: str) -> None:
    """Write all jobs of the workshop to files, one for each revision of a circuit, and keep them as
    one archive; each is read in again by itself."""
    bench, buffer = _bench(context), io.BytesIO()
    with bench.session() as session:
        files = by_circuit(Store.only(session))
    parts = [
        (
            f"{name}{'' if start == 0 else f'-{start // JOBS_A_FILE + 1}'}.json",
            jobs[start:][:JOBS_A_FILE],
        )
        for name, jobs in files.items()
        for start in range(0, len(jobs), JOBS_A_FILE)
    ]
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for done, (name, jobs) in enumerate(parts):
            if context.should_abort():
                raise JobAborted
            with bench.session() as session:
                kept.show_progress(session, context.job.id or 0, WRITING, done, len(parts))
                store = Store.only(session)
                bundle = bundle_of([store.job(job) for job in jobs])
            archive.writestr(name, bundle.model_dump_json(indent=1) + "\n")
            bench.give_way()
    with bench.session() as session:
        content = {EXPORT: buffer.getvalue()}
        kept.keep(session, standing, model_version(), content, asked_for=True)
        # As it stood before, nobody wants it any more; archives would heap up.
        kept.drop_others(session, standing, EXPORT)
        kept.show_progress(session, context.job.id or 0, WRITING, len(parts), len(parts))


@piece("draft_listing")
def draft_listing(context: JobContext, text: str, beside: str | None) -> None:
    """Draft a circuit from a list and keep it: what its parts do is found by solving them."""
    bench, sha256 = _bench(context), listing_sha256(text, beside)

    def made() -> DraftFound:
        drafted = drafted_of(text, None if beside is None else bench.circuit(beside))
        check_circuit(drafted.circuit)
        document = drafted.circuit.model_dump_json(exclude_unset=True)
        return DraftFound(
            circuit=document, notes=drafted.notes, trouble=None, runs=runs(drafted.circuit)
        )

    found = _or_trouble(context, made, lambda why: DraftFound(circuit=None, notes=(), trouble=why))
    with bench.session() as session:
        content = {DRAFT: document_to_bytes(found)}
        kept.keep(session, sha256, model_version(), content, asked_for=True)


@piece("play")
def play(context: JobContext, sha256: str) -> None:
    """Play a circuit: what every candidate would show, in every state it is known in.

    What is kept already is not played again, so a piece of work that was killed goes on.
    """
    _play(context, sha256, in_time=False)


@piece("play_in_time")
def play_in_time(context: JobContext, sha256: str) -> None:
    """Play what is read in time on a circuit; the same holds for it."""
    _play(context, sha256, in_time=True)


def _play(context: JobContext, sha256: str, in_time: bool) -> None:
    bench, model = _bench(context), model_version()
    predictor = bench.doctors.predictor(sha256, lambda: bench.circuit(sha256))
    parts = [p for p in _parts(predictor) if p.in_time == in_time]
    title = f"Playing {predictor.circuit.name}{' in time' if in_time else ''}"
    for done, part in enumerate(parts):
        if context.should_abort():
            raise JobAborted
        with bench.session() as session:
            kept.show_progress(session, context.job.id or 0, title, done, len(parts))
            there = kept.kept(session, sha256, model, [part.mark])
        if part.mark in there:
            continue
        bench.give_way()
        try:
            with bench.doctors.alone(sha256):
                contents = part.make()
        except SolveError as error:
            log.warning("play", circuit=predictor.circuit.id, part=part.mark, why=str(error))
            contents = {}
        with bench.session() as session:
            kept.keep(session, sha256, model, {**contents, part.mark: b""}, asked_for=False)
    with bench.session() as session:
        kept.show_progress(session, context.job.id or 0, title, len(parts), len(parts))


@dataclass(frozen=True)
class Part:
    """A share of playing a circuit; ``mark`` is kept when it is done."""

    mark: str
    make: Callable[[], Mapping[str, bytes]]
    in_time: bool = False


def map_name(state_id: str) -> str:
    """Name under which the map of a named state is kept."""
    return f"map/{state_id}"


ONCE = "once"
"""Name under which is kept what was made once of a circuit for all questions."""
SAFE = "safe"
"""Name under which a circuit's way to zero is kept."""
TRACE = "trace"
"""Name under which the ways of its moves are kept."""


def safe_name(lacks: Iterable[Lack] = ()) -> str:
    """Name under which the way to zero is kept, for what does not work of the machine."""
    wanted = set(lacks)
    return "/".join([SAFE, *(name for name in LACKS if name in wanted)])


def _parts(predictor: Predictor) -> Iterator[Part]:
    """What is asked first: what can be seen and said where nothing else is to be solved for it,
    then every named state, then what needs states of its own (cold and hot oil)."""
    circuit = predictor.circuit

    def state(name: str, state: MachineState) -> Mapping[str, bytes]:
        keeping = Keeping(Played(predictor))
        for quantity in predictor.quantities:
            keeping.shown(quantity, state)
        return {**keeping.take(), map_name(name): to_bytes(map_of(predictor, state).packed())}

    def in_time(quantity: Quantity) -> Mapping[str, bytes]:
        keeping = Keeping(Played(predictor))
        keeping.shown(quantity, circuit.states[circuit.timing(quantity.place).state])
        return keeping.take()

    def sights(seen: Sequence[tuple[Sight, Sequence[MachineState]]]) -> Mapping[str, bytes]:
        keeping = Keeping(Played(predictor))
        for sight, states in seen:
            keeping.seen(sight)
            predictor.forget(states)
        return keeping.take()

    shares: dict[str, list[tuple[Sight, Sequence[MachineState]]]] = {}
    for kind in OBSERVATIONS:
        for share, sight, states in kind.sights(circuit):
            shares.setdefault(f"done/{kind.__name__}/{share}", []).append((sight, states))
    own = {mark for mark, seen in shares.items() if any(states for _, states in seen)}

    def safe() -> Mapping[str, bytes]:
        plan = document_to_bytes(make_safe(predictor))
        return {SAFE: plan, ONCE: once_to_bytes(predictor.at_hand())}

    def without() -> Mapping[str, bytes]:
        """The way to zero for all that may not work of the machine."""
        asked = [ask.key for ask in make_safe(predictor).asks]
        return {
            safe_name(lacks): document_to_bytes(make_safe(predictor, lacks=lacks))
            for count in range(1, len(asked) + 1)
            for lacks in combinations(asked, count)
        }

    def ways() -> Mapping[str, bytes]:
        return {TRACE: document_to_bytes(trace(circuit, predictor.solver))}

    for mark, seen in shares.items():
        if mark not in own:
            yield Part(mark, partial(sights, seen))
    yield Part("done/trace", ways)
    for name, named in circuit.steady.items():
        yield Part(f"done/state/{name}", partial(state, name, named))
    # It plays every state to its stop, and finds them solved.
    yield Part("done/safe", safe)
    for quantity in timed_quantities(circuit):
        yield Part(f"done/timing/{quantity.place}", partial(in_time, quantity), in_time=True)
    yield Part("done/safe/without", without)
    for mark in shares:
        if mark in own:
            yield Part(mark, partial(sights, shares[mark]))
