"""What passes a piston: at its stop, the hose of the side that is not pressed off, a jug under it."""

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal, get_args

import numpy as np

from umweg.core.circuit.document import Circuit, Component, MachineState, Text
from umweg.core.components import component_type
from umweg.core.components.base import Array, evaluate
from umweg.core.errors import ObservationError
from umweg.core.network.network import SolvableState
from umweg.core.observe.exhibits import Exhibits, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import Answer, Asking, Left, Observed, Proposal, resolve_state
from umweg.core.observe.normal import normal_cdf
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import moved_net
from umweg.core.observe.weights import Told, told
from umweg.core.solve.steady import Cases, SteadySolver

Amount = Literal["drops", "trickle", "jet", "gush"]
AMOUNTS: tuple[Amount, ...] = get_args(Amount)
AMOUNT_WORDS: dict[Amount, str] = {
    "drops": "less than 10 mL in a minute",
    "trickle": "10 to 100 mL in a minute",
    "jet": "100 mL to 1 L in a minute",
    "gush": "more than 1 L in a minute",
}
EDGES_LPM = (0.01, 0.1, 1.0)
READ_SHARE = 0.3
"""One standard deviation of a minute's oil in a jug, and of the pressure that stood before it."""
LEAST_LPM = 1e-6
CATCH_MIN = 8.0
"""To take the hose off, plug it, watch for a minute, and put it on again."""
WATCHED = "hose of the side without pressure off and plugged, a jug under the port: what runs out?"
CAUTIONS = (
    "Before the hose comes off: drive stopped, what the cylinder carries secured, both sides without "
    "pressure.",
    "This way only: the lever the other way presses oil into the hose that is off.",
    "Keep hands and face away from the open port while it is pressed.",
)


class OilCaught(Observed):
    """How much oil passes a piston at its stop in a minute."""

    answered_by: ClassVar[str] = "amount"

    kind: Literal["caught"] = "caught"
    component: Text
    state: Text
    amount: Amount

    def topic(self) -> Hashable:
        """Which part, pressed how."""
        return self.kind, self.component, self.state

    def check(self, suspects: Suspects) -> None:
        """The part can be pressed against its stop in this state."""
        known = stops_of(suspects.circuit, self.component)
        if self.state not in known:
            raise ObservationError(
                f"nothing is caught at “{self.component}” in “{self.state}”; it stands at a "
                f"stop in {', '.join(known) or 'none of the states'}"
            )

    def words(self, circuit: Circuit) -> str:
        """Part, state, and how much it was."""
        label, state = circuit.component(self.component).label, circuit.states.get(self.state)
        where = self.state if state is None else state.label
        return f"{label}, past its piston: {AMOUNT_WORDS[self.amount]} — {where}"

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Told:
        """Against what passes each candidate's piston."""
        del instruments
        self.check(exhibits.suspects)
        seen = exhibits.seen(PassesBy(self.component, self.state))
        return told(self.id, seen[AMOUNTS.index(self.amount)], len(AMOUNTS))

    def solved_in(self, circuit: Circuit) -> Iterable[MachineState]:
        """In which it is pressed."""
        return (resolve_state(circuit, self.state),)

    def witnessed(
        self, machine: HiddenMachine, instrument: Instrument | None = None
    ) -> "OilCaught":
        """As much as passes, read in a jug."""
        del instrument
        circuit, solver = machine.circuit, machine.solver
        state = circuit.states[self.state]
        sound = machine.as_documented.across(state)
        cases = machine.cases(state.oil_c)
        across = machine.across(state, cases)[:, None]
        solvable = machine.network.state(machine.actual(state))
        passes = _passes_lpm(solver, self.component, solvable, cases, across, sound)
        read = float(passes[0]) * float(np.exp(READ_SHARE * machine.draw()))
        return self.model_copy(update={"amount": AMOUNTS[int(np.searchsorted(EDGES_LPM, read))]})

    def left(self, circuit: Circuit) -> Left | None:
        """Pressed against its stop."""
        return Left(circuit.states.get(self.state))

    @classmethod
    def sights(cls, circuit: Circuit) -> Iterable[tuple[str, "PassesBy", Sequence[MachineState]]]:
        """Everything that can be pressed against a stop, at each of its stops."""
        for part in circuit.components:
            for state in stops_of(circuit, part.id):
                yield "caught", PassesBy(part.id, state), ()

    @classmethod
    def proposals(cls, asking: Asking) -> Iterable[Proposal]:
        """For each part under suspicion past which oil may pass."""
        circuit = asking.circuit
        for component in dict.fromkeys(f.component_id for f in asking.suspected):
            for name in stops_of(circuit, component)[:1]:
                part, state = circuit.component(component), circuit.states[name]
                yield Proposal(
                    cls.model_fields["kind"].default,
                    component,
                    f"{part.label}: what passes its piston",
                    name,
                    f"{state.label}; {WATCHED}",
                    asking.minutes(state) + part.service.access_min + CATCH_MIN,
                    tuple(
                        Answer(
                            AMOUNT_WORDS[amount],
                            cls(id="new", component=component, state=name, amount=amount),
                        )
                        for amount in AMOUNTS
                    ),
                    asking.exhibits.seen(PassesBy(component, name)),
                    opens=(component,),
                    cautions=(*state.cautions, *CAUTIONS),
                )


