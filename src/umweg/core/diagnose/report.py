"""A diagnosis as a document: what the command line prints and the web API serves."""

import math
from collections.abc import Mapping, Sequence

from umweg.core.circuit.document import Circuit
from umweg.core.components import component_type
from umweg.core.diagnose.diagnosis import Diagnosis
from umweg.core.diagnose.flow_curve import FlowCurve
from umweg.core.diagnose.guesses import Guess
from umweg.core.diagnose.mend_views import Mend
from umweg.core.diagnose.plan import DETAILED, DETAILED_REFUSED
from umweg.core.diagnose.ranking import Band, LeftOut, Ranking, Reason, Suspect
from umweg.core.diagnose.steps import Step
from umweg.core.diagnose.worth import NOTHING, Repair, cure_of
from umweg.core.errors import UmwegError
from umweg.core.faults.population import Hypothesis
from umweg.core.observe.history import Experience
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantity_kinds import WORDS_OF_KIND
from umweg.core.observe.recorded import curves_for
from umweg.core.shop.verdict import specification_for
from umweg.core.view import View


class BandView(View):
    """Between these, nine times out of ten; in base units."""

    key: str
    low: float
    high: float


TOLD_FACTOR = 1.15
"""A shop's experience that changes the odds by less is not worth a line."""


class ReasonView(View):
    """One observation for or against a suspect, in words and as a likelihood ratio."""

    observation: str
    words: str
    log10_ratio: float
    predicted: BandView | None


class FaultView(View):
    """One fault: the part, and what is wrong with it."""

    component: str
    component_label: str
    location: str
    mode: str
    mode_label: str
    family: str
    confirm: str
    remedy: str


class SuspectView(View):
    """A suspect with its share of the belief."""

    key: str
    component: str
    mode: str
    family: str
    title: str
    faults: list[FaultView]
    share: float
    severity: float
    group: list[str]
    reasons: list[ReasonView]
    experience: list[str]
    """What the shop found on other machines, where that counts here."""


class HazardView(View):
    """A rating that a live suspect would break in this step."""

    port: str
    pressure_bar: float
    rating_bar: float
    share: float
    suspect: str
    refused: bool
    words: str


class OutcomeView(View):
    """A word that could be the answer, how likely it is, and the observation to keep for it."""

    word: str
    probability: float
    entry: Observation


class PartedView(View):
    """Whom one outcome of a step would point at: a reading between two limits, or an answer."""

    low: float | None
    high: float | None
    answer: str
    suspects: list[str]


class StepView(View):
    """One thing to observe next."""

    kind: str
    point: str
    point_label: str
    gauge_point: str
    """Test point at which something hangs for it; nothing where none does."""
    quantity: str
    quantity_label: str
    unit: str
    state: str
    state_label: str
    reading: Reading | None
    """For a reading: what is entered, but for its value."""
    minutes: float
    bits: float
    healthy: BandView | None
    specification: BandView | None
    by_suspect: list[BandView]
    parts: list[PartedView]
    """Whom it parts, by name, in the order of their shares."""
    outcomes: list[OutcomeView]
    curve_of: list[str]
    """Kinds of unit of a recorded curve that it may be read from; none where no curve tells it."""
    hazards: list[HazardView]
    cautions: list[str]
    fitting: str
    instrument: str | None
    instrument_label: str | None
    highest_bar: float | None
    worth: float
    refused: str


class FlowCurveView(View):
    """Flow at several pressures of one meter as one step, the lowest pressure first."""

    loads_bar: list[float]
    steps: list[StepView]
    minutes: float
    bits: float
    worth: float


class RepairView(View):
    """Exchanging one part now, in money."""

    component: str
    component_label: str
    remedy: str
    share: float
    cost: float
    expected_cost: float


class GuessView(View):
    """A number nobody has measured, and what knowing it would tell."""

    component: str
    component_label: str
    parameter: str
    description: str
    value: float
    unit: str
    bits: float


class PlanView(View):
    """What to do next, and what repairing now would cost."""

    next_steps: list[StepView]
    repairs: list[RepairView]
    enough: bool
    do_first: RepairView | None
    """What is mended first; nothing where enough is not known, or where nothing is to be mended."""
    not_excluded: tuple[str, ...]
    """Where enough is known: what that would not cure and is still possible."""
    expected_cost: float
    guesses: tuple[GuessView, ...] = ()


