"""The command line; ``check``, ``solve``, ``diagnose`` and ``bench`` need no database."""

import gc
import json
import sys
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from pydantic import ValidationError

from umweg.core.circuit.document import (
    Circuit,
    MachineState,
    Timing,
    problems_of,
    read_circuit,
    read_json,
)
from umweg.core.components import component_type
from umweg.core.components.base import ACROSS_UNIT
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.question import answer
from umweg.core.errors import FormatError, StateError, UmwegError
from umweg.core.faults.population import parse_fault
from umweg.core.network.check import check_circuit
from umweg.core.network.network import Network
from umweg.core.observe.job import read_job
from umweg.core.observe.machine import Machine
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor
from umweg.core.shop.compliance import findings as solved_findings
from umweg.core.solve.steady import SteadySolver
from umweg.core.units import sized
from umweg.library import (
    circuit_ids,
    circuit_of,
    load_circuit,
    load_jobs,
    load_typed,
    typed_ids,
)

if TYPE_CHECKING:
    from umweg.bench.cases import CaseFigures
    from umweg.core.diagnose.report import PartedView
    from umweg.core.trace.curves import Program

app = typer.Typer(add_completion=False, help=__doc__, pretty_exceptions_enable=False)


def main() -> None:
    """Run a command; what a user can mend is told in words, with exit code 2."""
    # What was loaded stays to the end: looking through it for what nobody needs takes a while.
    gc.freeze()
    gc.enable()
    try:
        app(prog_name="umweg")
    except UmwegError as error:
        print(f"umweg: {error}", file=sys.stderr)
        raise SystemExit(2) from None


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise FormatError(f"{path} cannot be read: {error.strerror}") from error


def _text(path: Path) -> str:
    try:
        return _read(path).decode()
    except UnicodeDecodeError as error:
        raise FormatError(f"{path} is no text") from error


def _circuit(name: str) -> Circuit:
    """A circuit by path, or by the id of a library circuit."""
    circuit = load_circuit(name) if name in circuit_ids() else read_circuit(_read(Path(name)))
    check_circuit(circuit)
    return circuit


@app.command()
def check(circuit: str) -> None:
    """Find every mistake of a circuit document at once."""
    document = _circuit(circuit)
    findings = solved_findings(document)
    for finding in findings:
        print(f"  - {finding}")
    if findings:
        raise FormatError(f"circuit “{document.id}” does not meet its own specifications")
    network = Network(document)
    print(
        f"{document.id}: {len(document.components)} components, {network.unknown_count} nets to "
        f"solve for, {len(document.test_points)} test points, {len(document.states)} states, "
        f"{len(document.specifications)} specifications: no problem found"
    )


@app.command(name="list")
def list_(
    circuit: str,
    skeleton: Annotated[
        bool, typer.Option(help="parts and joins only, every number a guess")
    ] = False,
) -> None:
    """Write a circuit's parts, joins and test points as lines of plain text."""
    from umweg.core.draft.listing import write_listing
    from umweg.core.draft.skeleton import skeleton_listing

    document = _circuit(circuit)
    print(skeleton_listing(document) if skeleton else write_listing(document), end="")


