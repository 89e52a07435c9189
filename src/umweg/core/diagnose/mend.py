"""Mending a part: what it takes, what to look for in hand, what if it is not that, and how it is set.

A setting is worked out on the circuit: which specification the screw moves, from which reading to
which, what the gauge shows on the way, and where it ends because the weakest part is rated lower.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from umweg.core.circuit.document import Adjuster, Circuit, Component, MachineState, Specification
from umweg.core.components import component_type
from umweg.core.components.base import WorkKind
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.mend_views import Beside, Mend, OnTheWay, Option, Setting
from umweg.core.diagnose.opening import Openings
from umweg.core.diagnose.ranking import Ranking
from umweg.core.diagnose.report import hypothesis_title
from umweg.core.diagnose.worth import Money, action_of, taken
from umweg.core.errors import FormatError, SolveError, StateError, UmwegError
from umweg.core.faults.population import Fault, faults_of
from umweg.core.observe.kinds.readings import Reading, measured
from umweg.core.observe.machine import Machine
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantities import Quantity, place_label
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.core.shop.adjust import Difference, adjustment_for
from umweg.core.solve.steady import SteadySolver

NUDGE = 1.03
"""A screw sets what a specification asks for if so much of it moves the reading clearly."""
MOVES_WIDTHS = 0.1
MOST_POINTS = 6
LEAST_TURNED = 0.02
"""Of a turn that nobody turns a screw."""
WORTH_NAMING = 0.01
NAMED = 3


def mend(
    doctor: Diagnostician,
    observations: Sequence[Observation],
    component: str,
    mode: str | None = None,
) -> Mend:
    """What mending a part takes, by what is believed about it.

    Parameters
    ----------
    mode : only this fault of it; default every one that is suspected

    Raises
    ------
    CircuitError : there is no such part.
    FormatError : it has no such fault.
    """
    part = doctor.circuit.component(component)
    faults = [f for f in faults_of(doctor.predictor.network) if f.component_id == component]
    if mode is not None:
        faults = [f for f in faults if f.mode.name == mode]
        if not faults:
            known = ", ".join(m.name for m in component_type(part.type).fault_modes)
            raise FormatError(f"“{part.label}” has no fault “{mode}”; it has {known or 'none'}")
    ranking, predictor = doctor.rank(observations)
    shares = _shares(ranking)
    suspected = [f for f in faults if shares.get(f.key, 0.0) > WORTH_NAMING]
    try:
        _has_its_screw(part, suspected or faults)
        read = observations if _set_wrong(part, faults, shares) else ()
        setting, why = _setting(doctor, part, read), ""
    except UmwegError as error:
        setting, why = None, error.message
    return Mend(
        component=component,
        label=part.label,
        location=part.location,
        options=_options(part, suspected or faults, shares, doctor.money),
        look_for=list(dict.fromkeys(f.mode.look for f in suspected or faults if f.mode.look)),
        if_not=_others(doctor, ranking, component),
        beside=_beside(doctor, ranking, part),
        setting=setting,
        why_no_setting=why,
        cautions=Openings(predictor, ranking.inside).of_components([component]),
    )


def _has_its_screw(part: Component, faults: Sequence[Fault]) -> None:
    """Refuse where something else of the part is to be set than the screw that is described sets.

    Raises
    ------
    StateError : names both.
    """
    adjuster = part.service.adjuster
    wanted = {f.mode.parameter for f in faults if f.mode.work == "set"}
    if adjuster is not None and wanted and adjuster.parameter not in wanted:
        raise StateError(
            f"of “{part.label}” the circuit describes the screw for its {adjuster.parameter}, not the "
            f"one for its {', '.join(sorted(wanted))}: that is set as its maker says"
        )


def _set_wrong(part: Component, faults: Sequence[Fault], shares: dict[str, float]) -> bool:
    """Is it the setting that is wrong: a seat that leaks is not screwed up to what it should hold."""
    likeliest = max(faults, key=lambda f: shares.get(f.key, 0.0), default=None)
    adjuster = part.service.adjuster
    return (
        likeliest is not None
        and adjuster is not None
        and (likeliest.mode.parameter == adjuster.parameter)
    )


def _shares(ranking: Ranking) -> dict[str, float]:
    """Share of the belief that each fault is there, alone or with another."""
    found: dict[str, float] = {}
    for share, hypothesis in zip(ranking.shares, ranking.population.hypotheses, strict=True):
        for fault in hypothesis.faults:
            found[fault.key] = found.get(fault.key, 0.0) + float(share)
    return found


def _options(
    part: Component, faults: Sequence[Fault], shares: dict[str, float], money: Money
) -> list[Option]:
    """Each kind of work that cures something, and the exchange of the part, which cures it all."""
    by_work: dict[WorkKind, list[Fault]] = {}
    for fault in faults:
        by_work.setdefault(fault.mode.work, []).append(fault)
    by_work.setdefault("exchange", [])
    found = []
    for kind, cured in by_work.items():
        all_cured = faults if kind == "exchange" else cured
        part_cost, minutes = taken(part, kind)
        words = " ".join(dict.fromkeys(f.mode.remedy for f in cured)) or "Exchange the part."
        found.append(
            Option(
                work=kind,
                words=words,
                cures=[f.mode.label for f in all_cured],
                share=sum(shares.get(f.key, 0.0) for f in all_cured),
                part_cost=part_cost,
                labour_min=minutes,
                cost=money.cost((part.id, kind)),
            )
        )
    return sorted(found, key=lambda o: (-o.share / max(o.cost, 1.0), o.cost))


def _others(doctor: Diagnostician, ranking: Ranking, component: str) -> list[str]:
    """Who it is, if not this part: the likeliest others, with their shares."""
    hypotheses = ranking.population.hypotheses
    others = [
        h for h in ranking.leaders if all(f.component_id != component for f in hypotheses[h].faults)
    ]
    return [
        f"{hypothesis_title(doctor.circuit, hypotheses[h])}: {ranking.shares[h]:.0%}"
        for h in others[:NAMED]
    ]


def _beside(doctor: Diagnostician, ranking: Ranking, part: Component) -> list[Beside]:
    """What else stands behind the same cover and is suspected: it costs less now than later."""
    found: dict[str, Beside] = {}
    for share, hypothesis in zip(ranking.shares, ranking.population.hypotheses, strict=True):
        for fault in hypothesis.faults:
            other = doctor.circuit.component(fault.component_id)
            same = other.location == part.location != "" and other.id != part.id
            if not same or share <= WORTH_NAMING:
                continue
            before = found[other.id].share if other.id in found else 0.0
            access = other.service.access_min * doctor.money.labour_per_min
            found[other.id] = Beside(
                component=other.id,
                label=other.label,
                share=before + float(share),
                cost=max(doctor.money.cost(action_of(fault)) - access, 0.0),
            )
    return sorted(found.values(), key=lambda b: -b.share)


@dataclass(frozen=True)
class _Gauge:
    """A reading that the adjuster moves, as a function of what it is set to."""

    solver: SteadySolver
    state: MachineState
    quantity: Quantity
    slot: int

    def at(self, value: float) -> float:
        machine = Machine(self.solver.network.circuit, self.solver, {self.slot: value})
        return machine.value(self.quantity, self.state)


def _setting(
    doctor: Diagnostician, part: Component, observations: Sequence[Observation]
) -> Setting:
    adjuster, circuit, solver = part.service.adjuster, doctor.circuit, doctor.predictor.solver
    if adjuster is None:
        raise StateError(f"“{part.label}” has nothing to set")
    name = f"{part.id}.{adjuster.parameter}"
    slot = solver.network.slot[name]
    documented = float(solver.network.base_parameters[slot])
    spec = _specification(doctor, part, adjuster, slot, observations)
    state = circuit.states[spec.state]
    quantity = Quantity.named(spec.quantity, spec.point)
    gauge = _Gauge(solver, state, quantity, slot)
    as_found = _as_found(circuit, observations, spec)
    standing = gauge.at(documented) if as_found is None else as_found
    target = standing if _meets(spec, standing) else _target(spec, gauge.at(documented))
    reading = Difference(quantity)
    now = documented
    if as_found is not None:
        now = adjustment_for(solver, state, name, reading, as_found).value
    goal = adjustment_for(solver, state, name, reading, target, [(name, now)])
    machine = Machine(circuit, solver, {slot: goal.value})
    return Setting(
        parameter=adjuster.parameter,
        specification=spec.id,
        point=spec.point,
        point_label=place_label(circuit, quantity),
        state=spec.state,
        state_label=state.label,
        unit=UNIT_OF_KIND[spec.quantity],
        as_found=as_found,
        target=target,
        low=spec.low,
        high=spec.high,
        turns=goal.turns,
        shims=goal.shims,
        # Beyond the maker's limit nobody is led, not even on the way.
        on_the_way=list(_on_the_way(adjuster, gauge, now, min(goal.value, adjuster.limit))),
        within_limit=goal.within_limit,
        never_above=_safely(gauge, adjuster.limit),
        weakest=_weakest(machine, doctor),
        source=spec.source,
        cautions=list(state.cautions),
    )


def _specification(
    doctor: Diagnostician,
    part: Component,
    adjuster: Adjuster,
    slot: int,
    observations: Sequence[Observation],
) -> Specification:
    """Of the specifications that the adjuster moves, one that was read, where there is one, so that
    it is known where it was found; of those the one that it moves most, by the widths of its band."""
    circuit, solver = doctor.circuit, doctor.predictor.solver
    documented = float(solver.network.base_parameters[slot])
    best: tuple[tuple[bool, float], Specification] | None = None
    for spec in circuit.specifications:
        if spec.quantity not in UNIT_OF_KIND or spec.quantity == "drift_mm_min":
            continue
        gauge = _Gauge(
            solver, circuit.states[spec.state], Quantity.named(spec.quantity, spec.point), slot
        )
        try:
            before, after = gauge.at(documented), gauge.at(NUDGE * documented)
        except SolveError:
            continue
        if spec.low is not None and spec.high is not None:
            width = spec.high - spec.low
        else:
            width = 0.1 * abs(before)
        moved = abs(after - before) / max(width, 1e-6)
        # Two that it moves alike are as the document has them, not as the last bit of a sum.
        rank = _as_found(circuit, observations, spec) is not None, round(moved, 6)
        if moved > MOVES_WIDTHS and (best is None or rank > best[0]):
            best = rank, spec
    if best is None:
        raise StateError(
            f"no specification of this machine shows what “{part.label}” is set to: its "
            f"{adjuster.parameter} of {documented:g} is set as its maker says"
        )
    return best[1]


def _meets(spec: Specification, value: float) -> bool:
    low_enough = spec.high is None or value <= spec.high
    return low_enough and (spec.low is None or value >= spec.low)


def _target(spec: Specification, documented: float) -> float:
    """The middle of the band; where it is open at one end, what the machine shows as documented."""
    if spec.low is not None and spec.high is not None:
        return 0.5 * (spec.low + spec.high)
    return documented


def _as_found(
    circuit: Circuit, observations: Sequence[Observation], spec: Specification
) -> float | None:
    """What was read there last, in the base unit."""
    there = (spec.point, spec.quantity, spec.state)
    read = [
        measured(circuit, o)[1]
        for o in observations
        if isinstance(o, Reading) and (o.point, o.quantity, o.state) == there
    ]
    return float(read[-1]) if read else None


def _on_the_way(adjuster: Adjuster, gauge: _Gauge, now: float, goal: float) -> Iterable[OnTheWay]:
    """What is read at even steps of the adjustment; of shims, at each of them."""
    per = adjuster.bar_per_turn or adjuster.bar_per_shim
    if per is None:
        return
    whole = (goal - now) / per
    if adjuster.bar_per_turn is None:
        # A shim is put in or left out: a part of one is none.
        whole = float(round(whole))
    if abs(whole) < LEAST_TURNED:
        return
    each = 0.25 if adjuster.bar_per_turn is not None else 1.0
    count = min(max(round(abs(whole) / each), 1), MOST_POINTS)
    for k in range(count + 1):
        done = whole * k / count
        reading = _safely(gauge, now + done * per)
        if reading is not None:
            turns = done if adjuster.bar_per_turn is not None else None
            yield OnTheWay(
                turns=turns, shims=None if turns is not None else round(done), reading=reading
            )


def _safely(gauge: _Gauge, value: float) -> float | None:
    try:
        return gauge.at(value)
    except SolveError:
        return None


def _weakest(machine: Machine, doctor: Diagnostician) -> str:
    """Nearest to its rating of all parts, over the states that need no kit of the shop."""
    circuit, network = doctor.circuit, doctor.predictor.network
    worst, words = 0.0, "no part of this machine has a rating"
    for state in circuit.steady.values():
        if state.interventions:
            continue
        try:
            across = machine.across(state)
        except SolveError:
            continue
        for part in circuit.components:
            for port, rated in part.ratings.items():
                bar = float(across[network.net_index[part.connections[port]]])
                if bar / rated > worst:
                    worst = bar / rated
                    words = f"{part.label}, {port}: {bar:.0f} of {rated:.0f} bar in “{state.label}”"
    return words
