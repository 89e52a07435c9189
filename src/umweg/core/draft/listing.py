"""The parts-and-joins list: a circuit's parts as lines of plain text, to be typed anywhere.

One line a thing, words with blanks in quotes, ``#`` begins a comment::

    machine "Log splitter S2" kind="log splitter" family=F21
    oil "HVLP 46" 46 7.9
    engine engine "Engine" idle=900 rated=1800 max=2200
    pump fixed_pump "Pump" inlet=tank_out outlet=p shaft=engine displacement_cm3=16
    point gauge "Gauge at the pump" net=p methods=tee_gauge

A number with ``~`` before it is a guess, and one that is not typed is the type's typical value: both
are known to a fifth only, and the diagnosis is as wide as that (``machine … untyped=known`` says that
the typical values are the machine's own).

    function ram "Ram" moves=ram stroke=600
    move ram out lever.lever=1 direction=1
    spec relief quantity=pressure_bar at=gauge state=ram_out_stalled low=180 high=195
    timing held "Pressure kept" of=left_bar at=gauge phases=ram_out_stalled:5,held:60 setup=2

A timing goes through states, each so many seconds long, and is read in the last: at a point (``at=``)
or of a function (``function=``), with the ``level=`` that is waited for, where rods begin
(``start=ram:0.5``, a share of the stroke), and the ``air=`` that cools.

A part's line names the part, its type and its label; then, in any order, where each port is joined
(``port=net``), parameters (``name=number``), what a port bears (``max.port=bar``), and where it is and
what it takes to get at it (``at=``, ``access=``, ``replace=``, ``cost=``, ``serviceable=``,
``weight=``, ``adjust=parameter:bar_per_turn:limit``), and which faults of its type it cannot have
(``never=fault,fault``). A load's line may say whether it hangs or weighs on its actuator by itself
(``carries=yes``) or only resists (``carries=no``); else that follows from what holds it.
"""

import difflib
import re
import shlex
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, Literal, get_args

from pydantic import ValidationError

from umweg.core.circuit.document import MOST_BYTES, Circuit, LoadState, Service
from umweg.core.components import component_type, component_types
from umweg.core.components.words import find_types
from umweg.core.draft.electrics import fit_supply
from umweg.core.errors import FormatError, Problem

OWN_WORDS = (
    "label",
    "at",
    "access",
    "replace",
    "cost",
    "serviceable",
    "weight",
    "never",
    "adjust",
    "carries",
)
MOST_LINES = 5000
OPEN = "?"
"""A port that is not joined yet."""
_NAME = re.compile(r"^[a-z][a-z0-9_]{0,59}$")
GUESS = "~"
"""Before a number: a guess; alone: the type's typical value, known no better."""
_SERVICE: Mapping[str, str] = {
    "access": "access_min",
    "replace": "replace_min",
    "cost": "part_cost",
}


@dataclass
class _Line:
    """One line cut into words: what stands alone, and what is given a value."""

    number: int
    alone: list[str]
    given: dict[str, str]
    problems: list[Problem]

    def wrong(self, message: str, hint: str = "") -> None:
        self.problems.append(Problem("line", f"line {self.number}", message, hint))

    def number_of(self, name: str, text: str) -> float | None:
        try:
            return float(text.replace(",", "."))
        except ValueError:
            self.wrong(f"{name}: “{text}” is no number")
            return None

    def take(self, name: str, otherwise: str = "") -> str:
        return self.given.pop(name, otherwise)

    def nothing_left(self, known: Sequence[str]) -> None:
        for name in self.given:
            self.wrong(f"“{name}” means nothing here", _meant(name, known))


@dataclass
class Listing:
    """What a list says: the parts of a circuit document, and every line that is wrong."""

    head: dict[str, Any] = field(default_factory=dict)
    engines: list[dict[str, Any]] = field(default_factory=list)
    parts: list[dict[str, Any]] = field(default_factory=list)
    typed: list[set[str]] = field(default_factory=list)
    """Of each part, the parameters that were given a number."""
    points: list[dict[str, Any]] = field(default_factory=list)
    functions: list[dict[str, Any]] = field(default_factory=list)
    """With their moves; who has no loads gets the usual ones."""
    specifications: list[dict[str, Any]] = field(default_factory=list)
    timings: list[dict[str, Any]] = field(default_factory=list)
    open: list[tuple[str, str]] = field(default_factory=list)
    """Parts and ports that wait for their net."""
    untyped_is_typical: bool = True
    """A number that is not typed is the type's typical one, and known as badly as that."""
    notes: list[str] = field(default_factory=list)
    """What was taken for granted of what was not typed."""
    carries: dict[str, bool] = field(default_factory=dict)
    """Of a load, whether it weighs on its actuator by itself, where that was said."""
    lines: dict[str, int] = field(default_factory=dict)
    """Line of each part and point by ``component ID`` or ``test point ID``."""
    problems: list[Problem] = field(default_factory=list)


