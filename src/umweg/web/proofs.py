"""How far a job's last repair is proved, as the screens, the list and the report say it."""

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.proving import proved
from umweg.core.errors import UmwegError
from umweg.core.observe.kinds.base import Observed
from umweg.core.record.proof import Proof
from umweg.db.entries import Record
from umweg.db.models import JobRow
from umweg.web.context import Context
from umweg.web.schemas import AgainView, AnswerEntry, ProofView

SAID = {
    "proved": "Proved: what made the case is shown again, each as a sound machine shows it.",
    "contradicted": "The proof contradicts the repair: the machine is not as it should be.",
}


def proof_view(context: Context, row: JobRow, record: Record) -> ProofView | None:
    """The proof of a job's last repair; nothing where nothing was repaired."""
    if not record.repairs:
        return None
    suspects = context.suspects(row.circuit_revision)
    exhibits = context.rankings.exhibits(suspects, row.circuit_revision.sha256)
    repair = record.repairs[-1]
    kept = record.kept
    proof = proved(
        exhibits,
        context.store.instruments,
        kept,
        (repair.component, repair.mode),
        record.epochs,
        record.accepted,
    )
    observed = {k.observed.id: k.observed for k in kept}
    words = {k.observed.id: _words(suspects.circuit, k.observed) for k in kept}
    return ProofView(
        word=proof.word,
        words=SAID.get(proof.word) or _open_words(proof),
        asked=[
            AgainView(
                before=a.before,
                words=words[a.before],
                why=a.why,
                after=a.after,
                shown=a.shown,
                answers=[
                    AnswerEntry.model_validate(
                        {"words": _words(suspects.circuit, answer), "entry": answer}
                    )
                    for answer in observed[a.before].answers()
                ],
            )
            for a in proof.asked
        ],
        against=list(proof.against),
    )


def _open_words(proof: Proof) -> str:
    if not proof.asked:
        return "Repaired, not proved: nothing was observed before that could be shown again."
    count, of = len(proof.left), len(proof.asked)
    things, are = "thing" if of == 1 else "things", "is" if count == 1 else "are"
    return f"Repaired, not proved: {count} of {of} {things} {are} still to be shown again."


def _words(circuit: Circuit, observed: Observed) -> str:
    try:
        return observed.words(circuit)
    except UmwegError as error:
        return f"Does not fit the machine: {error.message}"