class LeftOutView(View):
    """An observation that is kept but could not be weighed."""

    observation: str
    words: str
    why: str


class AtOddsView(View):
    """Readings to be taken again before anything is made of them."""

    observations: list[str]
    words: str


class DiagnosisView(View):
    """Suspects and reasons; the plan follows when it is worked out."""

    suspects: list[SuspectView]
    other_share: float
    explained: bool
    two_faults_considered: bool
    left_out: list[LeftOutView]
    plan: PlanView | None
    mend: Mend | None = None
    """How the first repair is made, where nothing more is worth finding out."""
    earlier_readings: int = 0
    """Of this machine, from when it was in order, that were weighed along: its own baseline."""
    at_odds: tuple[AtOddsView, ...] = ()
    """Readings that do not go with the others, or not with one another."""
    before_tests: tuple[str, ...] = ()
    """What was observed asks for this before anything is tested: drain, stop here."""


def report(
    circuit: Circuit, diagnosis: Diagnosis, observations: Sequence[Observation]
) -> DiagnosisView:
    """Put a diagnosis into words."""
    words = _words_by_id(circuit, observations)
    offered = [s for s in diagnosis.steps if not s.refused][:DETAILED]
    refused = [s for s in diagnosis.steps if s.refused][:DETAILED_REFUSED]
    do_first = diagnosis.do_first if diagnosis.enough else None
    return DiagnosisView(
        suspects=[_suspect(circuit, s, words) for s in diagnosis.suspects],
        other_share=diagnosis.other_share,
        explained=diagnosis.explained,
        two_faults_considered=diagnosis.pairs_drawn,
        left_out=_left_out(diagnosis.left_out, words),
        earlier_readings=diagnosis.earlier_readings,
        at_odds=_at_odds(diagnosis.at_odds, words, dict(diagnosis.meant)),
        before_tests=_before_tests(observations),
        plan=PlanView(
            enough=diagnosis.enough,
            do_first=None if do_first is None else _repair(circuit, do_first),
            not_excluded=_not_excluded(circuit, diagnosis) if diagnosis.enough else (),
            expected_cost=diagnosis.expected_cost,
            next_steps=[step_view(circuit, s) for s in (*offered, *refused)],
            repairs=[_repair(circuit, r) for r in diagnosis.repairs],
            guesses=tuple(_guess_view(circuit, g) for g in diagnosis.guesses),
        ),
    )


def _repair(circuit: Circuit, repair: Repair) -> RepairView:
    return RepairView(
        component=repair.component_id,
        component_label=circuit.component(repair.component_id).label,
        remedy=repair.remedy,
        share=repair.share,
        cost=repair.cost,
        expected_cost=repair.expected_cost,
    )


POSSIBLE_ABOVE = 0.01
"""Share from which a suspect is named among what is not excluded."""


def _not_excluded(circuit: Circuit, diagnosis: Diagnosis) -> tuple[str, ...]:
    """Suspects that are left when the first repair changes nothing, or when the machine is given
    back, the likeliest first."""
    first = diagnosis.do_first
    done = NOTHING if first is None else (first.component_id, first.work)
    left = (
        s
        for s in diagnosis.suspects
        if s.share >= POSSIBLE_ABOVE and any(action != done for action in cure_of(s.hypothesis))
    )
    return tuple(hypothesis_title(circuit, s.hypothesis) for s in left)[:MOST_NAMED]


def _at_odds(
    at_odds: Sequence[tuple[str, ...]], words: Mapping[str, str], meant: Mapping[str, str]
) -> tuple[AtOddsView, ...]:
    """What is to be read again, and what it may have been."""

    def said(ids: Sequence[str]) -> str:
        told = _AT_ODDS[len(ids) - 1].format(*(words[i] for i in ids))
        slips = [
            meant[i] if len(ids) == 1 else f"{words[i]}: {meant[i]}" for i in ids if i in meant
        ]
        return " ".join((told, *slips))

    named = {i for ids in at_odds for i in ids}
    alone = [(i,) for i in meant if i not in named]
    return tuple(AtOddsView(observations=list(ids), words=said(ids)) for ids in (*at_odds, *alone))


def _before_tests(observations: Sequence[Observation]) -> tuple[str, ...]:
    """By what was last observed of each thing."""
    last = {o.topic(): o.before_tests for o in observations}
    return tuple(dict.fromkeys(words for words in last.values() if words))