def read_listing(text: str) -> Listing:
    """Read a list as far as it goes; what is wrong is named with its line."""
    listing = Listing()
    if len(text) > MOST_BYTES or text.count("\n") > MOST_LINES:
        listing.problems.append(Problem("line", "list", "the list is too long to be a machine's"))
        return listing
    seen: set[str] = set()
    for number, raw in enumerate(text.splitlines(), 1):
        line = _cut(number, raw, listing.problems)
        if line is None:
            continue
        first = line.alone[0]
        reader = _READERS.get(first)
        if reader is not None:
            reader(line, listing)
            continue
        _read_part(line, listing, seen)
    if not listing.parts:
        listing.problems.append(Problem("line", "list", "there is no part in it"))
    if listing.untyped_is_typical:
        listing.notes += fit_supply(listing.parts, listing.typed)
    return listing


def _cut(number: int, raw: str, problems: list[Problem]) -> _Line | None:
    try:
        words = shlex.split(raw, comments=True)
    except ValueError:
        problems.append(Problem("line", f"line {number}", "a quotation mark is not closed"))
        return None
    if not words:
        return None
    line = _Line(number, [], {}, problems)
    for word in words:
        name, is_given, value = word.partition("=")
        if not is_given or " " in name:
            line.alone.append(word)
        elif name in line.given:
            line.wrong(f"“{name}” is given twice")
        else:
            line.given[name] = value
    if not line.alone:
        line.wrong("a line begins with the name of a part, or with machine, oil, engine or point")
        return None
    return line


def _read_machine(line: _Line, listing: Listing) -> None:
    listing.head["name"] = " ".join(line.alone[1:]) or "Machine"
    listing.head["machine_kind"] = line.take("kind", "machine")
    listing.head["family"] = line.take("family", "own").split(",")
    named = line.take("id")
    if named:
        listing.head["id"] = named
    untyped = line.take("untyped", "typical")
    if untyped not in ("typical", "known"):
        line.wrong(f"untyped is typical or known, not “{untyped}”")
    listing.untyped_is_typical = untyped != "known"
    line.nothing_left(("kind", "family", "id", "untyped"))


def _read_oil(line: _Line, listing: Listing) -> None:
    numbers = [line.number_of("oil", word) for word in line.alone[2:]]
    if len(numbers) != 2:
        line.wrong("oil wants its grade and its viscosity at 40 and at 100 °C", "oil HVLP46 46 7.9")
        return
    fluid: dict[str, Any] = {
        "grade": line.alone[1],
        "viscosity_40_c_mm2_s": numbers[0],
        "viscosity_100_c_mm2_s": numbers[1],
    }
    names = ("density_kg_m3", "bulk_modulus_bar", "oil_c_low", "oil_c_high")
    for name in names:
        if name in line.given:
            fluid[name] = line.number_of(name, line.take(name))
    line.nothing_left(names)
    listing.head["fluid"] = fluid


def _read_engine(line: _Line, listing: Listing) -> None:
    if len(line.alone) < 2:
        line.wrong("an engine wants a name", 'engine engine "Engine" rated=1800')
        return
    rated = line.number_of("rated", line.take("rated", "1800")) or 1800.0
    listing.engines.append(
        {
            "id": line.alone[1],
            "label": " ".join(line.alone[2:]) or line.alone[1],
            "idle_rpm": line.number_of("idle", line.take("idle", f"{0.5 * rated:g}")),
            "rated_rpm": rated,
            "max_rpm": line.number_of("max", line.take("max", f"{1.1 * rated:g}")),
        }
    )
    line.nothing_left(("idle", "rated", "max"))


