"""What the API takes and gives."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from umweg.core.circuit.document import LoadState, MachineState
from umweg.core.components.base import Domain, LineKind, Side
from umweg.core.diagnose.calibrate import Settled
from umweg.core.diagnose.report import BandView, DiagnosisView, FlowCurveView, StepView
from umweg.core.diagnose.safe_plan import SafePlan
from umweg.core.diagnose.tree import Place
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.remarks import Remark
from umweg.core.observe.observations import Observation
from umweg.core.observe.recorded import Recorded
from umweg.core.record.proof import Shown, Why, Word
from umweg.core.trace.curves import Watched
from umweg.core.trace.way_views import CircuitTrace
from umweg.db.entries import Decision, EntryData, InOrder
from umweg.db.machine_record import Trend

LARGEST_ID = 2**31 - 1
"""Numbers in the database have 32 bits."""


class Model(BaseModel):
    """Base of requests and answers; unknown names are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class ProblemView(Model):
    """RFC 9457 problem details, with every single finding."""

    type: str
    title: str
    status: int
    detail: str
    problems: list[str] = []


class MachineView(Model):
    """A machine of a customer."""

    id: int
    name: str
    owner: str
    serial: str
    hours: float
    recent_work: str
    circuit_id: str


class MachineChange(Model):
    """What changed about a machine; what is left out stays."""

    name: str | None = Field(default=None, min_length=1, max_length=200, pattern=r"^[^\x00]*$")
    owner: str | None = Field(default=None, max_length=200, pattern=r"^[^\x00]*$")
    hours: float | None = Field(default=None, ge=0, le=1e6)
    recent_work: str | None = Field(default=None, max_length=2000, pattern=r"^[^\x00]*$")


class DoneView(Model):
    """Something that was done to a machine."""

    part: str
    text: str
    done_at: datetime


class PastJob(Model):
    """A job of a machine, as its page shows it."""

    id: UUID
    complaint: str
    created_at: datetime
    hours: float
    found: str | None = Field(description="the part that was isolated")
    in_order: str | None = Field(description="that nothing was wrong, and in which words")
    done: list[DoneView]


class EarlierView(Model):
    """A reading of the machine's own baseline."""

    words: str
    hours: float
    renewed_since: list[str]


class MachineRecordView(Model):
    """A machine over all its jobs."""

    machine: MachineView
    circuit_name: str
    jobs: list[PastJob]
    trends: list[Trend]
    baseline: list[EarlierView] = Field(
        description="its own readings from when it was in order, with which the next job begins"
    )
    settled: list[Settled] | None = Field(
        description="what they say of the circuit's numbers; nothing while it is not worked out yet"
    )


class ExperienceLine(Model):
    """One fault on one type of part, over all proved jobs."""

    type: str
    mode: str
    part: str
    fault: str
    found: int
    expected: float = Field(description="how often, by the library's rates, on the same machines")
    factor: float = Field(description="how much likelier it would be believed from the outset")
    in_use: float = Field(description="the same, by what was taken over last; 1 where nothing was")


class ExperienceView(Model):
    """What the shop found how often, and what of it is believed."""

    jobs: int = Field(description="proved jobs that are counted")
    pending: int = Field(description="circuits that are still to be played before all is counted")
    taken_at: datetime | None
    taken_jobs: int
    lines: list[ExperienceLine]


class UnitView(Model):
    """How a unit people read converts to the base unit of its kind."""

    symbol: str
    kind: str
    factor: float
    offset: float
    below: float | None = Field(description="in the base unit: what is less is shown in this one")
    quantities: list[str] = Field(description="what may be entered in it")


class WorkshopView(Model):
    """The shop, its kit, and the units it may read in."""

    name: str
    currency: str
    labour_per_min: float
    instruments: list[Instrument]
    units: list[UnitView]
    machines: list[MachineView]


