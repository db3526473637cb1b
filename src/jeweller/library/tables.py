"""The tables of the library, as SQLAlchemy sees them.

Times are UTC, without a zone. What a teacher did is a row of `act` and never changed: what stands now is read
from all of them in order.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, LargeBinary
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from jeweller.library.states import TakeState


def whole_rows(rows: Iterable[Any]) -> list[Any]:
    """Rows of a table. Raises ValueError where one has lost its key: SQLAlchemy gives None for it."""
    found = list(rows)
    if any(row is None for row in found):
        raise ValueError("a row without a key")
    return found


class Base(DeclarativeBase):
    type_annotation_map = {dict[str, Any]: JSON, list[str]: JSON}  # noqa: RUF012 -- as SQLAlchemy wants it


class Band(Base):
    __tablename__ = "band"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    year: Mapped[str] = mapped_column(default="")


class Player(Base):
    __tablename__ = "player"
    id: Mapped[int] = mapped_column(primary_key=True)
    band_id: Mapped[int] = mapped_column(ForeignKey("band.id"), index=True)
    name: Mapped[str]
    instrument: Mapped[str] = mapped_column(default="")  # id of the instrument table
    also: Mapped[list[str]] = mapped_column(default=list)  # ids of other instruments
    part: Mapped[str] = mapped_column(default="")  # as "2nd clarinet": which part of a score is theirs
    consent: Mapped[str] = mapped_column(default="")  # ISO date on which it was given; "" without


class Assignment(Base):
    __tablename__ = "assignment"
    id: Mapped[int] = mapped_column(primary_key=True)
    band_id: Mapped[int] = mapped_column(ForeignKey("band.id"), index=True)
    piece: Mapped[str]  # id on the library's shelf
    title: Mapped[str]
    bars: Mapped[str] = mapped_column(default="")
    # tempo_bpm, click, articulation, judging, traps, facets, scheme, tolerance
    settings: Mapped[dict[str, Any]] = mapped_column(default=dict)
    due: Mapped[str] = mapped_column(default="")  # ISO date; "" without
    given_at: Mapped[datetime.datetime | None] = mapped_column(default=None)
    replaced_by: Mapped[int | None] = mapped_column(default=None)  # the assignment it was changed to


class Tray(Base):
    __tablename__ = "tray"
    id: Mapped[int] = mapped_column(primary_key=True)
    band_id: Mapped[int] = mapped_column(ForeignKey("band.id"), index=True)
    assignment_id: Mapped[int | None] = mapped_column(ForeignKey("assignment.id"))
    name: Mapped[str]
    made_at: Mapped[datetime.datetime]


class Take(Base):
    __tablename__ = "take"
    id: Mapped[int] = mapped_column(primary_key=True)
    tray_id: Mapped[int] = mapped_column(ForeignKey("tray.id"), index=True)
    player_id: Mapped[int | None] = mapped_column(ForeignKey("player.id"), index=True)
    piece: Mapped[str] = mapped_column(default="")  # id on the library's shelf; "" where it is not known yet
    part: Mapped[str] = mapped_column(default="")
    file: Mapped[str]  # below the library's folder of recordings
    name: Mapped[str]  # as the file was called
    sha256: Mapped[str] = mapped_column(index=True)
    # played, rhythm (clapped or counted), stored (for the ear alone)
    kind: Mapped[str] = mapped_column(default="played")
    support: Mapped[str] = mapped_column(default="alone")  # alone, with_model, with_click
    reading: Mapped[str] = mapped_column(default="practised")  # practised, sight, memory
    # with what it was recorded: loudness is compared within one set-up only
    setup: Mapped[str] = mapped_column(default="", server_default="")
    state: Mapped[str] = mapped_column(default=TakeState.WAITING)  # a TakeState
    sentence: Mapped[str] = mapped_column(default="")  # why it failed
    added_at: Mapped[datetime.datetime]
    # what a list shows of it, as it stands after every decision
    summary: Mapped[dict[str, Any]] = mapped_column(default=dict)


class Report(Base):
    """One check of a take. Newer ones are added; what was found earlier stays."""

    __tablename__ = "report"
    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), index=True)
    made_at: Mapped[datetime.datetime]
    ear_version: Mapped[str]
    settings_hash: Mapped[str]
    body: Mapped[bytes] = mapped_column(LargeBinary)  # the report as JSON, zlib


class AuditEntry(Base):
    """One thing the teacher did. Acts of one `step` were done at once and are undone at once; an act "undo"
    takes a step back, "redo" restores it.
    """

    __tablename__ = "act"
    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"))
    step: Mapped[int] = mapped_column(index=True)
    at: Mapped[datetime.datetime]
    kind: Mapped[str]  # decide, restore, add, comment, mark, state, undo, redo
    body: Mapped[dict[str, Any]] = mapped_column(default=dict)
    __table_args__ = (Index("act_take", "take_id", "id"),)


class Practice(Base):
    __tablename__ = "practice"
    id: Mapped[int] = mapped_column(primary_key=True)
    player_id: Mapped[int] = mapped_column(ForeignKey("player.id", ondelete="CASCADE"), index=True)
    day: Mapped[str]  # ISO date
    minutes: Mapped[int]
    note: Mapped[str] = mapped_column(default="")


class Phrase(Base):
    """A comment the teacher has used."""

    __tablename__ = "phrase"
    id: Mapped[int] = mapped_column(primary_key=True)
    text: Mapped[str] = mapped_column(unique=True)
    used: Mapped[int] = mapped_column(default=1)
    last_at: Mapped[datetime.datetime]