def _read_point(line: _Line, listing: Listing) -> None:
    if len(line.alone) < 2 or "net" not in line.given:
        line.wrong("a point wants a name and its net", "point gauge net=p methods=tee_gauge")
        return
    point: dict[str, Any] = {
        "id": line.alone[1],
        "label": line.take("label") or " ".join(line.alone[2:]) or line.alone[1],
        "net": line.take("net"),
        "fitting": line.take("fitting", "test coupling"),
        "access_min": line.number_of("access", line.take("access", "5")),
        "methods": line.take("methods", "tee_gauge").split(","),
    }
    if "port" in line.given:
        point["port"] = line.take("port")
    line.nothing_left(("net", "port", "label", "fitting", "access", "methods"))
    listing.points.append(point)
    listing.lines[f"test point {point['id']}"] = line.number


def _read_function(line: _Line, listing: Listing) -> None:
    if len(line.alone) < 2 or "moves" not in line.given:
        line.wrong("a function wants a name and what it moves", "function ram moves=ram stroke=600")
        return
    actuator, _, port = line.take("moves").partition(".")
    function: dict[str, Any] = {
        "id": line.alone[1],
        "label": line.take("label") or " ".join(line.alone[2:]) or line.alone[1],
        "actuator": actuator,
        "actuator_port": port or "rod",
        "stroke_mm": line.number_of("stroke", line.take("stroke", "0")),
        "moves": {},
    }
    if "load" in line.given:
        function["load"], *more = line.take("load").split(",")
        function |= {"more_loads": more} if more else {}
    loads: dict[str, dict[str, float]] = {}
    for key in list(line.given):
        if key.startswith("load.") and key[5:] in get_args(LoadState):
            loads[key[5:]] = _commands(line, key, line.take(key))
    if loads:
        function["loads"] = loads
    known = tuple(f"load.{name}" for name in get_args(LoadState))
    line.nothing_left(("moves", "stroke", "load", "label", *known))
    listing.functions.append(function)
    listing.lines[f"function {function['id']}"] = line.number


def _commands(line: _Line, name: str, text: str) -> dict[str, float]:
    """``command:value`` by commas; nothing for an empty one."""
    found = {}
    for word in filter(None, text.split(",")):
        command, _, value = word.partition(":")
        number = line.number_of(name, value)
        if number is not None:
            found[command] = number
    return found


def _read_move(line: _Line, listing: Listing) -> None:
    function = next(
        (f for f in listing.functions if len(line.alone) > 2 and f["id"] == line.alone[1]), None
    )
    if function is None:
        line.wrong(
            "a move wants its function, which is typed before it, and a name",
            "move ram out lever.lever=1 direction=1",
        )
        return
    move: dict[str, Any] = {"label": line.take("label") or " ".join(line.alone[3:])}
    move["label"] = move["label"] or line.alone[2].replace("_", " ")
    if "direction" in line.given:
        move["direction"] = line.number_of("direction", line.take("direction"))
    commands = {name: line.number_of(name, line.take(name)) for name in list(line.given)}
    move["commands"] = {name: value for name, value in commands.items() if value is not None}
    if line.alone[2] in function["moves"]:
        line.wrong(f"{function['id']} has a move “{line.alone[2]}” already")
    function["moves"][line.alone[2]] = move


def _read_specification(line: _Line, listing: Listing) -> None:
    wanted = ("quantity", "at", "state")
    if len(line.alone) < 2 or any(name not in line.given for name in wanted):
        line.wrong(
            "a specification wants a name, a quantity, where and in which state it is read",
            "spec relief quantity=pressure_bar at=gauge state=ram_out_stalled low=180 high=195",
        )
        return
    spec: dict[str, Any] = {
        "id": line.alone[1],
        "quantity": line.take("quantity"),
        "point": line.take("at"),
        "state": line.take("state"),
        "source": line.take("source", "typed"),
    }
    for limit in ("low", "high"):
        if limit in line.given:
            spec[limit] = line.number_of(limit, line.take(limit))
    line.nothing_left((*wanted, "low", "high", "source"))
    listing.specifications.append(spec)
    listing.lines[f"specification {spec['id']}"] = line.number