_AT_ODDS = (
    "{0}: nothing that is likely shows this, so it is counted as misread. Read it again: unit, "
    "coupling, and how the machine stood.",
    "{0} and {1} contradict one another: hardly anything that is likely shows both. Read both again "
    "before going on.",
)
"""Of one reading, and of two."""


def _guess_view(circuit: Circuit, guess: Guess) -> GuessView:
    part = circuit.component(guess.component_id)
    field = component_type(part.type).Parameters.model_fields[guess.parameter]
    return GuessView(
        component=part.id,
        component_label=part.label,
        parameter=guess.parameter,
        description=field.description or guess.parameter,
        value=guess.value,
        unit=guess.unit,
        bits=guess.bits,
    )


def ranking_report(ranking: Ranking, observations: Sequence[Observation]) -> DiagnosisView:
    """Put a ranking into words, the plan being still to come."""
    circuit = ranking.suspects.circuit
    words = _words_by_id(circuit, observations)
    return DiagnosisView(
        suspects=[_suspect(circuit, s, words) for s in ranking.listed()],
        other_share=ranking.other_share,
        explained=ranking.explained,
        two_faults_considered=False,
        left_out=_left_out(ranking.left_out, words),
        earlier_readings=ranking.earlier,
        at_odds=_at_odds(ranking.at_odds, words, {}),
        before_tests=_before_tests(observations),
        plan=None,
    )


def _words_by_id(circuit: Circuit, observations: Sequence[Observation]) -> dict[str, str]:
    found = {}
    for observation in observations:
        try:
            found[observation.id] = observation.words(circuit)
        except UmwegError as error:
            found[observation.id] = f"An observation that does not fit the machine: {error.message}"
    return found


def _left_out(left_out: Sequence[LeftOut], words: dict[str, str]) -> list[LeftOutView]:
    return [
        LeftOutView(observation=o.observation, words=words[o.observation], why=o.why)
        for o in left_out
    ]


NOTHING_WRONG = "No hydraulic fault (operator, interlock, expectation)"


def hypothesis_title(circuit: Circuit, hypothesis: Hypothesis) -> str:
    """A hypothesis in words."""
    return (
        " and ".join(
            f"{circuit.component(f.component_id).label}: {f.mode.label}" for f in hypothesis.faults
        )
        or NOTHING_WRONG
    )


def band_view(band: Band | None) -> BandView | None:
    """A band as the API gives it."""
    return None if band is None else BandView(key=band.key, low=band.low, high=band.high)


def _suspect(circuit: Circuit, suspect: Suspect, words: dict[str, str]) -> SuspectView:
    hypothesis = suspect.hypothesis
    first = hypothesis.faults[0] if hypothesis.faults else None
    return SuspectView(
        key=hypothesis.key,
        component=first.component_id if first else "",
        mode=first.mode.name if first else "healthy",
        family=first.mode.family if first else "",
        title=hypothesis_title(circuit, hypothesis),
        faults=[
            FaultView(
                component=f.component_id,
                component_label=circuit.component(f.component_id).label,
                location=circuit.component(f.component_id).location,
                mode=f.mode.name,
                mode_label=f.mode.label,
                family=f.mode.family,
                confirm=f.mode.look,
                remedy=f.mode.remedy,
            )
            for f in hypothesis.faults
        ],
        share=suspect.share,
        severity=suspect.severity,
        group=list(suspect.group),
        reasons=[_reason(r, words) for r in suspect.reasons],
        experience=[experience_words(e) for e in suspect.experience if _counts(e)],
    )


def _counts(experience: Experience) -> bool:
    return abs(math.log(experience.factor)) > math.log(TOLD_FACTOR)


def experience_words(experience: Experience) -> str:
    """What a shop's finds do to a fault, in words."""
    factor = experience.factor
    how = (
        f"{factor:.1f} times as likely" if factor >= 1.0 else f"{1 / factor:.1f} times less likely"
    )
    times = {0: "never", 1: "once"}.get(experience.found, f"{experience.found} times")
    return (
        f"This shop found it {times} where {experience.expected:.1f} were to be expected: "
        f"believed {how} from the outset"
    )