@app.command()
def bill(
    table: Annotated[Path, typer.Argument(help="a bill of parts: a table with a header")],
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Make lines of a parts-and-joins list of a bill of parts: what there is, its joins still open."""
    from umweg.core.draft.bill import read_bill

    found = read_bill(_read(table).decode("utf-8", errors="replace"))
    if as_json:
        findings = [str(p) for p in found.findings]
        print(json.dumps({"text": found.text, "parts": found.parts, "findings": findings}))
        return
    print(found.text, end="")
    for problem in found.findings:
        print(f"# {problem}")


@app.command()
def changes(old: str, new: str, as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """What differs between two circuits: parts, joins, numbers, functions, states, specifications."""
    from umweg.core.draft.changes import changes_of

    found = changes_of(_circuit(old), _circuit(new))
    if as_json:
        print(json.dumps([c.model_dump() for c in found], indent=1))
        return
    for change in found:
        print(f"  - {change.words}")
    if not found:
        print("nothing differs")


@app.command()
def machines(
    table: Annotated[Path, typer.Argument(help="name, serial, owner, hours, circuit by a header")],
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Read a list of machines against the library's circuits; every row that is wrong is named."""
    from umweg.core.draft.machine_list import read_machines

    known = {name: load_circuit(name).name for name in circuit_ids()}
    found = read_machines(_text(table), known)
    if as_json:
        print(
            json.dumps(
                [{"circuit": m.circuit_id, **m.card.model_dump(mode="json")} for m in found],
                indent=1,
            )
        )
        return
    for m in found:
        print(f"{m.card.name}, {m.card.serial}: {m.circuit_id}, {m.card.hours:g} h")


@app.command()
def joins(listing: str, as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """Where the open ports (``port=?``) of a parts-and-joins list are likely joined."""
    from umweg.core.draft.joins import likely_joins
    from umweg.core.draft.listing import read_listing
    from umweg.library import known_pairings

    found = likely_joins(read_listing(_text(Path(listing))), known_pairings())
    if as_json:
        print(json.dumps([asdict(o) for o in found], indent=1))
        return
    for o in found:
        print(f"line {o.line}: {o.component}.{o.port}: {', '.join(o.nets) or 'nothing fits yet'}")


@app.command()
def draft(
    listing: str,
    beside: Annotated[
        str, typer.Option(help="a circuit whose functions, states and specifications are kept")
    ] = "",
    out: Annotated[str, typer.Option(help="where the circuit is written")] = "",
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Make a circuit of a parts-and-joins list: functions, states and points are drafted."""
    from umweg.core.draft.frame import drafted_of

    drafted = drafted_of(_text(Path(listing)), _circuit(beside) if beside else None)
    check_circuit(drafted.circuit)
    written = drafted.circuit.model_dump_json(indent=1, exclude_unset=True) + "\n"
    if out:
        Path(out).write_text(written)
    if as_json:
        print(json.dumps({"circuit": json.loads(written), "notes": drafted.notes}, indent=1))
        return
    for note in drafted.notes:
        print(f"  - {note}")
    print(
        f"{drafted.circuit.id}: {len(drafted.circuit.components)} components, "
        f"{len(drafted.circuit.functions)} functions, {len(drafted.circuit.states)} states"
    )


@app.command(name="runs")
def runs_command(circuit: str, as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """Does it run: every state solved, and what no machine of the trade does, in words."""
    from umweg.core.draft.runs import runs

    found = runs(_circuit(circuit))
    if as_json:
        print(json.dumps(asdict(found), indent=1))
        return
    for odd in found.odd:
        print(f"  - {odd.state}: {odd.words}")
    settled = sum(s.nets is not None for s in found.states)
    print(f"{circuit}: {settled} of {len(found.states)} states settle, {len(found.odd)} odd")


def _state(document: Circuit, name: str) -> MachineState:
    if name in document.states:
        return document.states[name]
    if not name.endswith(".json"):
        known = ", ".join(document.states)
        raise FormatError(f"circuit “{document.id}” has no state “{name}”; it has {known}")
    try:
        return MachineState.model_validate_json(_read(Path(name)))
    except ValueError as error:
        raise FormatError(f"{name} is not a machine state: {error}") from error


@app.command()
def solve(
    circuit: str,
    state: Annotated[str, typer.Option(help="name of a state, or a STATE.json")],
    fault: Annotated[
        list[str] | None, typer.Option(help="COMPONENT:MODE=SEVERITY, may be repeated")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Solve one state, healthy or with faults."""
    document = _circuit(circuit)
    network = Network(document)
    found = [parse_fault(network, text) for text in fault or []]
    own = {f.slot: float(f.mode.value(f.healthy, s)) for f, s in found}
    solver = SteadySolver(network)
    solution = Machine(document, solver, own).solution(_state(document, state))
    converged = bool(solution.converged[0])
    cavities = solver.cavitating(solution.across[:, 0]) if converged else []
    nets = {
        name: {"value": float(v), "unit": ACROSS_UNIT[domain]}
        for name, v, domain in zip(
            network.net_names, solution.across[:, 0], network.domains, strict=True
        )
    }
    quality = {
        "converged": converged,
        "residual_lpm": float(solution.residual_lpm[0]),
        "iterations": int(solution.iterations[0]),
        "cavitating": cavities,
    }
    if as_json:
        print(json.dumps({**quality, "nets": nets if converged else {}}, indent=1))
    elif converged:
        for name, net in nets.items():
            print(f"{name:28} {net['value']:10.2f} {net['unit']}")
        print(
            f"converged in {quality['iterations']} iterations, residual "
            f"{quality['residual_lpm']:.1e} L/min"
        )
        if cavities:
            print(f"the oil parts (cavities) at: {', '.join(cavities)}")
    if not converged:
        print("no steady state was found; no numbers are shown", file=sys.stderr)
        raise SystemExit(1)


@app.command()
def recorded(
    circuit: str,
    timing: Annotated[str, typer.Argument(help="what is read in time")],
    file: Annotated[
        Path, typer.Argument(help="rows of seconds and value, as a logger writes them")
    ],
    unit: Annotated[str, typer.Option(help="of the values")] = "bar",
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """What a timing reads from a curve that an instrument recorded."""
    from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
    from umweg.core.observe.recorded import read_recorded, told_by

    document = _circuit(circuit)
    found = read_recorded(_read(file).decode("utf-8", errors="replace"), unit)
    value = told_by(document, timing, found)
    of = document.timing(timing)
    if as_json:
        shown = {"timing": timing, "value": value, "unit": UNIT_OF_KIND[of.of]}
        print(json.dumps({**shown, "rows": len(found.time_s)}))
        return
    print(f"{of.label}: {value:.4g} {UNIT_OF_KIND[of.of]} ({len(found.time_s)} rows)")


@app.command()
def play(
    circuit: str,
    program: Annotated[
        str, typer.Option(help="a timing of the circuit, or a PROGRAM.json with phases and places")
    ] = "",
    phase: Annotated[
        list[str] | None, typer.Option(help="STATE=SECONDS, may be repeated, instead of a program")
    ] = None,
    fault: Annotated[
        list[str] | None, typer.Option(help="COMPONENT:MODE=SEVERITY, may be repeated")
    ] = None,
    table: Annotated[Path | None, typer.Option("--csv", help="write all curves to FILE")] = None,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Play a program of states in time, healthy or with faults."""
    from umweg.core.trace.curves import play_program, program_of, read_of, to_csv

    document = _circuit(circuit)
    timing = next((t for t in document.timings if t.id == program), None)
    if bool(program) == bool(phase):
        raise FormatError("name a --program, or the states with --phase STATE=SECONDS")
    chosen = program_of(timing) if timing is not None else _program(document, program, phase or [])
    solver = SteadySolver(Network(document))
    found = [parse_fault(solver.network, text) for text in fault or []]
    own = {f.slot: float(f.mode.value(f.healthy, s)) for f, s in found}
    played = play_program(document, solver, chosen, own)
    if table is not None:
        table.write_text(to_csv(played))
    if as_json:
        print(played.model_dump_json())
        return
    for at, label in played.phases:
        print(f"{at:8.2f} s  {label}")
    print(f"{'':28} {'begins':>10} {'ends':>10} {'lowest':>10} {'highest':>10}")
    for c in played.curves:
        ends = f"{c.values[0]:10.2f} {c.values[-1]:10.2f} {c.lowest:10.2f} {c.highest:10.2f}"
        print(f"{c.name:28} {ends} {c.unit}")
    for h in played.happened:
        print(f"{h.at_s:8.2f} s  {h.words}")
    if timing is not None:
        print(read_of(timing, document, solver, own))


def _program(document: Circuit, name: str, phases: list[str]) -> "Program":
    from umweg.core.trace.curves import Program

    if not name:
        cut = [text.partition("=") for text in phases]
        data: object = {"phases": [{"state": s, "seconds": n} for s, _, n in cut]}
    elif name.endswith(".json"):
        data = read_json(_read(Path(name)))
    else:
        known = ", ".join(t.id for t in document.timings) or "none"
        raise FormatError(f"circuit “{document.id}” has no timing “{name}”; it has {known}")
    try:
        return Program.model_validate(data)
    except ValidationError as error:
        raise FormatError("not a program", problems_of(error)) from error


def _playing(timing: Timing, candidates: int) -> None:
    """What a first question about a circuit waits for; it is kept for the next."""
    print(f"playing “{timing.label}” of {candidates} candidates …", file=sys.stderr, flush=True)


@app.command()
def diagnose(job: Path, as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """Rank the suspects of a job, with reasons and next steps."""
    document = read_job(_read(job))
    circuit = circuit_of(document, job)
    check_circuit(circuit)
    doctor = Diagnostician.of(
        circuit, document.instruments, document.labour_per_min, document.machine.history
    )
    doctor.predictor.told = _playing
    view = answer(doctor, document.observations)
    if as_json:
        print(view.model_dump_json(indent=1))
        return
    print(f"{document.machine.name}: {document.complaint}\n")
    if not view.explained:
        print("Nothing modelled explains these observations; check them, or the circuit.\n")
    titles = {suspect.key: suspect.title for suspect in view.suspects}
    for suspect in view.suspects:
        print(f"{min(100 * suspect.share, 99.9):5.1f} %  {suspect.title}")
        for twin in suspect.group:
            if twin != suspect.key:
                print(f"         cannot be told from: {titles.get(twin, twin)}")
        for reason in suspect.reasons:
            print(f"           {reason.words}")
    for asked in view.before_tests:
        print(f"First: {asked}")
    for odd in view.at_odds:
        print(odd.words)
    for one in view.left_out:
        print(f"left out: {one.words}: {one.why}")
    if view.plan is None:
        return
    if view.plan.enough:
        print("\nEnough is known to decide.")
        first = view.plan.do_first
        if first is None:
            print(
                "  Nothing is to be mended: look at the operation, the interlocks, what is expected."
            )
        else:
            print(f"  Do this first, and see whether it was that: {first.remedy}")
            print(f"      {first.component_label}, {first.cost:.0f} in parts and labour")
        for title in view.plan.not_excluded:
            print(f"      not excluded: {title}")
    print("\nNext:")
    for step in [s for s in view.plan.next_steps if not s.refused][:5]:
        print(
            f"  {step.quantity_label} at {step.point_label} — {step.state_label}: "
            f"{step.minutes:.0f} min"
        )
        if step.healthy:
            print(f"      healthy {step.healthy.low:.1f} … {step.healthy.high:.1f} {step.unit}")
        for part in step.parts:
            print(f"      {_outcome(part, step.unit)}: {', '.join(part.suspects)}")
    for step in [s for s in view.plan.next_steps if s.refused]:
        print(f"  not offered: {step.point_label} — {step.state_label}: {step.refused}")


def _outcome(part: "PartedView", unit: str) -> str:
    """What a step may come to, in words."""
    if part.low is None and part.high is None:
        return part.answer
    if part.low is None:
        return f"under {part.high:.3g} {unit}"
    if part.high is None:
        return f"above {part.low:.3g} {unit}"
    return f"{part.low:.3g} to {part.high:.3g} {unit}"


@app.command()
def experience(
    circuit: str,
    found: Annotated[
        list[str], typer.Option("--found", help="component:mode=N, found so often in proved jobs")
    ],
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """What a shop's finds on machines of a circuit tell beside what was to be expected there."""
    from umweg.core.diagnose.prior import expected_shares, experience_of, kind_of
    from umweg.core.faults.population import faults_of

    document = _circuit(circuit)
    doctor = Diagnostician.of(document, [])
    kinds = {f.key: kind_of(document, f) for f in faults_of(doctor.predictor.network)}
    finds: list[tuple[str, str]] = []
    for text in found:
        key, _, count = text.partition("=")
        if key not in kinds or not count.isdecimal():
            raise FormatError(f"“{text}” is not COMPONENT:MODE=N of a fault of “{document.id}”")
        finds += [kinds[key]] * int(count)
    counted = experience_of([(expected_shares(doctor.exhibits), finds)])
    if as_json:
        print(json.dumps([{**e.model_dump(), "factor": e.factor} for e in counted], indent=1))
        return
    for e in sorted(counted, key=lambda e: -e.found - e.expected):
        print(
            f"{e.found:4d} found, {e.expected:5.2f} expected: × {e.factor:.2f}  {e.type} {e.mode}"
        )


@app.command()
def calibrate(job: Path, as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """What the machine's own readings, from when it was in order, say of its circuit's numbers."""
    from umweg.core.diagnose.calibrate import calibrate as settle

    document = read_job(_read(job))
    circuit = circuit_of(document, job)
    check_circuit(circuit)
    doctor = Diagnostician.of(circuit, document.instruments, history=document.machine.history)
    found = settle(doctor.exhibits, document.machine.history, document.instruments)
    if as_json:
        print(json.dumps([s.model_dump() for s in found], indent=1))
        return
    if not document.machine.baseline:
        print("the job's machine has no baseline: nothing was read of it while it was in order")
    for s in found:
        print(
            f"{s.label}, {s.description}: {s.documented:g} ± {s.spread_before:.2g} → "
            f"{s.value:.4g} ± {s.spread:.2g} {s.unit}"
        )


bench_app = typer.Typer(help="Benchmarks: figures, not tests.")
app.add_typer(bench_app, name="bench")


@app.command()
def may(
    subject: Annotated[str, typer.Argument(help="JOB.json, or a circuit")],
    state: Annotated[str, typer.Option(help="name of a state, or a STATE.json")],
    point: Annotated[str | None, typer.Option(help="test point to read in it")] = None,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """May I do this: what would break on which machine, what it shows, and the gentler way."""
    from umweg.core.diagnose.may import may as ask

    document, doctor, seen = _asked(subject)
    planner = doctor.planner(seen)
    answer = ask(planner, _state(document, state), point)
    if as_json:
        print(json.dumps(asdict(answer), default=lambda o: o.model_dump()))
        return
    print("yes" if answer.allowed else "no")
    if answer.healthy_breaks:
        print(f"  {answer.healthy_breaks}")
    if answer.hazard is not None:
        print(f"  {answer.hazard.words} ({answer.hazard.share:.1%} of the belief)")
    for words in answer.cautions:
        print(f"  caution: {words}")
    if answer.shows is not None:
        gauge = "no instrument fits"
        if answer.shows.instrument is not None:
            gauge = answer.shows.instrument.label
        print(f"  with: {gauge}")
        for band in (answer.shows.healthy, *answer.shows.by_suspect):
            if band is not None:
                print(f"  {band.key}: {band.low:.3g} … {band.high:.3g}")
    for words in answer.gentler:
        print(f"  gentler: {words}")


@app.command(name="flow")
def flow_command(
    subject: Annotated[str, typer.Argument(help="JOB.json, or a circuit")],
    state: Annotated[str, typer.Option(help="a state with a meter in line, or a STATE.json")],
    point: Annotated[str, typer.Option(help="test point that the meter stands at")],
    load: Annotated[
        list[float] | None, typer.Option(help="pressure [bar] to load it to, may be repeated")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Flow at several pressures as one step: what each machine would show, and what it tells."""
    from umweg.core.diagnose.flow_curve import flow_curve
    from umweg.core.diagnose.report import flow_curve_view
    from umweg.core.observe.kinds.readings import blank
    from umweg.core.observe.quantities import Quantity

    document, doctor, seen = _asked(subject)
    planner = doctor.planner(seen)
    reading = blank(Quantity("flow_lpm", point), state)
    if state not in document.states:
        reading = reading.model_copy(update={"state": _state(document, state)})
    reading.check(planner.exhibits.suspects)
    found = flow_curve(planner, reading, seen, load or ())
    if found is None:
        raise FormatError(
            f"“{point}” has no meter in line in “{state}”, or it may not be loaded so"
        )
    view = flow_curve_view(document, found)
    if as_json:
        print(view.model_dump_json(indent=1))
        return
    print(f"{view.minutes:.0f} min, {view.bits:.2f} bit together")
    for bar, step in zip(view.loads_bar, view.steps, strict=True):
        others = [b for b in step.by_suspect if b.key != "healthy"]
        bands = [b for b in (step.healthy, *others[:4]) if b is not None]
        shown = "; ".join(f"{b.key} {b.low:.3g} … {b.high:.3g}" for b in bands)
        print(f"  {bar:g} bar, alone {step.bits:.2f} bit: {shown}")


def _asked(subject: str) -> tuple[Circuit, Diagnostician, Sequence[Observation]]:
    """Circuit, diagnostician and observations of a job's file, or of a circuit nobody read yet."""
    path = Path(subject)
    if subject.endswith(".json") and '"umweg-job/1"' in path.read_text():
        job = read_job(path.read_bytes())
        document = circuit_of(job, path)
        doctor = Diagnostician.of(
            document, job.instruments, job.labour_per_min, job.machine.history
        )
        return document, doctor, job.observations
    document = _circuit(subject)
    return document, Diagnostician.of(document, load_jobs()[0].instruments), []


@app.command()
def plan(
    subject: Annotated[str, typer.Argument(help="JOB.json, or a circuit")],
    depth: Annotated[int, typer.Option(min=1, max=6, help="steps that are followed")] = 2,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """The way on as a tree: if a step shows this, then what. Ctrl-C stops it."""
    from umweg.core.diagnose.tree import Place, tree_of

    _, doctor, seen = _asked(subject)

    def progress(made: int, known: int) -> None:
        print(f"\r{made} of {known} places worked out", end="", file=sys.stderr, flush=True)

    root = tree_of(doctor, seen, depth, progress)
    print(file=sys.stderr)
    if as_json:
        print(root.model_dump_json())
        return

    def show(place: Place, indent: str) -> None:
        leading = ", ".join(f"{x.title} {x.share:.0%}" for x in place.leaders)
        if place.step is None:
            end = f"enough: {place.repair}" if place.enough else "…"
            print(f"{indent}{end}   ({leading})")
            return
        print(f"{indent}{place.step}, {place.minutes:.0f} min   ({leading})")
        for branch in place.branches:
            print(f"{indent}  {branch.words}  ({branch.share:.0%})")
            if branch.place is None:
                print(f"{indent}    seldom")
            else:
                show(branch.place, indent + "    ")

    show(root, "")
    print(f"{root.expected_min:.0f} min on average, as far as the tree goes")


@app.command()
def mend(
    subject: Annotated[str, typer.Argument(help="JOB.json, or a circuit")],
    part: Annotated[str, typer.Argument(help="COMPONENT, or COMPONENT:MODE")],
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Mend a part: what it takes, what to look for, what if it is not that, how it is set."""
    from umweg.core.diagnose.mend import mend as work_out

    _, doctor, seen = _asked(subject)
    component, _, mode = part.partition(":")
    found = work_out(doctor, seen, component, mode or None)
    if as_json:
        print(found.model_dump_json())
        return
    print(f"{found.label}, {found.location}")
    for words in found.cautions:
        print(f"  ! {words}")
    for option in found.options:
        print(
            f"  {option.words}  {option.cost:.0f} (parts {option.part_cost:.0f}, "
            f"{option.labour_min:.0f} min), cures {option.share:.0%}"
        )
    for words in found.look_for:
        print(f"  in hand: {words}")
    for other in found.beside:
        print(f"  behind the same cover: {other.label} {other.share:.0%}, {other.cost:.0f} more")
    for words in found.if_not:
        print(f"  if it is not that: {words}")
    if found.setting is None:
        print(f"  not set: {found.why_no_setting}")
        return
    s = found.setting
    was = "" if s.as_found is None else f"from {s.as_found:.4g} "
    print(
        f"  set {s.parameter}: {s.point_label} in “{s.state_label}” {was}to {s.target:.4g} {s.unit}"
    )
    for step in s.on_the_way:
        done = f"{step.shims:+d} shims" if step.turns is None else f"{step.turns:+.2f} turns"
        print(f"    {done}: {step.reading:.4g} {s.unit}")
    if not s.within_limit:
        print("    beyond the maker's limit: the spring is weak, replace it")
    if s.never_above is not None:
        print(f"    never above {s.never_above:.4g} {s.unit} on the gauge (the maker's limit)")
    print(f"    nearest to its rating then: {s.weakest}")


@app.command()
def safe(
    circuit: str,
    state: Annotated[
        str | None, typer.Option(help="named state whose loads are the posture; default all held")
    ] = None,
    fault: Annotated[
        list[str] | None, typer.Option(help="only these count as possible; default every fault")
    ] = None,
    point: Annotated[
        list[str] | None, typer.Option("--open", help="test point to be opened, may be repeated")
    ] = None,
    without: Annotated[
        list[str] | None,
        typer.Option(help="what does not work: drive, electricity, pilot, dump; may be repeated"),
    ] = None,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Which lines hold pressure at rest, what holds them, and the way to zero."""
    from umweg.core.diagnose.make_safe import make_safe
    from umweg.core.diagnose.safe_plan import LACKS

    document = _circuit(circuit)
    for name in point or ():
        document.test_point(name)
    predictor = Predictor.of(document)
    known = {h.key for h in predictor.population.hypotheses}
    for key in fault or ():
        if key not in known:
            raise StateError(f"there is no fault “{key}”")
    posture = dict(_state(document, state).loads) if state else None
    for lack in without or ():
        if lack not in LACKS:
            raise StateError(f"“{lack}” is none of {', '.join(LACKS)}")
    plan = make_safe(predictor, fault, posture, [name for name in LACKS if name in (without or ())])
    if as_json:
        print(plan.model_dump_json())
        return
    print("under pressure at rest:" if plan.lines else "nothing holds pressure at rest")
    for line in plan.lines:
        words = f"  {line.label}: {line.healthy_bar:.0f} bar"
        if line.worst_bar > max(1.2 * line.healthy_bar, line.healthy_bar + 5):
            words += f", up to {line.worst_bar:.0f} with {line.worst_with}"
        if line.held_by:
            words += f"; held by {', '.join(line.held_by)}"
        if line.because:
            words += f"; from {', '.join(line.because)}"
        if line.since:
            words += f"; closed in as after “{line.since}”"
        if line.falls:
            words += f"; {line.falls}"
        print(words)
    for lever in plan.levers:
        if lever.lowers or not lever.works_off:
            word = "works" if lever.works_off else f"does not work ({lever.why_not})"
            print(f"  {plan.drive} off: {lever.label} {word}")
    for number, step in enumerate(plan.steps, 1):
        told = ""
        if step.before_bar is not None and step.after_bar is not None:
            told = f" [{step.before_bar:.0f} → {step.after_bar:.0f} bar]"
        print(f"{number:2}. {step.words}{told}")
    for release in plan.releases:
        if not point or release.point in point:
            words = (
                f"  opening {release.label}: {release.before_bar:.0f} → {release.after_bar:.0f} bar"
            )
            if release.worst_with:
                words += f", up to {release.worst_bar:.0f} with {release.worst_with}"
            print(words)
    for remaining in plan.remains:
        print(
            f"  NOT SAFE: {remaining.words}" if not remaining.faults else f"  ! {remaining.words}"
        )
    print(plan.caution)


@app.command(name="refill")
def refill_command(
    circuit: Annotated[str, typer.Argument(help="file or library circuit")],
    tank: Annotated[float, typer.Option(help="oil in the tank at its level, rods in [L]")],
    drained: Annotated[float | None, typer.Option(help="what ran out of it [L]")] = None,
    posture: Annotated[
        list[str] | None, typer.Option(help="FUNCTION=SHARE of its stroke, in by default")
    ] = None,
    target: Annotated[float, typer.Option(help="share of old oil that is good enough")] = 0.05,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Drain, flush, fill: what stays where, how many fills, what to prime, how to bleed."""
    from umweg.core.diagnose.make_safe import make_safe
    from umweg.core.diagnose.rest import HOLDS_ABOVE_BAR
    from umweg.core.shop.refill import refill

    shares: dict[str, float] = {}
    for text in posture or ():
        name, _, number = text.partition("=")
        try:
            shares[name] = float(number)
        except ValueError as error:
            raise StateError(f"“{text}” is not FUNCTION=SHARE") from error
    document = _circuit(circuit)
    found = refill(document, tank, shares, drained, target)
    live = [x for x in make_safe(Predictor.of(document)).lines if x.healthy_bar > HOLDS_ABOVE_BAR]
    if as_json:
        told = [{"label": x.label, "bar": x.healthy_bar} for x in live]
        print(json.dumps({**asdict(found), "under_pressure": told}))
        return
    for line in live:
        print(f"  ! {line.label} may still have {line.healthy_bar:.0f} bar: make safe first")
    if found.told:
        print(found.told)
    print(f"{sized(found.stays_l, 'volume')} stay when the tank is drained:")
    for holding in found.stays[:8]:
        print(f"  {holding.label}: {sized(holding.litres, 'volume')}")
    for fill_number, share in enumerate(found.cycles, 1):
        print(f"after fill {fill_number}: {share:.1%} old oil")
    print(
        f"{sized(found.fresh_l, 'volume')} of fresh oil; cycle every function to its ends between fills"
    )
    for priming in found.priming:
        filled = ", ".join(f"{h.label} {sized(h.litres, 'volume')}" for h in priming.fill)
        print(f"fill before it turns: {priming.label}: {filled}")
    for bled in found.bleeding:
        how = "any flow takes its air along"
        if bled.rise_m < 0.0:
            least = sized(bled.carries_from_lpm, "flow")
            how = f"down: air stays below {least}; press fast, or bleed upward"
        print(f"{bled.label} ({bled.rise_m:+.2g} m): {how}")
    print("The maker's fluid, level posture and local rules go before this plan.")


@app.command()
def trace(
    circuit: str,
    function: Annotated[str | None, typer.Option(help="only this function")] = None,
    move: Annotated[str | None, typer.Option(help="only this move")] = None,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Where the oil of each move goes, what holds each valve, and what moves share."""
    from umweg.core.trace.trace import trace as find
    from umweg.core.trace.way_views import Station

    document = _circuit(circuit)
    if function is not None and move is not None and move not in document.function(function).moves:
        known = ", ".join(document.function(function).moves)
        raise StateError(f"“{function}” has no move “{move}”; it has {known}")
    found = find(document)
    moves = [
        m
        for m in found.moves
        if (function is None or m.function == function) and (move is None or m.move == move)
    ]
    if as_json:
        print(found.model_copy(update={"moves": moves}).model_dump_json())
        return

    def line(station: Station) -> str:
        held = f"  [{', '.join(station.held_by)}]" if station.held_by else ""
        bars = f"{station.before_bar:6.1f} → {station.after_bar:6.1f} bar"
        return f"    {station.label:40} {sized(station.flow_lpm, 'flow'):>12} {bars}{held}"

    print("nothing called for:")
    for station in found.neutral:
        print(line(station))
    for m in moves:
        print(f"{m.label}  ({'; '.join(m.contacts)})")
        if not m.known:
            print("    no steady state: no way is shown")
        for title, way in (("to", m.pressure), ("back", m.returning)):
            print(f"  {title}:")
            for station in way:
                print(line(station))
        for signal in m.signals:
            bars = f"{signal.neutral_bar:.1f} → {signal.bar:.1f} bar"
            print(f"  signal: {signal.label}, {signal.port}: {bars}")
        for drain in m.drains:
            print(f"  drain: {drain.label}, {drain.port}: {sized(drain.flow_lpm, 'flow')}")
        if m.coils:
            print(f"  coils on: {', '.join(m.coils)}")
    print("parts against moves:")
    for part in found.parts:
        print(f"    {part.label:40} {', '.join(part.moves)}")


@app.command()
def heard(
    circuit: str,
    text: Annotated[str, typer.Argument(help="what the customer said")],
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """What a customer's sentence may mean, in words that are weighed; nothing of it is taken."""
    from umweg.core.observe.lexicon import offers

    found = offers(_circuit(circuit), text)
    if as_json:
        print(json.dumps([offer.model_dump(mode="json") for offer in found]))
        return
    for offer in found:
        print(f"{offer.words}    (“{offer.phrase}”)")
    if not found:
        print("Nothing of this machine is named in it, or nothing is said of how it goes.")


@app.command()
def symptoms(circuit: str, as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """What each fault of a circuit shows at three severities, and who looks alike."""
    from umweg.core.diagnose.symptoms import symptoms_of

    found = list(symptoms_of(Predictor.of(_circuit(circuit))))
    if as_json:
        print(json.dumps([asdict(s) for s in found]))
        return
    for fault in found:
        print(f"{fault.key}  {fault.label}")
        for shown in fault.shown:
            parts = [
                f"{m.quantity.kind} at {m.quantity.place} in {m.state} {m.healthy:.3g} → "
                f"{m.faulted:.3g} ({m.widths:+.1f})"
                for m in shown.moved
            ]
            said = "; ".join(f"{what}: {word}" for what, word in shown.said) or "nothing is said"
            print(f"  {shown.severity:.2f}  {said}\n        " + "\n        ".join(parts))
        if fault.alike:
            print(f"  looks like {', '.join(fault.alike)}")


@app.command()
def types(
    words: Annotated[str, typer.Argument(help="what it is called or does")],
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Types of parts by the words of the trade; where none has them, the nearest."""
    from umweg.core.components.words import find_types

    found = find_types(words)
    if as_json:
        print(json.dumps(asdict(found)))
        return
    if found.nearest:
        print(f"no part is called “{words}”; the nearest:")
    for name in found.names:
        kind = component_type(name)
        print(f"{name:28} {kind.label}: {kind.summary()}")


@app.command()
def validate(as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """The flow laws beside packages, standards and closed forms: each figure, and whether it keeps its band."""
    from umweg.validation import comparisons, worked_cases

    held = True
    by_hand = worked_cases()
    for c in (*comparisons(), *by_hand):
        held &= c.holds
        if c in by_hand and c.holds and not as_json:
            continue
        if as_json:
            points = [{**asdict(p), "within": c.within(p)} for p in c.points]
            named = {k: getattr(c, k) for k in ("name", "law", "source", "unit", "band", "floor")}
            print(json.dumps({**named, "bound": c.kind, "holds": c.holds, "points": points}))
            continue
        worst = c.worst
        print(
            f"{'ok ' if c.holds else 'OUT'} {c.name}: {len(c.points)} figures, the farthest at "
            f"{worst.at}: {worst.ours:.4g}, source {worst.reference:.4g}"
        )
    if not as_json:
        count = sum(c.holds for c in by_hand)
        print(f"{count} of {len(by_hand)} types as their case is reckoned by hand")
    if not held:
        raise SystemExit(1)


@bench_app.command("solve")
def bench_solve(
    batch: int = 10000,
    circuit: Annotated[list[str] | None, typer.Option(help="may be repeated; default all")] = None,
) -> None:
    """Steady solves per second, against one scipy call per candidate."""
    from umweg.bench import solve as benches

    print(
        f"{'circuit':17}{'unknowns':>9}{'nonzeros':>9}{'filled':>7}{'updates':>8}{'solves/s':>10}"
        f"{'scipy/s':>9}{'ratio':>7}{'with J/s':>9}{'ratio':>7}{'scipy solves':>13}"
        f"{'converged':>11}{'median it.':>11}{'gap bar':>9}{'MB':>6}"
    )
    for name in circuit or circuit_ids():
        f = benches.bench_solve(load_circuit(name), batch)
        print(
            f"{f.circuit:17}{f.unknowns:9}{f.nonzeros:9}{f.filled:7}{f.updates:8}"
            f"{f.per_second:10.0f}{f.scipy_per_second:9.1f}{f.ratio:7.0f}"
            f"{f.scipy_helped_per_second:9.1f}{f.ratio_helped:7.0f}"
            f"{f.scipy_solved:13.0%}{f.converged:11.4%}{f.iterations_median:11.0f}"
            f"{f.worst_bar:9.1e}{f.memory_mb:6.0f}"
        )


@bench_app.command("play")
def bench_play(
    circuit: Annotated[str, typer.Option(help="default: the largest of the library")] = "",
    candidates: Annotated[int, typer.Option(min=1)] = 2000,
    seconds: Annotated[float, typer.Option(min=1, help="of machine time")] = 10.0,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Machines in time: all candidates together, one alone, one by scipy's Radau."""
    from umweg.bench.play import bench_play as measure

    documents = [_circuit(circuit)] if circuit else [load_circuit(n) for n in circuit_ids()]
    f = measure(max(documents, key=lambda d: len(d.components)), candidates, seconds)
    if as_json:
        print(json.dumps({**asdict(f), "ratio": f.ratio}))
        return
    print(f"{f.circuit}: {f.unknowns} nets, {f.candidates} candidates x {f.machine_s:g} s")
    print(
        f"  all together {f.wall_s:.1f} s, {f.finished:.1%} to the end, {f.steps_median:.0f} steps"
    )
    print(f"  one machine alone {f.one_times_real:.0f} x real time")
    print(
        f"  one Radau run of {f.scipy_machine_s:g} s: {f.scipy_wall_s:.1f} s, ratio {f.ratio:.0f}"
    )
    print(f"  largest difference to it at its end {f.worst_bar:.2g} bar")


@bench_app.command("bands")
def bench_bands(
    machines: Annotated[int, typer.Option(min=1, help="hidden machines a circuit")] = 12,
    circuit: Annotated[
        list[str] | None, typer.Option(help="one or a CIRCUIT.json; may be repeated; default all")
    ] = None,
    seed: int = 1,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """How many 90 % bands of readings not taken yet hold what is read then."""
    from umweg.bench.bands import BandFigures
    from umweg.bench.bands import bench_bands as measure

    everyone = BandFigures("all")
    circuits = [_circuit(name) for name in circuit or circuit_ids()]
    for f in measure(circuits, load_jobs()[0].instruments, machines, seed):
        everyone.add(f)
        if as_json:
            counts = {"circuit": f.circuit, "held": f.held, "asked": f.asked, "share": f.share}
            print(json.dumps(counts), flush=True)
        else:
            print(
                f"{f.circuit:20}{f.held.total():6} of {f.asked.total():5}{f.share:8.1%}", flush=True
            )
    if not as_json:
        for kind, asked in sorted(everyone.asked.items()):
            share = everyone.held[kind] / asked
            print(f"  {kind:18}{everyone.held[kind]:6} of {asked:5}{share:8.1%}")
        print(
            f"{'all':20}{everyone.held.total():6} of {everyone.asked.total():5}{everyone.share:8.1%}"
        )


@bench_app.command("belief")
def bench_belief(
    cases: Annotated[int, typer.Option(help="hidden machines a list")] = 2,
    circuit: Annotated[list[str] | None, typer.Option(help="typed lists; default all")] = None,
    seed: int = 1,
    machines: Annotated[int, typer.Option(help="drawn for each of them")] = 120,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """The belief about typed machines beside exact enumeration of machines drawn from it."""
    from umweg.bench.belief import COUNTED_FROM
    from umweg.bench.belief import bench_belief as measure

    kit = load_jobs()[0].instruments
    circuits = [load_typed(name) for name in circuit or typed_ids()]
    worst = []
    for found in measure([c for c in circuits if c.functions], kit, cases, seed, machines):
        worst.append(found.worst)
        if as_json:
            print(json.dumps({**asdict(found), "worst": found.worst}), flush=True)
            continue
        print(f"{found.circuit:22} {found.hidden:34} worst factor {found.worst:.1f}", flush=True)
        for key in sorted(found.exact, key=lambda k: -found.exact[k]):
            shares = found.exact[key], found.program.get(key, 0.0)
            if max(shares) > COUNTED_FROM:
                print(f"    {key:36} exact {shares[0]:6.1%}  program {shares[1]:6.1%}")
    if not as_json and worst:
        within = sum(w <= 2.0 for w in worst)
        print(f"within a factor of two: {within} of {len(worst)}")


@bench_app.command("cases")
def bench_cases(
    circuit: Annotated[list[str] | None, typer.Option(help="may be repeated; default all")] = None,
    as_json: Annotated[bool, typer.Option("--json")] = False,
    misses: Annotated[bool, typer.Option(help="list what was not found")] = False,
) -> None:
    """Cases told in the trade's words, put down by hand: is what was wrong named first?"""
    from umweg.bench.cases import CaseFigures
    from umweg.bench.cases import bench_cases as measure
    from umweg.library import load_cases

    cases = [case for name in circuit or [""] for case in load_cases(name)]
    found: list[CaseFigures] = []
    circuits = {name: load_circuit(name) for name in {case.circuit for case in cases}}
    for f in measure(cases, circuits, load_jobs()[0].instruments):
        found.append(f)
        if as_json:
            print(json.dumps(asdict(f)), flush=True)
            continue
        verdict = "first" if f.first else "in three" if f.in_three else "MISSED"
        doubt = "" if f.explained else ", nothing modelled explains it"
        print(f"{f.circuit:20}{f.case:24}{f.sort:11}{verdict:9}{f.claimed:7.1%}{doubt}", flush=True)
        if misses and not f.first:
            print(f"    it was {' and '.join(f.wrong)}")
            for leader, share in f.leaders:
                print(f"    {share:6.1%} {leader}")
        for words in f.left_out:
            print(f"    not weighed: {words}")
    if found and not as_json:
        _print_cases(found)


def _print_cases(found: Sequence["CaseFigures"]) -> None:
    """Shares by sort of case, and of all."""
    for sort in (*dict.fromkeys(f.sort for f in found), "all"):
        of = [f for f in found if sort in (f.sort, "all")]
        first, three = sum(f.first for f in of), sum(f.in_three for f in of)
        wrong = sum(f.confidently_wrong for f in of)
        print(
            f"{sort:12}{len(of):4} cases, first {first / len(of):.0%}, all of it in three "
            f"{three / len(of):.0%}, confidently wrong {wrong}"
        )


@bench_app.command("isolate")
def bench_isolate(
    machines: Annotated[int, typer.Option(help="hidden machines a circuit")] = 24,
    circuit: Annotated[
        list[str] | None, typer.Option(help="one or a CIRCUIT.json; may be repeated; default all")
    ] = None,
    seed: int = 1,
    as_: Annotated[
        str, typer.Option("--as", help="“model”: they keep to it; “real”: they do not")
    ] = "model",
    pairs: Annotated[bool, typer.Option(help="two faults at once in each machine")] = False,
    typed: Annotated[
        bool, typer.Option(help="machines typed from paper, half of their numbers guessed")
    ] = False,
    misses: Annotated[bool, typer.Option(help="list what was not found")] = False,
    against: Annotated[
        list[str] | None,
        typer.Option(
            help="the same machines by a fixed “ladder”, in “any-order”, or by “everything”;"
            " may be repeated"
        ),
    ] = None,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Hidden machines: is what is wrong first when the program says enough, and what did it take."""
    from umweg.bench.isolate import KINDS, IsolateFigures
    from umweg.bench.isolate import bench_isolate as measure
    from umweg.bench.ways import WAYS

    kind = next((k for k in KINDS if k == as_), None)
    if kind is None:
        raise typer.BadParameter(f"machines are “model” or “real”, not “{as_}”")
    ways = tuple(dict.fromkeys(against or ()))
    if unknown := [way for way in ways if way not in WAYS]:
        known = ", ".join(f"“{way}”" for way in WAYS)
        raise typer.BadParameter(f"against one of {known}, not “{unknown[0]}”")
    if typed:
        found = [load_typed(name) for name in circuit or typed_ids()]
        # Of a list that a draft finds no function in, nobody tells anything.
        circuits = [c for c in found if c.functions]
        for c in found:
            if not c.functions:
                print(f"{c.id}: no function was drafted, left out", file=sys.stderr)
    else:
        circuits = [_circuit(name) for name in circuit or circuit_ids()]
    everyone = IsolateFigures("all")

    def line(f: IsolateFigures) -> str:
        return (
            f"{f.circuit:17}{len(f.played):9}{f.share('first'):8.0%}{f.share('in_three'):9.0%}"
            f"{f.share('component'):10.0%}{f.mean('claimed'):9.0%}{f.calibration_error:8.3f}"
            f"{f.sure_right:7.0%}{f.mean('readings'):9.1f}{f.mean('looks'):7.1f}"
            f"{f.mean('minutes'):9.1f}{f.mean('spent'):8.0f}"
        )

    if not as_json:
        print(
            f"{'circuit':17}{'machines':>9}{'first':>8}{'in three':>9}{'component':>10}"
            f"{'claimed':>9}{'cal err':>8}{'>97 %':>7}{'readings':>9}{'looks':>7}{'minutes':>9}"
            f"{'money':>8}"
        )
    kit = load_jobs()[0].instruments
    for f in measure(circuits, kit, machines, seed, kind, 2 if pairs else 1, against=ways):
        everyone.add(f)
        if as_json:
            print(json.dumps(asdict(f)), flush=True)
            continue
        print(line(f), flush=True)
        for way in ways:
            print(line(f.by(way)), flush=True)
        for p in f.played:
            if misses and not p.first:
                why = " (brought in for a wrong word alone)" if p.slip else ""
                print(f"    {p.hidden}: {p.claimed:.0%} on {p.claim}{why}", flush=True)
    if not as_json:
        print(line(everyone))
        print(
            f"claims exactly as good as they say would show a calibration error of "
            f"{everyone.calibration_by_chance:.3f} with so many machines"
        )
        for way in ways:
            print(line(everyone.by(way)))
        if "ladder" in ways:
            share = everyone.mean("minutes") / everyone.by("ladder").mean("minutes")
            print(f"minutes, of the fixed ladder's: {share:.0%}")
        slips = IsolateFigures("", [p for p in everyone.played if p.slip])
        if slips.played:
            print(
                f"brought in for a wrong word alone: {len(slips.played)} of "
                f"{len(everyone.played)}, right {slips.share('first'):.0%}"
            )
            others = IsolateFigures("", [p for p in everyone.played if not p.slip])
            print(
                f"of the others, with something to notice: first {others.share('first'):.0%}, in "
                f"three {others.share('in_three'):.0%}, calibration error "
                f"{others.calibration_error:.3f} ({others.calibration_by_chance:.3f} by chance)"
            )
        masked = IsolateFigures("", [p for p in everyone.played if p.masked])
        shown = IsolateFigures("", [p for p in everyone.played if not p.masked])
        if masked.played and shown.played:
            print(
                f"one of two faults hidden behind the other: {len(masked.played)} of "
                f"{len(everyone.played)}, in three {masked.share('in_three'):.0%}; "
                f"of the others {shown.share('in_three'):.0%}"
            )
        if cured := everyone.cured:
            count = len(cured)
            print(
                f"mended as advised, tried and looked at again: nobody complains any more of "
                f"{sum(c.quiet for c in cured) / count:.0%}, nothing is wrong with "
                f"{sum(c.whole for c in cured) / count:.0%}, after "
                f"{sum(c.repairs for c in cured) / count:.1f} repairs, "
                f"{sum(c.in_vain for c in cured) / count:.1f} of them in vain, "
                f"{sum(c.minutes for c in cured) / count:.0f} minutes and "
                f"{sum(c.money for c in cured) / count:.0f} in money"
            )
        for low, high, count, claimed, right in everyone.calibration():
            print(
                f"claims {low:.2f} … {high:.2f}: {count:4}  claimed {claimed:.2f}  right {right:.2f}"
            )


@bench_app.command("load")
def bench_load(
    technicians: Annotated[list[int] | None, typer.Option(help="how many, may be repeated")] = None,
    seconds: Annotated[float, typer.Option(help="how long, for each number")] = 60.0,
    cycle: Annotated[float, typer.Option(help="seconds of one technician's round")] = 40.0,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Technicians at work on loopback: milliseconds to an answer, errors, memory."""
    from umweg.service.load import bench_load as measure

    kinds = ("list", "job", "post", "ranking")
    if not as_json:
        each = "".join(f"{kind + ' p95':>13}" for kind in kinds)
        print(
            f"{'technicians':>11}{'requests':>9}{'errors':>7}{'p50':>6}{'p95':>6}{each}{'MB':>12}"
        )
    for f in measure(technicians or [20, 50, 200], seconds, cycle):
        if as_json:
            print(json.dumps({**asdict(f), "p95_ms": f.percentile(0.95)}), flush=True)
            continue
        each = "".join(f"{f.percentile(0.95, kind):13.0f}" for kind in kinds)
        memory = f"{f.memory_mb[0]:.0f} → {f.memory_mb[-1]:.0f}"
        print(
            f"{f.technicians:11}{f.requests:9}{len(f.errors):7}{f.percentile(0.5):6.0f}"
            f"{f.percentile(0.95):6.0f}{each}{memory:>12}",
            flush=True,
        )
        for error in f.errors[:5]:
            print(f"  {error}")


PORT = Annotated[int, typer.Option(min=1, max=65535, help="port on loopback")]
CONCURRENCY = Annotated[int, typer.Option(min=1, max=64, help="answers at the same time")]


@app.command()
def serve(port: PORT = 8417) -> None:
    """Serve the application; the database must be running (``demo`` starts everything)."""
    from umweg.service.demo import serve as run

    run(port)


@app.command()
def worker(concurrency: CONCURRENCY = 2) -> None:
    """Work out answers and play circuits, from the queue in the database, until stopped."""
    from umweg.service.demo import work

    work(concurrency)


@app.command()
def migrate() -> None:
    """Bring the database to this version's schema; nothing stored is lost."""
    from umweg.db.migrate import upgrade
    from umweg.db.session import make_engine

    upgrade(make_engine())


@app.command()
def export(
    jobs: Annotated[list[str], typer.Argument(help="id or reference of each job")],
    out: Annotated[Path | None, typer.Option(help="file to write, else the screen")] = None,
) -> None:
    """Jobs with record, machine and circuit as one file; everything, to be read in again."""
    from sqlalchemy.orm import Session

    from umweg.db.bundle import bundle_of
    from umweg.db.session import make_engine
    from umweg.db.store import Store

    with Session(make_engine()) as session:
        store = Store.only(session)
        text = bundle_of([store.named_job(j) for j in jobs]).model_dump_json(indent=1)
    if out is None:
        print(text)
    else:
        out.write_text(text + "\n")


@app.command(name="import")
def import_(
    file: Annotated[Path, typer.Argument(help="a file that export wrote, or an archive of such")],
    keep_mine: Annotated[
        bool, typer.Option(help="machines that differ stay as they are kept here")
    ] = False,
) -> None:
    """Read such a file in: all of it or nothing; what is kept already stays as it is."""
    from sqlalchemy.orm import Session

    from umweg.db.bundle import bundles_in, keep_bundle, read_bundle
    from umweg.db.session import make_engine
    from umweg.db.store import Store

    with Session(make_engine()) as session:
        rows = [
            row
            for text in bundles_in(file)
            for row in keep_bundle(Store.only(session), read_bundle(text), keep_mine)
        ]
        session.commit()
        for row in rows:
            print(f"{row.id}  {row.machine.name}: {row.complaint}")


@app.command()
def mutate(
    areas: Annotated[
        list[str] | None, typer.Argument(help="areas or modules, as core.diagnose.worth")
    ] = None,
    tenth: Annotated[
        int | None, typer.Option(min=0, max=9, help="only changes whose number ends so")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Change the program in small ways: does a test notice? All of it takes a night."""
    from umweg.service.mutants import AREAS
    from umweg.service.mutants import mutate as run

    found = run(areas or AREAS, tenth)
    if as_json:
        print(json.dumps([{**asdict(m), "share": m.share} for m in found]))
        return
    for m in found:
        print(f"{m.module:44} {m.noticed:4} of {m.count:4} noticed  {m.share:.0%}")
        for name in m.survived:
            print(f"    survived: {name}")
    noticed, count = sum(m.noticed for m in found), sum(m.count for m in found)
    print(f"{'together':44} {noticed:4} of {count:4} noticed  {noticed / max(count, 1):.0%}")


@app.command()
def kernels(
    part: Annotated[int | None, typer.Option(min=0, help="only this share of them")] = None,
) -> None:
    """Compile the flow laws ahead of their use."""
    from umweg.service import kernels as ahead

    if part is not None:
        ahead.compile_part(part)
    elif not ahead.finish(ahead.start_compiling()):
        raise SystemExit(1)


@app.command()
def formats(folder: Path = Path("docs")) -> None:
    """Write the published schemas of our files and of the API, and the generated pages."""
    from umweg.pages import write_pages
    from umweg.web.formats import publish

    publish(folder / "formats")
    write_pages(folder)


@app.command()
def demo(port: PORT = 8417) -> None:
    """Start PostgreSQL, migrate, load the demo workshop, build the front end, serve."""
    from umweg.service.demo import demo as run

    run(port)


@app.command()
def test(
    fast: Annotated[bool, typer.Option(help="Python tests only")] = False,
    exhaustive: Annotated[
        bool, typer.Option(help="only what plays every library machine with every fault")
    ] = False,
) -> None:
    """Everything CI runs."""
    from umweg.service.testing import run_all, run_exhaustive

    raise SystemExit(run_exhaustive() if exhaustive else run_all(fast))


if __name__ == "__main__":
    main()
