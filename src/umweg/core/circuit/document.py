"""The circuit document, format ``umweg-circuit/1``: a netlist, not a drawing."""

import json
from collections.abc import Mapping, Sequence
from typing import Annotated, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from umweg.core.errors import CircuitError, FormatError, Problem

MOST_PARTS = 600
"""Far more than a machine has; a circuit of thousands would never be solved in time."""
MOST_BYTES = 5_000_000
MOST_FINDINGS = 100
Text = Annotated[str, Field(max_length=400)]
LongText = Annotated[str, Field(max_length=4000)]
Identifier = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$", max_length=60)]
LoadState = Literal["free", "working", "stalled", "held"]
Method = Literal["tee_gauge", "inline_flow", "cap", "voltmeter", "tachometer"]
METHOD_DOMAIN: Mapping[Method, Literal["hydraulic", "electrical", "rotation"]] = {
    "tee_gauge": "hydraulic",
    "inline_flow": "hydraulic",
    "cap": "hydraulic",
    "voltmeter": "electrical",
    "tachometer": "rotation",
}
"""What has to be behind a test point for each method."""
TimedKind = Literal["peak_bar", "left_bar", "within_s", "interval_s", "moved_mm", "settled_c"]
"""What is read in time: the highest pressure, what is left of one, seconds until something, seconds
between two chargings, millimetres moved, the oil's temperature after an hour of a cycle."""
ReadKind = Literal[
    "pressure_bar",
    "flow_lpm",
    "speed_mm_s",
    "speed_rpm",
    "drift_mm_min",
    "voltage_v",
    "shaft_rpm",
    TimedKind,
]
"""What is read as a number; ``core/observe/quantity_kinds.py`` says of each how."""
Kind = Literal[ReadKind, "filter_drop_bar"]
"""What has a number: a filter's drop is seen at its indicator, not read."""
SpecifiedKind = Literal[ReadKind, "indicator"]


class Document(BaseModel):
    """Base of every part: unknown names are refused, nothing changes once read."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class Fluid(Document):
    """The oil, by grade; viscosity between 40 and 100 °C follows ASTM D341."""

    grade: str
    viscosity_40_c_mm2_s: float = Field(gt=2, le=1000)
    viscosity_100_c_mm2_s: float = Field(gt=2, le=100)
    density_kg_m3: float = Field(default=870, ge=700, le=1200)
    bulk_modulus_bar: float = Field(default=14000, ge=3000, le=30000)
    oil_c_low: float = Field(default=-10, ge=-50, le=60, description="allowed range, lower end")
    oil_c_high: float = Field(default=90, ge=30, le=140, description="allowed range, upper end")


class PrimeMover(Document):
    """What turns the pumps; its id is the name of the shaft net."""

    id: Identifier
    label: str
    idle_rpm: float = Field(gt=0, le=10000)
    rated_rpm: float = Field(gt=0, le=10000)
    max_rpm: float = Field(gt=0, le=10000)


class Adjuster(Document):
    """A screw or a shim pack that sets one parameter."""

    parameter: str
    bar_per_turn: float | None = Field(default=None, gt=0)
    bar_per_shim: float | None = Field(default=None, gt=0)
    limit: float = Field(description="never above this value of the parameter")


class Service(Document):
    """What it takes to get at, replace or mend a part; money in the workshop's currency."""

    access_min: float = Field(default=10, ge=0)
    replace_min: float = Field(default=60, ge=0)
    part_cost: float = Field(default=100, ge=0)
    serviceable: bool = False
    adjuster: Adjuster | None = None


class Component(Document):
    """One named part: its type, its parameters and the nets its ports join."""

    id: Identifier
    type: str
    label: str
    location: str = ""
    parameters: dict[str, float] = Field(default_factory=dict)
    connections: dict[str, Identifier]
    ratings: dict[str, float] = Field(default_factory=dict, description="port to bar")
    service: Service = Service()
    fault_weight: float = Field(default=1.0, ge=0, description="times the type's own base rate")
    typical: list[str] = Field(
        default_factory=list,
        max_length=60,
        description="parameters nobody has measured or read from a sheet: known to a fifth only",
    )
    rules_out: list[str] = Field(
        default_factory=list,
        max_length=60,
        description="faults of its type that this part cannot have: a brake's springs as a load "
        "are never overloaded",
    )


class Move(Document):
    """What an operator calls for: “raise” is a set of commands."""

    label: str
    commands: dict[str, float] = Field(description="component.command to value")
    direction: Literal[-1, 1] | None = Field(
        default=None, description="sign of the actuator's speed when the machine is in order"
    )


