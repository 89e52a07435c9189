"""The hours a machine had when a job was opened; a machine's jobs are found by its number."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Jobs that are there keep the hours their machine has: nobody wrote down others."""
    op.add_column("job", sa.Column("hours", sa.Float))
    op.execute(
        "UPDATE job SET hours = machine.hours FROM machine WHERE machine.id = job.machine_id"
    )
    op.alter_column("job", "hours", nullable=False, server_default="0")
    op.create_index("ix_job_machine_id", "job", ["machine_id"])


def downgrade() -> None:
    """Without it a trend has no hours; what was read stays."""
    op.drop_index("ix_job_machine_id", "job")
    op.drop_column("job", "hours")