def _reason(reason: Reason, words: dict[str, str]) -> ReasonView:
    ratio = reason.log10_ratio
    if abs(ratio) < 0.15:
        verdict = "says little either way"
    else:
        times = f"{_two_figures(10 ** min(abs(ratio), 4)):g}"
        verdict = f"speaks {'for' if ratio > 0 else 'against'} it, {times} to 1"
    return ReasonView(
        observation=reason.observation,
        words=f"{words[reason.observation]}: {verdict}",
        log10_ratio=ratio,
        predicted=band_view(reason.expected),
    )


def _two_figures(value: float) -> float:
    return float(f"{value:.2g}")


def _curves_for(circuit: Circuit, step: Step) -> list[str]:
    timing = next((t for t in circuit.timings if t.id == step.point), None)
    return [] if step.kind != "reading" or timing is None else list(curves_for(timing))


def step_view(circuit: Circuit, step: Step) -> StepView:
    """One step in words."""
    hazard = step.hazard
    specification = None
    if step.kind == "reading":
        spec = specification_for(circuit, step.quantity, step.point, step.state)
        if spec is not None:
            low = spec.low if spec.low is not None else float("-1e9")
            high = spec.high if spec.high is not None else float("1e9")
            specification = BandView(key=spec.id, low=low, high=high)
    return StepView(
        kind=step.kind,
        point=step.point,
        point_label=step.point_label,
        gauge_point=step.gauge_point,
        quantity=step.quantity,
        quantity_label=WORDS_OF_KIND.get(step.quantity, step.quantity),
        unit=step.unit,
        state=step.state,
        state_label=step.state_label,
        reading=step.asks if isinstance(step.asks, Reading) else None,
        minutes=step.minutes,
        bits=step.bits,
        healthy=band_view(step.healthy),
        specification=specification,
        by_suspect=[BandView(key=b.key, low=b.low, high=b.high) for b in step.by_suspect],
        parts=_parts(circuit, step),
        outcomes=[
            OutcomeView.model_validate(
                {"word": answer.word, "probability": share, "entry": answer.observation}
            )
            for answer, share in step.outcomes
        ],
        curve_of=_curves_for(circuit, step),
        hazards=[]
        if hazard is None
        else [
            HazardView(
                port=hazard.port,
                pressure_bar=hazard.pressure_bar,
                rating_bar=hazard.rating_bar,
                share=hazard.share,
                suspect=hazard.suspect,
                refused=hazard.refused,
                words=hazard.words,
            )
        ],
        cautions=list(step.cautions),
        fitting=step.fitting,
        instrument=None if step.instrument is None else step.instrument.id,
        instrument_label=None if step.instrument is None else step.instrument.label,
        highest_bar=step.highest_bar,
        worth=step.saving,
        refused=step.refused,
    )


MOST_NAMED = 3
"""More names than so many are no help to who stands at the machine."""


def _parts(circuit: Circuit, step: Step) -> list[PartedView]:
    """Whom a step parts: by the parts' names, and by what is wrong with them where that is it."""
    sides = [{f.component_id for h in p.hypotheses for f in h.faults} for p in step.parts]
    twice = {part for i, side in enumerate(sides) for o in sides[i + 1 :] for part in side & o}

    one_part = len(set().union(*sides)) == 1

    def name(hypothesis: Hypothesis) -> str:
        if one_part and hypothesis.faults:
            return " and ".join(f.mode.label for f in hypothesis.faults)
        parts = [circuit.component(f.component_id).label for f in hypothesis.faults]
        if any(f.component_id in twice for f in hypothesis.faults):
            return hypothesis_title(circuit, hypothesis)
        return " and ".join(dict.fromkeys(parts)) or NOTHING_WRONG

    found = []
    for parted in step.parts:
        names = list(dict.fromkeys(name(h) for h in parted.hypotheses))
        if len(names) > MOST_NAMED:
            names = [*names[: MOST_NAMED - 1], f"{len(names) - MOST_NAMED + 1} others"]
        answer = "" if parted.answer is None else step.outcomes[parted.answer][0].word
        found.append(PartedView(low=parted.low, high=parted.high, answer=answer, suspects=names))
    return found


def flow_curve_view(circuit: Circuit, curve: FlowCurve) -> FlowCurveView:
    """A curve's readings in words, and what they tell together."""
    return FlowCurveView(
        loads_bar=list(curve.loads_bar),
        steps=[step_view(circuit, step) for step in curve.steps],
        minutes=curve.minutes,
        bits=curve.bits,
        worth=curve.saving,
    )
