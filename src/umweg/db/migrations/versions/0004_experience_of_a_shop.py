"""What a shop found how often, as it was last taken over into what is believed."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Nobody has taken anything over yet."""
    op.add_column("workshop", sa.Column("experience", JSONB))


def downgrade() -> None:
    """What was found stays in the jobs; only the counts that were taken over go."""
    op.drop_column("workshop", "experience")
