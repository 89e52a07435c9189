"""``check``: every mistake of a circuit document at once, each with its place and its mend."""

from collections.abc import Mapping, Set
from typing import get_args

from pydantic import ValidationError

from umweg.core.circuit.document import (
    METHOD_DOMAIN,
    Circuit,
    Component,
    Function,
    Interlock,
    Specification,
    TestPoint,
    TimedKind,
    Timing,
)
from umweg.core.components import component_types
from umweg.core.components.base import ComponentType, Domain
from umweg.core.errors import CircuitError, Problem
from umweg.core.network.states import command_problems, state_problems
from umweg.core.network.ways import Ways


def check_circuit(circuit: Circuit) -> None:
    """Refuse a document that cannot be a circuit.

    Raises
    ------
    CircuitError : with every problem found; nothing of the document is used.
    """
    problems = circuit_problems(circuit)
    if problems:
        noun = "problem" if len(problems) == 1 else "problems"
        raise CircuitError(f"circuit “{circuit.id}” has {len(problems)} {noun}", tuple(problems))


def circuit_problems(circuit: Circuit) -> list[Problem]:
    """All findings, in the order of the document's parts."""
    known = component_types()
    problems = _duplicates(circuit)
    usable: list[Component] = []
    for component in circuit.components:
        found = _component_problems(component, known.get(component.type))
        problems += found
        if not found:
            usable.append(component)
    problems += _net_problems(circuit, usable)
    if len(usable) == len(circuit.components):
        problems += _way_problems(circuit, usable)
    problems += _reference_problems(circuit)
    return problems


def _duplicates(circuit: Circuit) -> list[Problem]:
    problems = []
    for kind, ids in (
        ("component", [c.id for c in circuit.components]),
        ("function", [f.id for f in circuit.functions]),
        ("test point", [p.id for p in circuit.test_points]),
        ("specification", [s.id for s in circuit.specifications]),
        ("timing", [t.id for t in circuit.timings]),
    ):
        for name in sorted({i for i in ids if ids.count(i) > 1}):
            problems.append(Problem("duplicate", f"{kind} {name}", "this id is used twice"))
    return problems


def _component_problems(component: Component, kind: type[ComponentType] | None) -> list[Problem]:
    where = f"component {component.id}"
    if kind is None:
        known = ", ".join(component_types())
        return [
            Problem("no_type", where, f"type “{component.type}” is not known", f"known: {known}")
        ]
    problems = []
    ports = (*kind.port_names(), *kind.link_names())
    for port in ports:
        if port not in component.connections and port not in kind.levers:
            problems.append(
                Problem("open_port", f"{where}, port {port}", "is not connected to a net")
            )
    for port in component.connections:
        if port not in ports:
            problems.append(
                Problem(
                    "no_port",
                    f"{where}, port {port}",
                    "there is no such port",
                    f"a {kind.label.lower()} has {', '.join(ports)}",
                )
            )
    for port in component.ratings:
        if port not in ports:
            problems.append(Problem("no_port", f"{where}, rating {port}", "there is no such port"))
    try:
        kind.Parameters.model_validate(component.parameters)
    except ValidationError as error:
        for e in error.errors():
            name = str(e["loc"][0])
            unit = kind.unit(name) if name in kind.Parameters.model_fields else ""
            problems.append(
                Problem(
                    "parameter",
                    f"{where}, parameter {name}",
                    f"{e['msg']}, got {e['input']}",
                    f"in {unit}" if unit else "not a parameter of this type",
                )
            )
    problems += [
        Problem("parameter", f"{where}, typical", f"“{name}” is no parameter of this type")
        for name in component.typical
        if name not in kind.Parameters.model_fields
    ]
    modes = [m.name for m in kind.fault_modes]
    problems += [
        Problem(
            "parameter",
            f"{where}, rules_out",
            f"“{name}” is no fault of this type",
            f"it has: {', '.join(modes) or 'none'}",
        )
        for name in component.rules_out
        if name not in modes
    ]
    adjuster = component.service.adjuster
    if adjuster is not None and adjuster.parameter not in kind.adjustable:
        problems.append(
            Problem("adjuster", where, f"“{adjuster.parameter}” cannot be adjusted on this type")
        )
    return problems


def _net_problems(circuit: Circuit, usable: list[Component]) -> list[Problem]:
    problems = []
    kinds = component_types()
    ends: dict[str, list[tuple[str, str]]] = {
        m.id: [(m.id, "rotation")] for m in circuit.prime_movers
    }
    boundary = {m.id for m in circuit.prime_movers}
    for component in usable:
        for port in kinds[component.type].ports:
            net = component.connections[port.name]
            ends.setdefault(net, []).append((f"{component.id}.{port.name}", port.domain))
            if port.boundary:
                boundary.add(net)
    problems += _link_problems(usable, ends)
    for net, members in ends.items():
        domains = {domain for _, domain in members}
        if len(domains) > 1:
            names = ", ".join(f"{name} ({domain})" for name, domain in members)
            problems.append(
                Problem("mixed_net", f"net {net}", f"joins what does not join: {names}")
            )
        if len(members) == 1 and net not in boundary and len(usable) == len(circuit.components):
            problems.append(
                Problem(
                    "dead_end",
                    f"net {net}",
                    f"has one end only, at {members[0][0]}",
                    "a misspelt net name, or a missing plug, gauge port or load",
                )
            )
    return problems


