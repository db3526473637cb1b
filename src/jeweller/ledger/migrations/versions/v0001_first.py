"""The first tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table("band", sa.Column("id", sa.Integer, primary_key=True), sa.Column("name", sa.String, nullable=False),
                    sa.Column("year", sa.String, nullable=False))  # fmt: skip
    op.create_table("player", sa.Column("id", sa.Integer, primary_key=True), sa.Column("band_id", sa.Integer, sa.ForeignKey("band.id"), nullable=False, index=True),
                    *(sa.Column(name, sa.String, nullable=False) for name in ("name", "instrument", "part", "consent")),
                    sa.Column("also", sa.JSON, nullable=False))  # fmt: skip
    op.create_table("assignment", sa.Column("id", sa.Integer, primary_key=True), sa.Column("band_id", sa.Integer, sa.ForeignKey("band.id"), nullable=False, index=True),
                    *(sa.Column(name, sa.String, nullable=False) for name in ("piece", "title", "bars", "due")),
                    sa.Column("settings", sa.JSON, nullable=False))  # fmt: skip
    op.create_table("tray", sa.Column("id", sa.Integer, primary_key=True), sa.Column("band_id", sa.Integer, sa.ForeignKey("band.id"), nullable=False, index=True),
                    sa.Column("assignment_id", sa.Integer, sa.ForeignKey("assignment.id")), sa.Column("name", sa.String, nullable=False),
                    sa.Column("made_at", sa.DateTime, nullable=False))  # fmt: skip
    op.create_table("take", sa.Column("id", sa.Integer, primary_key=True), sa.Column("tray_id", sa.Integer, sa.ForeignKey("tray.id"), nullable=False, index=True),
                    sa.Column("player_id", sa.Integer, sa.ForeignKey("player.id"), index=True), sa.Column("sha256", sa.String, nullable=False, index=True),
                    *(sa.Column(name, sa.String, nullable=False) for name in ("piece", "part", "file", "name", "kind", "support", "reading",
                                                                                               "state", "sentence")),
                    sa.Column("added_at", sa.DateTime, nullable=False), sa.Column("summary", sa.JSON, nullable=False))  # fmt: skip
    of_take = sa.ForeignKey("take.id", ondelete="CASCADE")
    op.create_table("report", sa.Column("id", sa.Integer, primary_key=True), sa.Column("take_id", sa.Integer, of_take, nullable=False, index=True),
                    sa.Column("made_at", sa.DateTime, nullable=False), sa.Column("ear_version", sa.String, nullable=False),
                    sa.Column("settings_hash", sa.String, nullable=False), sa.Column("body", sa.LargeBinary, nullable=False))  # fmt: skip
    op.create_table("act", sa.Column("id", sa.Integer, primary_key=True), sa.Column("take_id", sa.Integer, sa.ForeignKey("take.id", ondelete="CASCADE"), nullable=False),
                    sa.Column("step", sa.Integer, nullable=False, index=True), sa.Column("at", sa.DateTime, nullable=False),
                    sa.Column("kind", sa.String, nullable=False), sa.Column("body", sa.JSON, nullable=False))  # fmt: skip
    op.create_index("act_take", "act", ["take_id", "id"])
    op.create_table("practice", sa.Column("id", sa.Integer, primary_key=True),
                    sa.Column("player_id", sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), nullable=False, index=True),
                    sa.Column("day", sa.String, nullable=False), sa.Column("minutes", sa.Integer, nullable=False),
                    sa.Column("note", sa.String, nullable=False))  # fmt: skip
    op.create_table("phrase", sa.Column("id", sa.Integer, primary_key=True), sa.Column("text", sa.String, nullable=False, unique=True),
                    sa.Column("used", sa.Integer, nullable=False), sa.Column("last_at", sa.DateTime, nullable=False))  # fmt: skip