class WorkshopChange(Model):
    """What changed about the shop; what is left out stays."""

    name: str | None = Field(default=None, min_length=1, max_length=200, pattern=r"^[^\x00]*$")
    currency: str | None = Field(default=None, pattern=r"^[A-Z]{3}$")
    labour_per_min: float | None = Field(default=None, ge=0, le=1000)


LISTING = Field(max_length=200_000, pattern=r"^[^\x00]*$")


class Listing(Model):
    """A parts-and-joins list as it is typed, and the circuit it began with."""

    text: str = LISTING
    beside: str | None = Field(default=None, max_length=60, pattern=r"^[a-z][a-z0-9_]*$")


class Bill(Model):
    """A bill of parts as it is opened: a table with a header."""

    text: str = Field(max_length=200_000)


class KnownCircuit(Model):
    """A circuit that a list can begin with."""

    id: str
    name: str
    machine_kind: str
    family: list[str]
    families: list[str] = Field(description="the same in words, for those of the library")


class Finding(Model):
    """What is wrong in a list, and where: a line, or the place it is about."""

    line: int | None
    where: str
    message: str
    hint: str


class BillView(Model):
    """Lines of a list made of a bill of parts, and the rows that are no part."""

    text: str
    parts: int
    findings: list[Finding]


class OpenPortView(Model):
    """A port that waits for its net, and where such ports are usually joined."""

    line: int
    component: str
    port: str
    nets: list[str]


class ListingView(Model):
    """What a list says so far: what is to be mended, and the map of what can be read."""

    findings: list[Finding]
    parts: int
    open_ports: list[OpenPortView]
    schematic: "SchematicView | None"


class DraftStateView(Model):
    """A drafted state as it settles; no numbers where it does not, or stands for a moment only."""

    id: str
    label: str
    nets: dict[str, "NetValue"]


class OddView(Model):
    """Something that no machine of the trade does."""

    component: str
    words: str


class DraftView(Model):
    """What was drafted from a list, and how it runs; nothing while it is being worked out."""

    pending: bool
    trouble: str | None
    notes: list[str]
    functions: list["FunctionView"]
    states: list[DraftStateView]
    points: list[str]
    odd: list[OddView]


class ParameterView(Model):
    """One number of a part: what is typed, and what it is when nothing is."""

    name: str
    unit: str
    description: str
    default: float


class FoundTypesView(Model):
    """Types of parts that some words name, the likeliest first."""

    names: list[str]
    nearest: bool = Field(description="none has these words: the nearest to them")


class TypeView(Model):
    """A component type, as somebody who types a list wants to know it."""

    name: str
    label: str
    summary: str
    ports: list[str]
    optional: list[str] = Field(
        description="ports that need not be joined: where a linkage moves it"
    )
    parameters: list[ParameterView]


class NewMachine(Model):
    """A machine of a customer: with a circuit that is known, or with a list of its own."""

    name: str = Field(min_length=1, max_length=200, pattern=r"^[^\x00]*$")
    owner: str = Field(default="", max_length=200, pattern=r"^[^\x00]*$")
    serial: str = Field(min_length=1, max_length=100, pattern=r"^[^\x00]*$")
    hours: float = Field(default=0, ge=0, le=1e6)
    recent_work: str = Field(default="", max_length=2000, pattern=r"^[^\x00]*$")
    circuit_id: str | None = Field(default=None, max_length=60, pattern=r"^[a-z][a-z0-9_]*$")
    listing: str | None = Field(default=None, max_length=200_000, pattern=r"^[^\x00]*$")
    beside: str | None = Field(default=None, max_length=60, pattern=r"^[a-z][a-z0-9_]*$")


class MachineList(Model):
    """Machines as a table with a header: name, serial, owner, hours, circuit."""

    text: str = Field(max_length=200_000, pattern=r"^[^\x00]*$")


class MachinesKept(Model):
    """The machines of a list as they are kept now."""

    machines: list[MachineView]


class FleetMachine(Model):
    """One machine of a fleet."""

    machine: MachineView
    jobs: int