def _link_problems(
    usable: list[Component], ends: dict[str, list[tuple[str, str]]]
) -> list[Problem]:
    """Put the linkages' connections among the nets' ends; each needs just one linkage."""
    problems = []
    kinds = component_types()
    givers: dict[str, list[str]] = {}
    for component in usable:
        kind = kinds[component.type]
        for name in kind.link_names():
            net = component.connections.get(name)
            if net is None:
                continue
            ends.setdefault(net, []).append((f"{component.id}.{name}", "travel"))
            giver = givers.setdefault(net, [])
            if name not in kind.levers:
                giver.append(component.id)
    for net, ids in givers.items():
        if len(ids) != 1:
            what = "moved by no linkage" if not ids else f"moved by {', '.join(ids)} at once"
            problems.append(Problem("linkage", f"net {net}", what, "join one linkage to it"))
    return problems


def _way_problems(circuit: Circuit, parts: list[Component]) -> list[Problem]:
    """Ways of the oil that must exist: to tank, past a relief; and sources kept apart."""
    problems = []
    kinds = component_types()
    oil, barred, onward = Ways(), Ways(), Ways()
    tanks: set[str] = set()
    pumps = []
    for part in parts:
        kind = kinds[part.type]
        nets = [part.connections[p.name] for p in kind.ports if p.domain == "hydraulic"]
        tanks |= {
            part.connections[p.name] for p in kind.ports if p.boundary and p.domain == "hydraulic"
        }
        oil.join(nets)
        if kind.makes_flow:
            pumps.append(part)
        elif kind.one_way and len(nets) == 2:
            onward.lead(*nets)
        elif not any(p.boundary for p in kind.ports) and len(nets) == 2:
            barred.join(nets)
            onward.join(nets)
    if not tanks:
        return [Problem("no_tank", "circuit", "has no tank", "add a reservoir")]
    drained = oil.reached(tanks)
    for net in sorted(oil.nets - drained):
        problems.append(Problem("no_way", f"net {net}", "has no way to tank"))
    inlets = {p.connections[kinds[p.type].ports[0].name] for p in parts if kinds[p.type].relieves}
    for pump in pumps:
        outlet = pump.connections[kinds[pump.type].ports[1].name]
        reach = barred.reached({outlet})
        # A relief behind a check that opens away from the pump bounds it as well.
        bounded = onward.reached({outlet})
        if not kinds[pump.type].limits_itself and not bounded & inlets:
            problems.append(
                Problem(
                    "no_relief",
                    f"component {pump.id}, port outlet",
                    "no relief valve bounds the pressure of this pump",
                    "add a relief on the outlet, or behind a check that opens away from it",
                )
            )
        others = [
            o.id
            for o in pumps
            if o.id > pump.id and o.connections[kinds[o.type].ports[1].name] in reach
        ]
        for other in others:
            problems.append(
                Problem(
                    "joined_pumps",
                    f"component {pump.id}, port outlet",
                    f"pushes on the same net as “{other}” without a check between",
                    "add a check behind each pump",
                )
            )
    return problems


def _reference_problems(circuit: Circuit) -> list[Problem]:
    """Functions, states, points and specifications that name something that is not there."""
    parts = {c.id: c for c in circuit.components}
    nets = {net for part in circuit.components for net in part.connections.values()}
    kinds = component_types()
    domains: dict[str, Domain] = {
        part.connections[port.name]: port.domain
        for part in circuit.components
        if part.type in kinds
        for port in kinds[part.type].ports
        if port.name in part.connections
    }
    problems: list[Problem] = []
    for function in circuit.functions:
        problems += _function_problems(circuit, parts, function)
    for point in circuit.test_points:
        problems += _point_problems(parts, nets, domains, point)
    for machine_state in circuit.states.values():
        problems += state_problems(circuit, machine_state)
    for interlock in circuit.interlocks:
        problems += _interlock_problems(circuit, parts, interlock)
    for spec in circuit.specifications:
        problems += _specification_problems(circuit, parts, spec)
    for timing in circuit.timings:
        problems += _timing_problems(circuit, timing)
    return problems


