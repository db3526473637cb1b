"""The first tables."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def texts(*names: str) -> list[Any]:
    return [sa.Column(name, sa.String, nullable=False) for name in names]


def numbered() -> Any:
    return sa.Column("id", sa.Integer, primary_key=True)


def of(table: str, *, optional: bool = False, index: bool = True, gone_with: bool = False) -> Any:
    """A column that points to a row of another table; `gone_with`: deleted with it."""
    points = sa.ForeignKey(f"{table}.id", ondelete="CASCADE" if gone_with else None)
    return sa.Column(f"{table}_id", sa.Integer, points, nullable=optional, index=index)


def filled(name: str, kind: Any) -> Any:
    return sa.Column(name, kind, nullable=False)


def upgrade() -> None:
    op.create_table("band", numbered(), *texts("name", "year"))
    op.create_table(
        "player",
        numbered(),
        of("band"),
        *texts("name", "instrument", "part", "consent"),
        filled("also", sa.JSON),
    )
    op.create_table(
        "assignment",
        numbered(),
        of("band"),
        *texts("piece", "title", "bars", "due"),
        filled("settings", sa.JSON),
    )
    op.create_table(
        "tray",
        numbered(),
        of("band"),
        of("assignment", optional=True, index=False),
        *texts("name"),
        filled("made_at", sa.DateTime),
    )
    op.create_table(
        "take",
        numbered(),
        of("tray"),
        of("player", optional=True),
        sa.Column("sha256", sa.String, nullable=False, index=True),
        *texts("piece", "part", "file", "name", "kind", "support", "reading", "state", "sentence"),
        filled("added_at", sa.DateTime),
        filled("summary", sa.JSON),
    )
    op.create_table(
        "report",
        numbered(),
        of("take", gone_with=True),
        filled("made_at", sa.DateTime),
        *texts("ear_version", "settings_hash"),
        filled("body", sa.LargeBinary),
    )
    op.create_table(
        "act",
        numbered(),
        of("take", index=False, gone_with=True),
        sa.Column("step", sa.Integer, nullable=False, index=True),
        filled("at", sa.DateTime),
        *texts("kind"),
        filled("body", sa.JSON),
    )
    op.create_index("act_take", "act", ["take_id", "id"])
    op.create_table(
        "practice",
        numbered(),
        of("player", gone_with=True),
        *texts("day", "note"),
        filled("minutes", sa.Integer),
    )
    op.create_table(
        "phrase",
        numbered(),
        sa.Column("text", sa.String, nullable=False, unique=True),
        filled("used", sa.Integer),
        filled("last_at", sa.DateTime),
    )