def _read_timing(line: _Line, listing: Listing) -> None:
    wanted = ("of", "phases")
    if len(line.alone) < 2 or any(name not in line.given for name in wanted):
        line.wrong(
            "a timing wants a name, what is read, and the states it goes through with their seconds",
            "timing held of=left_bar at=gauge phases=ram_out_stalled:5,held:60",
        )
        return
    timing: dict[str, Any] = {
        "id": line.alone[1],
        "label": line.take("label") or " ".join(line.alone[2:]) or line.alone[1],
        "of": line.take("of"),
        "phases": _phases(line, line.take("phases")),
    }
    places = {"at": "point", "function": "function"}
    numbers = {"level": "level_bar", "air": "ambient_c", "setup": "setup_min"}
    for name in [n for n in places if n in line.given]:
        timing[places[name]] = line.take(name)
    for name in [n for n in numbers if n in line.given]:
        timing[numbers[name]] = line.number_of(name, line.take(name))
    if "start" in line.given:
        timing["places"] = _commands(line, "start", line.take("start"))
    line.nothing_left((*wanted, *places, *numbers, "start", "label"))
    listing.timings.append(timing)
    listing.lines[f"timing {timing['id']}"] = line.number


def _phases(line: _Line, text: str) -> list[dict[str, Any]]:
    """``state:seconds``, or ``state:seconds:ramp``, by commas."""
    found: list[dict[str, Any]] = []
    for word in filter(None, text.split(",")):
        state, *times = word.split(":")
        if len(times) not in (1, 2):
            line.wrong(f"phases: “{word}” is no state with its seconds", "held:60")
            continue
        phase: dict[str, Any] = {"state": state}
        for name, value in zip(("seconds", "ramp_s"), times, strict=False):
            phase[name] = line.number_of("phases", value)
        found.append(phase)
    return found


_READERS: Mapping[str, Callable[[_Line, Listing], None]] = {
    "machine": _read_machine,
    "oil": _read_oil,
    "engine": _read_engine,
    "point": _read_point,
    "function": _read_function,
    "move": _read_move,
    "spec": _read_specification,
    "timing": _read_timing,
}


def _read_part(line: _Line, listing: Listing, seen: set[str]) -> None:
    if len(line.alone) < 2:
        line.wrong(f"“{line.alone[0]}” wants its type", _meant(line.alone[0], tuple(_READERS)))
        return
    name, type_name, *label = line.alone
    if name in seen:
        line.wrong(f"there is a part “{name}” already")
    seen.add(name)
    if not _NAME.match(name):
        line.wrong(f"“{name}” is no name for a part", "small letters, digits and _")
        return
    if type_name not in component_types():
        found = find_types(type_name).names[:3]
        line.wrong(f"there is no type “{type_name}”", f"did you mean {' or '.join(found)}?")
        return
    kind = component_type(type_name)
    ports = (*kind.port_names(), *kind.link_names())
    part: dict[str, Any] = {
        "id": name,
        "type": type_name,
        "label": line.take("label") or " ".join(label) or kind.label,
        "location": line.take("at"),
        "parameters": {},
        "connections": {},
        "ratings": {},
    }
    service: dict[str, Any] = {}
    guessed: dict[str, bool] = {}
    for word, kept_as in _SERVICE.items():
        if word in line.given:
            number = line.number_of(word, line.take(word))
            if number is not None:
                service[kept_as] = number
    if "serviceable" in line.given:
        service["serviceable"] = line.take("serviceable") in ("yes", "1", "true")
    if "adjust" in line.given:
        _read_adjust(line, line.take("adjust"), service)
    if "weight" in line.given:
        part["fault_weight"] = line.number_of("weight", line.take("weight"))
    if "never" in line.given:
        part["rules_out"] = [name.strip() for name in line.take("never").split(",")]
    if "carries" in line.given:
        listing.carries[name] = _yes(line, "carries")
    for key in list(line.given):
        value = line.given[key]
        if key in ports:
            net = line.take(key)
            if net == OPEN:
                line.wrong(f"port {key} waits for the net it is joined to")
                listing.open.append((name, key))
            elif not _NAME.match(net):
                line.wrong(f"“{net}” is no name for a net", "small letters, digits and _")
            else:
                part["connections"][key] = net
        elif key in kind.Parameters.model_fields:
            text = line.take(key)
            number = None if text == GUESS else line.number_of(key, text.removeprefix(GUESS))
            if number is not None:
                part["parameters"][key] = number
            guessed[key] = text.startswith(GUESS)
        elif key.startswith("max.") and key[4:] in ports:
            bar = line.number_of(key, line.take(key))
            if bar is not None:
                part["ratings"][key[4:]] = bar
        else:
            known = (*ports, *kind.Parameters.model_fields, *OWN_WORDS)
            line.wrong(f"{type_name} has no “{key}” (={value})", _meant(key, known))
    if service:
        part["service"] = service
    typical = [
        name
        for name in kind.Parameters.model_fields
        if kind.guessed(name) > 0.0
        and guessed.get(name, listing.untyped_is_typical and kind.typed(name))
    ]
    if typical:
        part["typical"] = typical
    listing.parts.append(part)
    listing.typed.append(set(part["parameters"]))
    listing.lines[f"component {name}"] = line.number