def _function_problems(
    circuit: Circuit, parts: Mapping[str, Component], function: Function
) -> list[Problem]:
    where = f"function {function.id}"
    problems = []
    actuator = parts.get(function.actuator)
    if actuator is None or function.actuator_port not in actuator.connections:
        missing = f"there is no actuator “{function.actuator}.{function.actuator_port}”"
        problems.append(Problem("no_actuator", where, missing))
    for name, move in function.moves.items():
        problems += command_problems(circuit, f"{where}, move {name}", move.commands)
    for state, values in function.loads.items():
        for load in function.all_loads or ("None",):
            commands = {f"{load}.{key}": value for key, value in values.items()}
            problems += command_problems(circuit, f"{where}, load {state}", commands)
    return problems


def _point_problems(
    parts: Mapping[str, Component],
    nets: Set[str],
    domains: Mapping[str, Domain],
    point: TestPoint,
) -> list[Problem]:
    where = f"test point {point.id}"
    problems = []
    if point.net not in nets:
        problems.append(Problem("no_net", where, f"there is no net “{point.net}”"))
    for method in point.methods:
        domain = domains.get(point.net, METHOD_DOMAIN[method])
        if domain != METHOD_DOMAIN[method]:
            words = f"“{method}” cannot be used on “{point.net}”, which is {domain}"
            problems.append(Problem("wrong_method", where, words))
    if point.port is None:
        if {"inline_flow", "cap"} & set(point.methods):
            problems.append(
                Problem("no_port", where, "a cap or an in-line meter needs the port that is opened")
            )
        return problems
    owner, _, port = point.port.partition(".")
    if owner not in parts or parts[owner].connections.get(port) != point.net:
        problems.append(
            Problem("no_port", where, f"“{point.port}” is not a port on net “{point.net}”")
        )
    return problems


def _interlock_problems(
    circuit: Circuit, parts: Mapping[str, Component], interlock: Interlock
) -> list[Problem]:
    where = f"interlock {interlock.id}"
    problems = []
    if interlock.switch is not None and interlock.switch not in parts:
        problems.append(Problem("no_switch", where, f"there is no component “{interlock.switch}”"))
    known = {f.id for f in circuit.functions}
    for name in interlock.functions:
        if name not in known:
            problems.append(Problem("no_function", where, f"there is no function “{name}”"))
    return problems


WATCHED: Mapping[str, tuple[bool, bool, bool]] = {
    "peak_bar": (True, False, False),
    "left_bar": (True, False, False),
    "within_s": (True, False, True),
    "interval_s": (False, False, False),
    "moved_mm": (False, True, False),
    "settled_c": (False, False, False),
}
"""Does a kind of timing need a test point, a function, a level."""


def _timing_problems(circuit: Circuit, timing: Timing) -> list[Problem]:
    where = f"timing {timing.id}"
    problems = [
        Problem("no_state", where, f"there is no state “{p.state}”")
        for p in timing.phases
        if p.state not in circuit.states
    ]
    point, function, level = WATCHED[timing.of]
    if timing.of == "within_s" and timing.function is not None:
        # A stroke: until the rod stands at its end.
        point, function, level = False, True, False
    for wanted, given, what in (
        (point, timing.point, "point"),
        (function, timing.function, "function"),
        (level, timing.level_bar, "level_bar"),
    ):
        if wanted and given is None:
            problems.append(Problem("no_" + what, where, f"“{timing.of}” needs a {what}"))
    points = {p.id for p in circuit.test_points if p.hydraulic}
    if timing.point is not None and timing.point not in points:
        problems.append(Problem("no_point", where, f"there is no gauge point “{timing.point}”"))
    rods = {f.id for f in circuit.functions if f.stroke_mm > 0}
    named = {*timing.places, *([timing.function] if timing.function is not None else [])}
    for name in sorted(named - rods):
        problems.append(Problem("no_function", where, f"no function “{name}” has a stroke"))
    for name, share in timing.places.items():
        if not 0.0 <= share <= 1.0:
            problems.append(Problem("place", where, f"{name}: a place is 0 … 1 of the stroke"))
    return problems


def _specification_problems(
    circuit: Circuit, parts: Mapping[str, Component], spec: Specification
) -> list[Problem]:
    where = f"specification {spec.id}"
    problems = []
    if spec.state not in circuit.states:
        problems.append(Problem("no_state", where, f"there is no state “{spec.state}”"))
    elif circuit.states[spec.state].passing and spec.quantity not in get_args(TimedKind):
        problems.append(
            Problem("passing", where, f"“{spec.state}” stands only for a moment: read it in time")
        )
    places: Set[str] = {p.id for p in circuit.test_points}
    if spec.quantity in ("speed_mm_s", "speed_rpm", "drift_mm_min"):
        places = {f.id for f in circuit.functions}
    elif spec.quantity == "indicator":
        places = parts.keys()
    elif spec.quantity in get_args(TimedKind):
        places = {t.id for t in circuit.timings if t.of == spec.quantity and t.state == spec.state}
    if spec.point not in places:
        problems.append(Problem("no_point", where, f"there is no “{spec.point}” to read it at"))
    if spec.low is None and spec.high is None:
        problems.append(Problem("no_limit", where, "has neither a low nor a high limit"))
    return problems
