"""A job as files: the document that the command line reads, and its readings as a table."""

import csv
import io
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Path, Response

from umweg.core.circuit.document import Circuit
from umweg.core.errors import UmwegError
from umweg.core.observe.job import Job, MachineCard
from umweg.core.observe.kinds.base import resolve_state
from umweg.core.observe.kinds.readings import Reading, measured
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.core.version import model_version
from umweg.db import kept
from umweg.db.bundle import Bundle, as_it_stands, bundle_of, keep_bundle
from umweg.db.entries import Record, record_of
from umweg.db.machine_record import history_of
from umweg.db.models import JobRow
from umweg.db.store import NotFoundError
from umweg.web.context import Context, ContextOf
from umweg.web.problems import READS, WRITES
from umweg.web.schemas import BundleKept, ExportView
from umweg.work.asking import EXPORT, want_export, want_played

router = APIRouter(prefix="/api/jobs", tags=["exports"])
everything = APIRouter(prefix="/api/exports", tags=["exports"])

COLUMNS = (
    "sequence",
    "time",
    "quantity",
    "place",
    "state",
    "value",
    "unit",
    "value_base",
    "unit_base",
    "repeats",
    "instrument",
    "standing",
)
STARTS_FORMULA = ("=", "+", "-", "@", "\t", "\r")


@router.get("/{job_id}/export", responses=READS)
def export(job_id: UUID, context: ContextOf) -> Job:
    """The job as ``umweg-job/1``, as ``./umweg diagnose`` reads it; what was withdrawn is left out."""
    row = context.store.job(job_id)
    return job_document(context, row, record_of(row.entries))


@router.get("/{job_id}/bundle", responses=READS)
def bundle(job_id: UUID, context: ContextOf) -> Bundle:
    """The job with its whole record, its machine and its circuit: everything, to be read in again."""
    return bundle_of([context.store.job(job_id)])


@router.post("/bundle", status_code=201, responses=WRITES)
def keep(new: Bundle, context: ContextOf, keep_mine: bool = False) -> BundleKept:
    """Keep the jobs of a bundle. What is kept already stays as it is; a bad file changes nothing.

    Where a machine is not as it is kept here, what differs is said (409, ``machine_differs``); it is
    read in once somebody has said that the machine stays as it is here.
    """
    rows = keep_bundle(context.store, new, keep_mine)
    found = BundleKept(jobs=[row.id for row in rows])
    digests = {row.circuit_revision.sha256 for row in rows}
    context.session.commit()
    context.session.close()
    for digest in sorted(digests):
        want_played(context.queue, digest)
    return found


@router.get(
    "/{job_id}/readings.csv",
    response_class=Response,
    responses={**READS, 200: {"content": {"text/csv": {"schema": {"type": "string"}}}}},
)
def readings(job_id: UUID, context: ContextOf) -> Response:
    """Every reading as a table, the corrected ones too, with ``standing`` to tell them apart."""
    row = context.store.job(job_id)
    circuit = context.circuit(row.circuit_revision)
    content = readings_csv(circuit, record_of(row.entries))
    name = f"readings-{row.id}.csv"
    return Response(
        content,
        media_type="text/csv",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


@everything.post("", responses=WRITES)
def write_all(context: ContextOf) -> ExportView:
    """All jobs of the workshop as they stand now; asked again until they are written."""
    standing = as_it_stands(context.store)
    there = kept.kept(context.session, standing, model_version(), [EXPORT])
    context.session.close()
    if not there:
        want_export(context.queue, standing)
    return ExportView(standing=standing, pending=not there)


@everything.get(
    "/{standing}.zip",
    response_class=Response,
    responses={**READS, 200: {"content": {"application/zip": {"schema": {"type": "string"}}}}},
)
def written(
    standing: Annotated[str, Path(pattern="^[0-9a-f]{64}$")], context: ContextOf
) -> Response:
    """The archive: a bundle for each revision of a circuit, to be read in by itself."""
    found = kept.kept(context.session, standing, model_version(), [EXPORT]).get(EXPORT)
    if found is None:
        raise NotFoundError("these jobs are not written; ask for them once more")
    return Response(
        found,
        media_type="application/zip",
        headers={"Content-Disposition": 'attachment; filename="umweg-all-jobs.zip"'},
    )


def job_document(context: Context, row: JobRow, record: Record) -> Job:
    """A job's standing observations with its machine and the shop's kit."""
    machine, store = row.machine, context.store
    return Job(
        format="umweg-job/1",
        id=row.reference or str(row.id),
        circuit=row.circuit_revision.circuit_id,
        machine=MachineCard(
            name=machine.name,
            owner=machine.owner,
            serial=machine.serial,
            **history_of(store, row, record).model_dump(),
        ),
        complaint=row.complaint,
        labour_per_min=store.workshop.labour_per_min,
        instruments=list(store.instruments),
        observations=record.observations,
    )


def readings_csv(circuit: Circuit, record: Record) -> str:
    """All readings, one a line, with the units in columns of their own."""
    buffer = io.StringIO()
    table = csv.DictWriter(buffer, COLUMNS)
    table.writeheader()
    for entry, data in record.entries:
        if not isinstance(data, Reading):
            continue
        line: dict[str, object] = {
            "sequence": entry.sequence,
            "time": entry.created_at.isoformat(timespec="seconds"),
            "value": data.value,
            "unit": data.unit,
            "repeats": " ".join(f"{r:g}" for r in data.repeats),
            "instrument": data.instrument or "",
            "standing": "yes" if entry.id in record.standing else "no",
        }
        try:
            quantity, value = measured(circuit, data)
            line |= {
                "quantity": quantity.kind,
                "place": quantity.place,
                "state": resolve_state(circuit, data.state).label,
                "value_base": f"{value:.6g}",
                "unit_base": UNIT_OF_KIND[quantity.kind],
            }
        except UmwegError:
            # It fits the machine no longer; it is written as it was taken.
            line["quantity"] = "does not fit the machine"
        table.writerow({name: _plain(value) for name, value in line.items()})
    return buffer.getvalue()


def _plain(value: object) -> object:
    """A text that a spreadsheet would take for a formula is marked as text."""
    if isinstance(value, str) and value.startswith(STARTS_FORMULA):
        return f"'{value}"
    return value
