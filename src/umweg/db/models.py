"""Tables. Entries are only ever added; a trigger of the first migration refuses anything else."""

import uuid
from datetime import datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    DateTime,
    Float,
    ForeignKey,
    Index,
    LargeBinary,
    MetaData,
    String,
    Text,
    UniqueConstraint,
    func,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


class Base(DeclarativeBase):
    """Constraint names are fixed, so migrations can name them."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )


class Workshop(Base):
    """The shop: what labour costs, in which currency, and which kit it owns."""

    __tablename__ = "workshop"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200), unique=True)
    currency: Mapped[str] = mapped_column(String(8), default="EUR")
    labour_per_min: Mapped[float] = mapped_column(Float, default=1.5)
    experience: Mapped[dict[str, Any] | None] = mapped_column(JSONB)
    """What it found how often, as it was last taken over; nothing before somebody did."""
    instruments: Mapped[list["InstrumentRow"]] = relationship(order_by="InstrumentRow.id")


class InstrumentRow(Base):
    """A gauge, meter, watch or rule of the shop, as an ``Instrument`` document."""

    __tablename__ = "instrument"
    __table_args__ = (UniqueConstraint("workshop_id", "key"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workshop_id: Mapped[int] = mapped_column(ForeignKey("workshop.id"))
    key: Mapped[str] = mapped_column(String(60))
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)


class CircuitRevision(Base):
    """One revision of a circuit document; never changed, a job keeps the one it used."""

    __tablename__ = "circuit_revision"
    __table_args__ = (UniqueConstraint("circuit_id", "revision"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workshop_id: Mapped[int | None] = mapped_column(ForeignKey("workshop.id"))
    """Whose it is; none for what every workshop sees, the library's."""
    circuit_id: Mapped[str] = mapped_column(String(60))
    revision: Mapped[int]
    sha256: Mapped[str] = mapped_column(String(64))
    document: Mapped[dict[str, Any]] = mapped_column(JSONB, deferred=True)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class Machine(Base):
    """A machine of a customer; its circuit is the newest revision of ``circuit_id``."""

    __tablename__ = "machine"
    __table_args__ = (UniqueConstraint("workshop_id", "serial"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workshop_id: Mapped[int] = mapped_column(ForeignKey("workshop.id"))
    circuit_id: Mapped[str] = mapped_column(String(60))
    name: Mapped[str] = mapped_column(String(200))
    owner: Mapped[str] = mapped_column(String(200), default="")
    serial: Mapped[str] = mapped_column(String(100))
    hours: Mapped[float] = mapped_column(Float, default=0)
    recent_work: Mapped[str] = mapped_column(String(2000), default="")


class JobRow(Base):
    """A job on a machine; everything that happens in it is an entry."""

    __tablename__ = "job"
    __table_args__ = (
        Index("ix_job_created_at", "created_at"),
        Index("ix_job_machine_id", "machine_id"),
    )

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    reference: Mapped[str | None] = mapped_column(String(100), unique=True)
    machine_id: Mapped[int] = mapped_column(ForeignKey("machine.id"))
    circuit_revision_id: Mapped[int] = mapped_column(ForeignKey("circuit_revision.id"))
    complaint: Mapped[str] = mapped_column(String(2000))
    hours: Mapped[float] = mapped_column(Float, default=0, server_default="0")
    """Of the machine when it was opened."""
    open_key: Mapped[str | None] = mapped_column(String(100), unique=True)
    """The key it was opened with: the same one opens no second job."""
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    machine: Mapped[Machine] = relationship()
    circuit_revision: Mapped[CircuitRevision] = relationship()
    entries: Mapped[list["EntryRow"]] = relationship(order_by="EntryRow.sequence")


class EntryRow(Base):
    """One thing that was told, seen, read, decided or done. A correction supersedes, never edits."""

    __tablename__ = "entry"
    __table_args__ = (
        UniqueConstraint("job_id", "sequence"),
        UniqueConstraint("job_id", "idempotency_key"),
        Index("ix_entry_supersedes", "supersedes"),
    )

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    job_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("job.id"))
    sequence: Mapped[int]
    kind: Mapped[str] = mapped_column(String(20))
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    supersedes: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("entry.id"))
    idempotency_key: Mapped[str] = mapped_column(String(100))
    author: Mapped[str] = mapped_column(String(100), default="")
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class AnswerRow(Base):
    """A question about a job as it stood, and its answer once a worker has found it.

    It can always be found again: rows may be thrown away at any time.
    """

    __tablename__ = "answer"
    __table_args__ = (Index("ix_answer_job_id", "job_id"),)

    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    job_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("job.id"))
    basis: Mapped[str] = mapped_column(String(64))
    """Hash of model, kit and rate: another one makes the answer an old one."""
    question: Mapped[dict[str, Any]] = mapped_column(JSONB, deferred=True)
    summary: Mapped[dict[str, Any] | None] = mapped_column(JSONB)
    diagnosis: Mapped[dict[str, Any] | None] = mapped_column(JSONB, deferred=True)
    trouble: Mapped[str | None] = mapped_column(Text)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class KeptRow(Base):
    """Something worked out about a circuit: what the candidates would show, how the oil flows."""

    __tablename__ = "kept"

    circuit_sha256: Mapped[str] = mapped_column(String(64), primary_key=True)
    model: Mapped[str] = mapped_column(String(16), primary_key=True)
    name: Mapped[str] = mapped_column(String(200), primary_key=True)
    content: Mapped[bytes] = mapped_column(LargeBinary)
    asked_for: Mapped[bool] = mapped_column(default=False)
    """Kept because a client's own state asked for it: the oldest of these are thrown away."""
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class ProgressRow(Base):
    """How far a piece of work is; its number is that of the queue."""

    __tablename__ = "progress"

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    title: Mapped[str] = mapped_column(String(300))
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    updated_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