class FleetFind(Model):
    """A fault that proved jobs found on machines of one circuit."""

    component: str
    part: str
    fault: str
    found: int
    machines: int = Field(description="on how many of them")
    hours: list[float] = Field(description="of the machines when it was found")


class FleetView(Model):
    """Machines of one circuit side by side."""

    circuit_id: str
    circuit_name: str
    machines: list[FleetMachine]
    finds: list[FleetFind]
    trends: list[Trend] = Field(description="of all of them together; each reading has its machine")


class NewJob(Model):
    """Open a job on a machine."""

    machine_id: int = Field(ge=1, le=LARGEST_ID)
    complaint: str = Field(min_length=1, max_length=2000)


class AnswerEntry(Model):
    """An answer in words, and the entry to keep for it."""

    words: str
    entry: Observation


class AgainView(Model):
    """One thing that has to be shown again after a repair."""

    before: str = Field(description="entry before the repair")
    words: str
    why: Why
    after: str | None = Field(description="entry that shows it again")
    shown: Shown
    answers: list[AnswerEntry] = Field(description="what may be seen, where it is one of a few")


class ProofView(Model):
    """How far the last repair of a job is proved, and what is still open."""

    word: Word
    words: str
    asked: list[AgainView]
    against: list[str] = Field(description="entries after it that no sound machine shows")


class JobCard(Model):
    """One line of the list of jobs."""

    id: UUID
    machine: MachineView
    complaint: str
    created_at: datetime
    observations: int
    leader: str | None
    leader_share: float | None
    next: str | None
    pending: bool = Field(description="the diagnosis is being worked out; ask again")
    decision: Decision | None
    in_order: InOrder | None
    proof: Word | None = Field(description="of its last repair; nothing where none was made")


class JobList(Model):
    """Some of the jobs, and how many there are in all."""

    jobs: list[JobCard]
    total: int
    offset: int


class VerdictView(Model):
    """A reading against its specification."""

    word: Literal["pass", "low", "high", "marginal"]
    low: float | None
    high: float | None
    source: str


class EntryView(Model):
    """An entry as it stands in the record."""

    id: UUID
    sequence: int
    data: EntryData
    words: str
    looked: bool
    supersedes: UUID | None
    standing: bool
    value_base: float | None
    unit_base: str | None
    verdict: VerdictView | None
    author: str
    created_at: datetime


class JobView(Model):
    """A whole job."""

    id: UUID
    machine: MachineView
    complaint: str
    created_at: datetime
    circuit_revision: int
    circuit_id: str
    revision: int
    entries: list[EntryView]
    decision: Decision | None
    in_order: InOrder | None
    circuit_changed: bool = Field(
        description="the machine has another revision of its circuit by now; the job keeps its own"
    )


class NewEntryRequest(Model):
    """Append an entry; ``supersedes`` corrects an earlier one."""

    data: EntryData
    supersedes: UUID | None = None
    expected_sequence: int | None = Field(
        default=None, ge=0, le=LARGEST_ID, description="how many entries the writer has seen"
    )


Pending = Literal["ranking", "plan"]


class AnswerView(Model):
    """What is known about a job as it stands, and what is still being worked out."""

    question: str = Field(
        description="changes whenever something that counts is added or withdrawn"
    )
    diagnosis: DiagnosisView | None
    pending: list[Pending]
    trouble: str | None = Field(description="why it cannot be worked out; the record is untouched")
    proof: ProofView | None = Field(description="of the last repair; nothing where none was made")


class EntryAdded(Model):
    """The entry that was kept, and what is known with it."""

    entry: EntryView
    answer: AnswerView


class WorkView(Model):
    """A piece of work in the background."""

    id: int
    task: str
    title: str
    status: str
    done: int
    total: int


class Doubts(Model):
    """What speaks against a reading that is about to be kept, in words; empty where nothing does."""

    doubts: list[str]