class Function(Document):
    """One thing the machine does, with the actuator that does it and its loads."""

    id: Identifier
    label: str
    actuator: Identifier = Field(description="component whose speed is the function's speed")
    actuator_port: str = "rod"
    stroke_mm: float = Field(default=0, ge=0)
    moves: dict[str, Move]
    load: Identifier | None = Field(default=None, description="its load component, if it has one")
    more_loads: list[Identifier] = Field(
        default_factory=list,
        max_length=20,
        description="loads that are moved along, each loaded the same: of twins",
    )
    loads: dict[LoadState, dict[str, float]] = Field(
        default_factory=dict, description="load commands per load state"
    )

    @property
    def all_loads(self) -> tuple[str, ...]:
        """Its load components, its twins' among them."""
        return (() if self.load is None else (self.load,)) + tuple(self.more_loads)

    @property
    def always(self) -> bool:
        """It does its work without anybody's command, as soon as its drive runs."""
        return any(not move.commands for move in self.moves.values())


class Interlock(Document):
    """What must be true for commands to arrive."""

    id: Identifier
    label: str
    functions: list[Identifier]
    switch: Identifier | None = Field(default=None, description="component that it opens or makes")


class TestPoint(Document):
    """A place for a gauge, a flow meter or a cap.

    ``net`` is where pressure is read. ``port`` (component.port) is the fitting that
    is opened for an in-line meter or a cap; the kit goes between net and port.
    """

    __test__ = False

    id: Identifier
    label: str
    net: Identifier
    port: str | None = None
    fitting: str
    access_min: float = Field(ge=0)
    methods: list[Method] = Field(min_length=1)

    @property
    def electrical(self) -> bool:
        """A voltage is read here, not a pressure."""
        return "voltmeter" in self.methods

    @property
    def hydraulic(self) -> bool:
        """Oil is behind it: neither a wire nor a shaft."""
        return all(METHOD_DOMAIN[m] == "hydraulic" for m in self.methods)


class Intervention(Document):
    """The shop's kit in the circuit: a cap, or a meter whose load valve holds a pressure."""

    point: Identifier
    kind: Literal["inline_flow", "cap"]
    load_bar: float = Field(default=0, ge=0, le=600)


EngineSpeed = Annotated[float, Field(ge=0, le=20_000)]


class MachineState(Document):
    """How the machine stands while something is read.

    ``moves`` names the move held for each function (none: lever in neutral);
    ``loads`` the load state (default: free when moved, held when not); ``settings`` are commands
    that belong to no function: a clutch pedal, a seat, an accumulator that is filling.
    """

    label: Text
    engine: Literal["off", "idle", "rated", "max"] | EngineSpeed = "rated"
    oil_c: float = Field(default=50, ge=-50, le=140)
    moves: dict[Identifier, Text] = Field(default_factory=dict, max_length=100)
    loads: dict[Identifier, LoadState] = Field(default_factory=dict, max_length=100)
    settings: dict[Text, float] = Field(
        default_factory=dict, max_length=100, description="component.command to value"
    )
    interventions: list[Intervention] = Field(default_factory=list, max_length=50)
    passing: bool = Field(
        default=False,
        description="stands only for a moment: a pressure that falls, a motor that starts and stops; "
        "read in time, never as a steady state",
    )
    setup_min: float = Field(default=2, ge=0, le=10_000)
    cautions: list[LongText] = Field(default_factory=list, max_length=30)


class TimedPhase(Document):
    """A named state that lasts."""

    state: Identifier
    seconds: float = Field(gt=0, le=7200)
    ramp_s: float = Field(
        default=0.2, gt=0, le=60, description="how long levers and drives take to get there"
    )


class Timing(Document):
    """Something read in time: the states gone through, and what is read in the last of them.

    ``point`` is the test point whose pressure is watched, ``function`` the one whose rod is;
    ``level_bar`` the pressure that is waited for. What does not come within the last phase is
    read as that phase's length. For ``settled_c`` the phases are a cycle of ordinary work, gone
    through again and again.
    """

    id: Identifier
    label: Text
    of: TimedKind
    phases: list[TimedPhase] = Field(min_length=1, max_length=12)
    point: Identifier | None = None
    function: Identifier | None = None
    level_bar: float | None = Field(default=None, ge=-1, le=2000)
    ambient_c: float = Field(default=20, ge=-50, le=60, description="air that cools the oil")
    places: dict[Identifier, float] = Field(
        default_factory=dict, max_length=50, description="function to share of its stroke, 0 … 1"
    )
    setup_min: float = Field(default=1, ge=0, le=10_000)
    cautions: list[LongText] = Field(default_factory=list, max_length=30)

    @property
    def state(self) -> str:
        """The state in which it is read."""
        return self.phases[-1].state


