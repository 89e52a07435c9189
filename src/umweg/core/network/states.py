"""Does a machine state, and what it commands, fit the circuit."""

from collections.abc import Mapping

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components import component_types
from umweg.core.components.base import Command
from umweg.core.errors import Problem


def command_of(circuit: Circuit, key: str) -> Command | None:
    """The command ``component.command``, if the circuit has it."""
    owner, _, name = key.partition(".")
    kinds = component_types()
    for part in circuit.components:
        if part.id == owner and part.type in kinds:
            return next((c for c in kinds[part.type].commands if c.name == name), None)
    return None


def command_problems(circuit: Circuit, where: str, commands: Mapping[str, float]) -> list[Problem]:
    """Commands, by ``component.command``, that the circuit lacks or cannot be given this value."""
    found = []
    kinds = component_types()
    moved = {
        f"{part.id}.{name}": part.connections[name]
        for part in circuit.components
        if part.type in kinds
        for name in kinds[part.type].levers
        if name in part.connections
    }
    for key, value in commands.items():
        command = command_of(circuit, key)
        if command is None:
            found.append(Problem("no_command", where, f"no command “{key}”"))
        elif not command.low <= value <= command.high:
            found.append(
                Problem(
                    "command_range",
                    where,
                    f"“{key}” is given {value:g}",
                    f"it goes from {command.low:g} to {command.high:g}",
                )
            )
        if key in moved:
            found.append(
                Problem(
                    "linked_command",
                    where,
                    f"“{key}” is moved by the linkage on net {moved[key]}",
                    "command the linkage's lever in its place",
                )
            )
    return found


def state_problems(circuit: Circuit, state: MachineState) -> list[Problem]:
    """Everything in a state that the circuit does not have."""
    where = f"state {state.label}"
    found: list[Problem] = []
    functions = {f.id: f for f in circuit.functions}
    for function_id in (*state.moves, *state.loads):
        if function_id not in functions:
            found.append(Problem("no_function", where, f"there is no function “{function_id}”"))
    for function_id, move in state.moves.items():
        if function_id in functions and move not in functions[function_id].moves:
            known = ", ".join(functions[function_id].moves)
            found.append(
                Problem("no_move", where, f"“{function_id}” has no move “{move}”", f"has {known}")
            )
    for function_id, load in state.loads.items():
        if function_id in functions and load not in functions[function_id].loads:
            found.append(Problem("no_load", where, f"“{function_id}” has no load “{load}”"))
    found += command_problems(circuit, where, state.settings)
    points = {p.id: p for p in circuit.test_points}
    for intervention in state.interventions:
        point = points.get(intervention.point)
        if point is None or intervention.kind not in point.methods:
            found.append(
                Problem(
                    "no_kit",
                    where,
                    f"nothing can be connected as {intervention.kind} at “{intervention.point}”",
                )
            )
    return found