def _yes(line: _Line, key: str) -> bool:
    said = line.take(key)
    if said not in ("yes", "no"):
        line.wrong(f"{key} is yes or no, not “{said}”")
    return said == "yes"


def _read_adjust(line: _Line, text: str, service: dict[str, Any]) -> None:
    parameter, *rest = text.split(":")
    steps = {"t": "bar_per_turn", "s": "bar_per_shim"}
    given = len(rest) == 2 and (rest[0] == "-" or rest[0][-1:] in steps)
    if not given:
        line.wrong("adjust wants parameter:bar per turn or shim:limit", "adjust=set_bar:25t:190")
        return
    service["adjuster"] = {"parameter": parameter, "limit": line.number_of("adjust", rest[1])}
    if rest[0] != "-":
        service["adjuster"][steps[rest[0][-1]]] = line.number_of("adjust", rest[0][:-1])


def _meant(word: str, known: Sequence[str]) -> str:
    close = difflib.get_close_matches(word, known, n=3, cutoff=0.5)
    return f"did you mean {' or '.join(close)}?" if close else f"known: {', '.join(known[:14])}"


def document_of(listing: Listing, beside: Circuit | None = None) -> Circuit:
    """The circuit that a list says; what a list does not say is taken from the circuit beside it.

    Raises
    ------
    FormatError : a line is wrong; all of them are named.
    """
    if listing.problems:
        raise FormatError(
            f"{len(listing.problems)} things to mend in the list", tuple(listing.problems)
        )
    name = str(listing.head.get("name", "Machine"))
    data: dict[str, Any] = {
        "format": "umweg-circuit/1",
        "id": identifier(name),
        "name": name,
        "family": ["own"],
        "machine_kind": "machine",
        "fluid": {"grade": "HVLP 46", "viscosity_40_c_mm2_s": 46, "viscosity_100_c_mm2_s": 7.9},
    }
    if beside is not None:
        data = beside.model_dump(mode="json", exclude_unset=True)
    data |= listing.head
    data |= {
        "prime_movers": listing.engines,
        "components": listing.parts,
        "test_points": listing.points,
    }
    if listing.functions:
        data["functions"] = listing.functions
    try:
        return Circuit.model_validate(data)
    except ValidationError as error:
        raise FormatError(
            "the list does not make a circuit", tuple(placed(error, listing))
        ) from error


def placed(
    error: ValidationError, listing: Listing, before: Mapping[str, int] = MappingProxyType({})
) -> Iterator[Problem]:
    """What validation finds, at the line of what it is in; ``before`` so many that nobody typed."""
    for found in error.errors():
        where = ".".join(str(p) for p in found["loc"]) or "list"
        typed = {
            "components": (listing.parts, "component"),
            "test_points": (listing.points, "test point"),
            "functions": (listing.functions, "function"),
            "specifications": (listing.specifications, "specification"),
            "timings": (listing.timings, "timing"),
        }
        if len(found["loc"]) > 1 and found["loc"][0] in typed:
            items, what = typed[str(found["loc"][0])]
            item = items[int(found["loc"][1]) - before.get(str(found["loc"][0]), 0)]
            number = listing.lines.get(f"{what} {item['id']}", 0)
            where = f"line {number}"
        yield Problem("line", where, found["msg"])


def identifier(name: str) -> str:
    """A name as an identifier: lower case, everything else an underscore."""
    plain = "".join(c if c.isascii() and c.isalnum() else "_" for c in name.lower())
    joined = "_".join(word for word in plain.split("_") if word)
    return f"m_{joined}"[:60] if not joined[:1].isalpha() else joined[:60]


