"""Workshop, instruments, circuit revisions, machines, jobs, append-only entries."""

from datetime import datetime

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0001"
down_revision = None

REFUSE_CHANGE = """
CREATE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION '% is append-only: add a row that supersedes instead', TG_TABLE_NAME;
END $$
"""


def _created_at() -> "sa.Column[datetime]":
    return sa.Column(
        "created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False
    )


def upgrade() -> None:
    """Create the tables, and refuse changes to what must never change."""
    op.create_table(
        "workshop",
        sa.Column("id", sa.Integer, nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("currency", sa.String(8), nullable=False),
        sa.Column("labour_per_min", sa.Float, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_workshop"),
        sa.UniqueConstraint("name", name="uq_workshop_name"),
    )
    op.create_table(
        "instrument",
        sa.Column("id", sa.Integer, nullable=False),
        sa.Column("workshop_id", sa.Integer, nullable=False),
        sa.Column("key", sa.String(60), nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_instrument"),
        sa.ForeignKeyConstraint(
            ["workshop_id"], ["workshop.id"], name="fk_instrument_workshop_id_workshop"
        ),
        sa.UniqueConstraint("workshop_id", "key", name="uq_instrument_workshop_id_key"),
    )
    op.create_table(
        "circuit_revision",
        sa.Column("id", sa.Integer, nullable=False),
        sa.Column("circuit_id", sa.String(60), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("document", JSONB, nullable=False),
        _created_at(),
        sa.PrimaryKeyConstraint("id", name="pk_circuit_revision"),
        sa.UniqueConstraint(
            "circuit_id", "revision", name="uq_circuit_revision_circuit_id_revision"
        ),
    )
    op.create_table(
        "machine",
        sa.Column("id", sa.Integer, nullable=False),
        sa.Column("workshop_id", sa.Integer, nullable=False),
        sa.Column("circuit_id", sa.String(60), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("owner", sa.String(200), nullable=False),
        sa.Column("serial", sa.String(100), nullable=False),
        sa.Column("hours", sa.Float, nullable=False),
        sa.Column("recent_work", sa.String(2000), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_machine"),
        sa.ForeignKeyConstraint(
            ["workshop_id"], ["workshop.id"], name="fk_machine_workshop_id_workshop"
        ),
        sa.UniqueConstraint("workshop_id", "serial", name="uq_machine_workshop_id_serial"),
    )
    op.create_table(
        "job",
        sa.Column("id", sa.Uuid, nullable=False),
        sa.Column("reference", sa.String(100)),
        sa.Column("machine_id", sa.Integer, nullable=False),
        sa.Column("circuit_revision_id", sa.Integer, nullable=False),
        sa.Column("complaint", sa.String(2000), nullable=False),
        _created_at(),
        sa.PrimaryKeyConstraint("id", name="pk_job"),
        sa.UniqueConstraint("reference", name="uq_job_reference"),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name="fk_job_machine_id_machine"),
        sa.ForeignKeyConstraint(
            ["circuit_revision_id"],
            ["circuit_revision.id"],
            name="fk_job_circuit_revision_id_circuit_revision",
        ),
    )
    op.create_table(
        "entry",
        sa.Column("id", sa.Uuid, nullable=False),
        sa.Column("job_id", sa.Uuid, nullable=False),
        sa.Column("sequence", sa.Integer, nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("supersedes", sa.Uuid),
        sa.Column("idempotency_key", sa.String(100), nullable=False),
        sa.Column("author", sa.String(100), nullable=False),
        _created_at(),
        sa.PrimaryKeyConstraint("id", name="pk_entry"),
        sa.ForeignKeyConstraint(["job_id"], ["job.id"], name="fk_entry_job_id_job"),
        sa.ForeignKeyConstraint(["supersedes"], ["entry.id"], name="fk_entry_supersedes_entry"),
        sa.UniqueConstraint("job_id", "sequence", name="uq_entry_job_id_sequence"),
        sa.UniqueConstraint("job_id", "idempotency_key", name="uq_entry_job_id_idempotency_key"),
    )
    op.execute(REFUSE_CHANGE)
    for table in ("entry", "circuit_revision"):
        op.execute(
            f"CREATE TRIGGER append_only BEFORE UPDATE OR DELETE ON {table} "
            "FOR EACH ROW EXECUTE FUNCTION refuse_change()"
        )


def downgrade() -> None:
    """Drop everything."""
    for table in ("entry", "job", "machine", "circuit_revision", "instrument", "workshop"):
        op.drop_table(table)
    op.execute("DROP FUNCTION refuse_change()")
