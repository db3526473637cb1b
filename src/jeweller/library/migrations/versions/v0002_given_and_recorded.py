"""When an assignment was given, which one took its place; with what a take was recorded."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("assignment", sa.Column("given_at", sa.DateTime, nullable=True))
    op.add_column("assignment", sa.Column("replaced_by", sa.Integer, nullable=True))
    op.add_column("take", sa.Column("setup", sa.String, nullable=False, server_default=""))
    # Until now every assignment was made for a tray: one that no tray has was changed to another.
    op.execute(
        "UPDATE assignment SET replaced_by = id WHERE id NOT IN (SELECT assignment_id FROM tray "
        "WHERE assignment_id IS NOT NULL)"
    )