def write_listing(circuit: Circuit, untyped: Literal["known", "typical"] = "known") -> str:
    """The list of a circuit; reading it gives the same parts, joins and points.

    Parameters
    ----------
    untyped : what a number is that is not in the list, the machine's own or the type's typical one
    """
    fluid = circuit.fluid
    lines = [
        _words("machine", circuit.name)
        + _given({"kind": circuit.machine_kind, "family": ",".join(circuit.family)})
        + (f" id={circuit.id} untyped=known" if untyped == "known" else ""),
        _words("oil", fluid.grade)
        + f" {_number(fluid.viscosity_40_c_mm2_s)} {_number(fluid.viscosity_100_c_mm2_s)}"
        + _given(
            {
                name: _number(getattr(fluid, name))
                for name in ("density_kg_m3", "bulk_modulus_bar", "oil_c_low", "oil_c_high")
            }
        ),
    ]
    lines += [
        _words("engine", e.id, e.label)
        + f" idle={_number(e.idle_rpm)} rated={_number(e.rated_rpm)} max={_number(e.max_rpm)}"
        for e in circuit.prime_movers
    ]
    lines.append("")
    for part in circuit.components:
        given = dict(part.connections)
        given |= {
            name: (GUESS if name in part.typical else "") + _number(value)
            for name, value in part.parameters.items()
        }
        if untyped == "known":
            given |= {name: GUESS for name in part.typical if name not in part.parameters}
        given |= {f"max.{port}": _number(bar) for port, bar in part.ratings.items()}
        if part.location:
            given["at"] = part.location
        service = part.service
        if service != Service():
            given |= {
                "access": _number(service.access_min),
                "replace": _number(service.replace_min),
                "cost": _number(service.part_cost),
            }
        if service.serviceable:
            given["serviceable"] = "yes"
        if service.adjuster is not None:
            a = service.adjuster
            step = "-"
            if a.bar_per_turn is not None:
                step = f"{_number(a.bar_per_turn)}t"
            elif a.bar_per_shim is not None:
                step = f"{_number(a.bar_per_shim)}s"
            given["adjust"] = f"{a.parameter}:{step}:{_number(a.limit)}"
        if part.fault_weight != 1.0:
            given["weight"] = _number(part.fault_weight)
        if part.rules_out:
            given["never"] = ",".join(part.rules_out)
        lines.append(_labelled((part.id, part.type), part.label, given))
    lines.append("")
    for point in circuit.test_points:
        given = {"net": point.net}
        if point.port is not None:
            given["port"] = point.port
        given |= {
            "methods": ",".join(point.methods),
            "fitting": point.fitting,
            "access": _number(point.access_min),
        }
        lines.append(_labelled(("point", point.id), point.label, given))
    for function in circuit.functions:
        given = {"moves": f"{function.actuator}.{function.actuator_port}"}
        if function.stroke_mm:
            given["stroke"] = _number(function.stroke_mm)
        if function.load is not None:
            given["load"] = ",".join(function.all_loads)
        given |= {f"load.{name}": _listed(commands) for name, commands in function.loads.items()}
        lines.append(_labelled(("function", function.id), function.label, given))
        for name, move in function.moves.items():
            given = {command: _number(value) for command, value in move.commands.items()}
            if move.direction is not None:
                given["direction"] = _number(move.direction)
            lines.append(_labelled(("move", function.id, name), move.label, given))
    return "\n".join(lines) + "\n"


def _listed(commands: Mapping[str, float]) -> str:
    return ",".join(f"{name}:{_number(value)}" for name, value in commands.items())


def _labelled(words: Sequence[str], label: str, given: Mapping[str, str]) -> str:
    if "=" in label:
        return _words(*words) + _given({"label": label, **given})
    return _words(*words, label) + _given(given)


def _number(value: float) -> str:
    return repr(float(value)).removesuffix(".0")


def _words(*words: str) -> str:
    return " ".join(_quoted(w) for w in words)


def _given(values: Mapping[str, str]) -> str:
    return "".join(f" {name}={_quoted(value)}" for name, value in values.items())


def _quoted(text: str) -> str:
    plain = text and all(c.isalnum() or c in "_-.,:/+~" for c in text)
    return text if plain else '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'
