"""The queue in a schema of its own, answers, kept results, progress; whose a circuit is."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects.postgresql import JSONB

revision = "0002"
down_revision = "0001"

QUEUE = "queue"


def _now(name: str) -> "sa.Column[object]":
    """The moment itself, not that of the transaction: what is kept last is the newest."""
    moment = sa.func.clock_timestamp()
    return sa.Column(name, sa.DateTime(timezone=True), server_default=moment, nullable=False)


def _make_queue() -> None:
    """The queue's own tables; its statements name no schema and hold bare per cent signs."""
    op.execute(f"CREATE SCHEMA {QUEUE}")
    op.execute(f"SET LOCAL search_path TO {QUEUE}")
    cursor = op.get_bind().connection.cursor()
    cursor.execute(SchemaManager.get_schema())
    cursor.close()
    op.execute("SET LOCAL search_path TO DEFAULT")


def upgrade() -> None:
    """Add what work in the background needs; nothing that is stored changes."""
    _make_queue()
    op.add_column("circuit_revision", sa.Column("workshop_id", sa.Integer))
    op.create_foreign_key(
        "fk_circuit_revision_workshop_id_workshop",
        "circuit_revision",
        "workshop",
        ["workshop_id"],
        ["id"],
    )
    op.add_column("job", sa.Column("open_key", sa.String(100)))
    op.create_unique_constraint("uq_job_open_key", "job", ["open_key"])
    op.create_index("ix_job_created_at", "job", ["created_at"])
    op.create_index("ix_entry_supersedes", "entry", ["supersedes"])
    op.create_table(
        "answer",
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("job_id", sa.Uuid, nullable=False),
        sa.Column("basis", sa.String(64), nullable=False),
        sa.Column("question", JSONB, nullable=False),
        sa.Column("summary", JSONB),
        sa.Column("diagnosis", JSONB),
        sa.Column("trouble", sa.Text),
        _now("created_at"),
        sa.PrimaryKeyConstraint("key", name="pk_answer"),
        sa.ForeignKeyConstraint(["job_id"], ["job.id"], name="fk_answer_job_id_job"),
    )
    op.create_index("ix_answer_job_id", "answer", ["job_id"])
    op.create_table(
        "kept",
        sa.Column("circuit_sha256", sa.String(64), nullable=False),
        sa.Column("model", sa.String(16), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("content", sa.LargeBinary, nullable=False),
        sa.Column("asked_for", sa.Boolean, nullable=False),
        _now("created_at"),
        sa.PrimaryKeyConstraint("circuit_sha256", "model", "name", name="pk_kept"),
        # It can be made again: after a crash an empty table does, and it needs no second writing.
        prefixes=["UNLOGGED"],
    )
    # The arrays are dense numbers: compressing them again costs time and gains nothing.
    op.execute("ALTER TABLE kept ALTER COLUMN content SET STORAGE EXTERNAL")
    op.create_table(
        "progress",
        sa.Column("id", sa.BigInteger, nullable=False, autoincrement=False),
        sa.Column("title", sa.String(300), nullable=False),
        sa.Column("done", sa.Integer, nullable=False),
        sa.Column("total", sa.Integer, nullable=False),
        _now("updated_at"),
        sa.PrimaryKeyConstraint("id", name="pk_progress"),
    )


def downgrade() -> None:
    """Drop what can be worked out again."""
    for table in ("progress", "kept", "answer"):
        op.drop_table(table)
    op.drop_index("ix_entry_supersedes", "entry")
    op.drop_index("ix_job_created_at", "job")
    op.drop_constraint("uq_job_open_key", "job")
    op.drop_column("job", "open_key")
    op.drop_column("circuit_revision", "workshop_id")
    op.execute(f"DROP SCHEMA {QUEUE} CASCADE")