@dataclass(frozen=True)
class PassesBy:
    """How much oil passes a piston that is pressed against its stop."""

    component: str
    state: str

    @property
    def name(self) -> str:
        """Stable name."""
        return f"caught-{self.component}-{self.state}"

    def probability(self, predictor: Predictor) -> Array:
        """(4, C) of ``AMOUNTS``; even where it is not known."""
        state = predictor.circuit.states[self.state]
        table, solvable = predictor[state], predictor.solvable(state)
        cases = predictor.population.cases(0, state.oil_c)
        passes = _passes_lpm(
            predictor.solver,
            self.component,
            solvable,
            cases,
            table.solution.across,
            table.healthy,
        )
        above = np.log(np.maximum(passes, LEAST_LPM)) - np.log(EDGES_LPM)[:, None]
        least = np.stack(
            [np.ones(len(passes)), *normal_cdf(above / READ_SHARE), np.zeros(len(passes))]
        )
        return np.where(table.known, least[:-1] - least[1:], 1.0 / len(AMOUNTS))


def stops_of(circuit: Circuit, component_id: str) -> list[str]:
    """The named states in which a part past which oil can pass is pressed against its stop."""
    part = next((p for p in circuit.components if p.id == component_id), None)
    if part is None or component_type(part.type).leaks_past is None:
        return []
    moved = [f.id for f in circuit.functions if moved_net(circuit, f.id) in _moved_by(part)]
    return [
        name
        for name, state in circuit.undisturbed().items()
        if any(state.moves.get(f) and state.loads.get(f) == "stalled" for f in moved)
    ]


def _moved_by(part: Component) -> set[str]:
    ports = component_type(part.type).ports
    return {part.connections[p.name] for p in ports if p.domain != "hydraulic"}


def _passes_lpm(
    solver: SteadySolver,
    component_id: str,
    state: SolvableState,
    cases: Cases,
    across: Array,
    sound: Array,
) -> Array:
    """(B,) what passes inside a part that stands, pressed on one side, the other one open.

    Parameters
    ----------
    across : (N_all, B) solved there, all hoses on: so little oil changes nothing of the pressure
    sound : (N_all,) of the sound machine, which says which side is pressed
    """
    network = solver.network
    kind, placed, own = network.laid_out(component_id)
    assert kind.leaks_past is not None
    ports = kind.port_names()
    nets = {port: int(placed[ports.index(port)]) for port in kind.leaks_past}
    pressed = max(nets, key=lambda port: float(sound[nets[port]]))
    parameters = solver.parameters_of([state], cases)
    held = np.zeros((1, len(ports), cases.count))
    held[0, ports.index(pressed)] = across[nets[pressed]]
    viscosity = network.viscosity([state], cases.state, parameters)[0]
    through, _ = evaluate(kind, held, parameters[None, own], viscosity)
    passes: Array = np.abs(through[0, ports.index(pressed)])
    return passes