class Specification(Document):
    """What a good machine shows at a point in a named state; at least one limit."""

    id: Identifier
    point: str = Field(description="test point, or function id for speed and drift")
    quantity: SpecifiedKind
    state: Identifier
    low: float | None = None
    high: float | None = None
    source: str


class Circuit(Document):
    """A whole machine's hydraulic circuit."""

    format: Literal["umweg-circuit/1"]
    id: Identifier
    name: str
    family: list[str] = Field(min_length=1)
    machine_kind: str
    fluid: Fluid
    prime_movers: list[PrimeMover] = Field(max_length=8)
    components: list[Component] = Field(min_length=1, max_length=MOST_PARTS)
    functions: list[Function] = Field(default_factory=list, max_length=100)
    interlocks: list[Interlock] = Field(default_factory=list, max_length=100)
    test_points: list[TestPoint] = Field(default_factory=list, max_length=200)
    states: dict[Identifier, MachineState] = Field(default_factory=dict, max_length=300)
    timings: list[Timing] = Field(default_factory=list, max_length=100)
    specifications: list[Specification] = Field(default_factory=list, max_length=500)
    notes: dict[Text, LongText] = Field(default_factory=dict, max_length=100)

    @property
    def steady(self) -> dict[str, MachineState]:
        """The named states that stand as long as one looks."""
        return {name: state for name, state in self.states.items() if not state.passing}

    def runs(self, state: MachineState, rated: bool = False) -> bool:
        """Is the machine driven in a state, at its rated speed where that is wanted; what has no
        prime mover always is."""
        if not self.prime_movers:
            return True
        return state.engine == "rated" if rated else state.engine != "off"

    def undisturbed(self, rated: bool = False) -> dict[str, MachineState]:
        """The named states in which the machine runs as it is built, no kit in it."""
        return {
            name: state
            for name, state in self.steady.items()
            if self.runs(state, rated) and not state.interventions
        }

    @property
    def standing(self) -> MachineState | None:
        """How the machine stands before it is put into another state: running, nothing moved, no
        kit in it. The first of the named states that is so; None where none is."""
        for state in self.steady.values():
            if self.runs(state) and not state.moves and not state.interventions:
                return state
        return None

    def component(self, component_id: str) -> Component:
        """The component of that id.

        Raises
        ------
        CircuitError : there is none; so for the next two.
        """
        return _named(self.components, component_id, "component")

    def function(self, function_id: str) -> Function:
        """The function of that id."""
        return _named(self.functions, function_id, "function")

    def test_point(self, point_id: str) -> TestPoint:
        """The test point of that id."""
        return _named(self.test_points, point_id, "test point")

    def timing(self, timing_id: str) -> Timing:
        """The timing of that id."""
        return _named(self.timings, timing_id, "timing")


Named = TypeVar("Named", Component, Function, TestPoint, Timing)


def _named(items: Sequence[Named], wanted: str, what: str) -> Named:
    for item in items:
        if item.id == wanted:
            return item
    raise CircuitError(f"the circuit has no {what} “{wanted}”")


def problems_of(error: ValidationError) -> tuple[Problem, ...]:
    """Every finding of a failed reading, each with its place in the file."""
    return tuple(
        Problem("format", ".".join(str(part) for part in e["loc"]) or "document", e["msg"])
        for e in error.errors()[:MOST_FINDINGS]
    )


def read_json(text: str | bytes, most_bytes: int | None = MOST_BYTES) -> object:
    """Read a file's JSON, within what a document may be; of any size where no limit is given.

    Raises
    ------
    FormatError : it is too large, nested too deep, or no JSON.
    """
    if most_bytes is not None and len(text) > most_bytes:
        raise FormatError(f"the file has {len(text)} bytes; a document has {most_bytes} at most")
    try:
        return json.loads(text)
    except RecursionError as error:
        raise FormatError("the file is nested too deep to be a document of ours") from error
    except ValueError as error:
        raise FormatError(f"not a JSON file: {error}") from error


def read_circuit(text: str | bytes) -> Circuit:
    """Read a circuit document from JSON.

    Raises
    ------
    FormatError : not JSON, or not ``umweg-circuit/1``; lists every place that is wrong.
    """
    data = read_json(text)
    try:
        return Circuit.model_validate(data)
    except ValidationError as error:
        raise FormatError("not a circuit of format umweg-circuit/1", problems_of(error)) from error