class JudgedView(Model):
    """A reading of one's own as a step, as far as it was worked out."""

    pending: bool
    step: StepView | None
    trouble: str | None = Field(description="why it cannot be judged")
    curve: FlowCurveView | None = Field(description="of a flow at a meter: at several pressures")


class StripView(Model):
    """What the healthy machine and each suspect predict for a reading."""

    unit: str
    value: float
    healthy: BandView | None
    by_suspect: list[BandView]


class PortView(Model):
    """A port on a symbol."""

    name: str
    net: str
    side: Side
    offset: float
    domain: Domain
    line: LineKind
    boundary: bool


class PartView(Model):
    """A component with its symbol."""

    id: str
    type: str
    type_label: str
    label: str
    location: str
    named_on_demand: bool
    """Its name is shown when it is chosen or suspected."""
    width: float
    height: float
    strokes: list[str]
    dashed: list[str]
    filled: list[str]
    ports: list[PortView]


class PointView(Model):
    """A test point."""

    id: str
    label: str
    net: str
    port: str | None
    fitting: str
    access_min: float
    methods: list[str]


class ExportView(Model):
    """All jobs as files: under which name, and whether they are still being written."""

    standing: str
    pending: bool


class MoveView(Model):
    """A move of a function."""

    id: str
    label: str


class FunctionView(Model):
    """A function of the machine."""

    id: str
    label: str
    moves: list[MoveView]
    loads: list[LoadState]
    """What can be told of its load: none where it carries none."""


class StateView(Model):
    """A named state of the machine."""

    id: str
    label: str
    engine: str
    oil_c: float
    moves: dict[str, str]
    cautions: list[str]
    document: MachineState
    """All of it, to begin another one with."""


class RecordedRequest(Model):
    """A curve as it is pasted: rows of seconds and value, in a unit."""

    text: str = Field(max_length=200_000)
    unit: str = Field(max_length=20)


class RecordedView(Model):
    """What a timing reads from a recorded curve, and the curve as it is kept with the reading."""

    value: float
    unit: str
    recorded: Recorded


class RemarkView(Model):
    """A word that can be told beside how a function moves."""

    name: Remark
    words: str


class SchematicView(Model):
    """The circuit as it is drawn."""

    circuit_id: str
    revision: int
    name: str
    fluid: str
    shafts: list[str]
    parts: list[PartView]
    test_points: list[PointView]
    functions: list[FunctionView]
    states: list[StateView]
    notes: dict[str, str]
    remarks: list[RemarkView]
    warmth_weighed: bool = Field(description="a cycle of work is described: heat can be weighed")
    curve_of: dict[str, list[str]] = Field(
        description="for each timing the kinds of unit of a recorded curve that tells it"
    )


class BundleKept(Model):
    """Jobs that are kept now, in the order of the file."""

    jobs: list[UUID]


class NetValue(Model):
    """A net in a state."""

    value: float
    unit: str


class CurveView(Model):
    """What is watched in a timing on one machine, as far as it was played."""

    pending: bool
    curve: Watched | None
    trouble: str | None = Field(description="why there is none")


class ReadableView(Model):
    """Something that can be read, and the named states in which it can."""

    quantity: str
    quantity_label: str
    unit: str
    place: str
    place_label: str
    states: list[str]


class SafeView(Model):
    """The way of a circuit's machines to zero, as far as it was worked out."""

    pending: bool
    plan: SafePlan | None


class TreeView(Model):
    """The way on from a job as it stands, as far as it was worked out."""

    pending: bool
    place: Place | None
    trouble: str | None = Field(description="why there is none")


class TraceView(Model):
    """The ways of a circuit's moves, as far as they were worked out."""

    pending: bool
    trace: CircuitTrace | None


class SolvedStateView(Model):
    """A state solved: healthy, or with a suspect's fault as it is believed to be."""

    state: str
    suspect: str | None
    pending: bool = Field(description="it is being played; ask again")
    nets: dict[str, NetValue]
    flows_lpm: dict[str, float]
