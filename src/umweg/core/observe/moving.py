"""The states in which an operator judges how a function moves."""

from collections.abc import Iterable
from typing import Literal

from umweg.core.circuit.document import Circuit, MachineState

When = Literal["cold", "warm", "hot"]
OIL_C_OF_WHEN: dict[str, float] = {"cold": 15.0, "warm": 50.0, "hot": 80.0}


def behaviour_states(
    circuit: Circuit, function_id: str, move: str, when: str
) -> list[MachineState]:
    """The states in which an operator judges a function: light, loaded, held."""
    function = circuit.function(function_id)
    oil_c = OIL_C_OF_WHEN[when]
    states = []
    for load in ("free", "working"):
        if load in function.loads:
            states.append(
                MachineState(
                    label=f"{function.label} {function.moves[move].label}, {load}",
                    engine="rated",
                    oil_c=oil_c,
                    moves={function_id: move},
                    loads={function_id: load},
                )
            )
    if not states:
        label = f"{function.label} {function.moves[move].label}"
        moves = {function_id: move}
        states.append(MachineState(label=label, engine="rated", oil_c=oil_c, moves=moves))
    states.append(
        MachineState(
            label=f"{function.label} held", engine="idle", oil_c=oil_c, loads={function_id: "held"}
        )
    )
    return states


def moving_states(circuit: Circuit, function_id: str, move: str, when: str) -> list[MachineState]:
    """Those of them in which it moves, light to loaded."""
    return behaviour_states(circuit, function_id, move, when)[:-1]


def judged_in(circuit: Circuit, function_id: str, move: str, when: str) -> list[MachineState]:
    """Those of them that say anything: a function that is never held cannot drift."""
    *moving, held = behaviour_states(circuit, function_id, move, when)
    return [*moving, held] if "held" in circuit.function(function_id).loads else moving


def neutral_with_load(state: MachineState) -> MachineState:
    """The same with the lever let go."""
    return state.model_copy(update={"moves": {}, "label": f"{state.label}, lever let go"})


def tried_in(state: MachineState, commands: Iterable[tuple[str, float]]) -> MachineState:
    """The same with commands given beside it, to see what happens."""
    given = dict(commands)
    if not given:
        return state
    return state.model_copy(update={"settings": {**state.settings, **given}})
