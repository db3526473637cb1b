"""A deletion is written down before it begins and struck out when it is done: cut short, it is finished when
the library is opened the next time. What a backup or a restore that was cut short left is taken away.
"""

from __future__ import annotations

import contextlib
import glob
import json
import os
import re
import shutil
from collections.abc import Collection, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from sqlalchemy import select, text
from sqlalchemy.exc import DBAPIError

from jeweller.errors import LedgerError
from jeweller.files import parse_json, write_bytes
from jeweller.i18n import _
from jeweller.library.journal import forget_player
from jeweller.library.killpoint import reach
from jeweller.library.tables import Player, Take
from jeweller.scratch import is_running

if TYPE_CHECKING:
    from jeweller.library.store import Store

NOTE = "deleting.json"
BACKING_UP = "backing-up.json"
PART = re.compile(r"\.part(\d+)$")  # what `files.replacing` writes, and whose it is
RECORDING = re.compile(r"[0-9a-f]{2}/[0-9a-f]{64}(\.[a-z0-9.]{0,5})?")


def is_recording_name(file: str) -> bool:
    """Whether a name is one that the library gives a recording: no other is ever opened or deleted.

    >>> is_recording_name("ab/" + 32 * "ab" + ".ogg"), is_recording_name("../../victim")
    (True, False)
    """
    return RECORDING.fullmatch(file) is not None


def write_down(store: Store, files: Collection[str], players: Collection[int]) -> None:
    """Notes what is going to be deleted. Raises LedgerError."""
    told = {"recordings": sorted(files), "players": sorted(players)}
    write_bytes(store.folder / NOTE, json.dumps(told).encode("utf-8"), private=True)
    reach()


def clear(store: Store, files: Collection[str], players: Collection[int]) -> None:
    """Takes away recordings, what the booth keeps of these players, every copy of the database, and what is
    left in its pages; then the note. Raises LedgerError, and the note stays: the rest is done later.
    """
    try:
        for file in files:
            if is_recording_name(file):
                (store.recordings / file).unlink(missing_ok=True)
                reach()
        for player in players:
            forget_player(store.folder, player)
            reach()
        for copy in store.copies.glob("*.db*"):
            copy.unlink(missing_ok=True)
    except OSError as error:
        raise LedgerError(
            _(
                "{filename} could not be deleted: {strerror}. It is tried again when the library is "
                "opened the next time."
            ).format(filename=error.filename, strerror=error.strerror)
        ) from error
    traces = _(
        "The player is deleted, but another program still uses the library, so that traces are left in its "
        "file: they go when the library is opened the next time."
    )
    try:
        with store.using(), store.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as plain:
            plain.execute(text("VACUUM"))
            busy = plain.execute(text("PRAGMA wal_checkpoint(TRUNCATE)")).scalar()
    except DBAPIError as error:
        raise LedgerError(traces) from error
    if busy:
        raise LedgerError(traces)
    (store.folder / NOTE).unlink(missing_ok=True)
    reach()


def finish(store: Store) -> bool:
    """Finishes a deletion that was cut short; whether there was one. What was written down and not begun,
    because its rows are still there, is struck out: nothing of it was confirmed.
    """
    note = store.folder / NOTE
    try:
        told = parse_json(note.read_text(encoding="utf-8"))
        files, players = {str(f) for f in told["recordings"]}, {int(p) for p in told["players"]}
    except FileNotFoundError:
        return False
    except (OSError, ValueError, KeyError, TypeError):
        note.unlink(missing_ok=True)
        return False
    with store.read() as session:
        there = set(session.scalars(select(Player.id).where(Player.id.in_(players))))
        used = set(session.scalars(select(Take.file).where(Take.file.in_(files))))
    if there or (not players and used == files):
        note.unlink(missing_ok=True)
        return False
    try:
        clear(store, files - used, players)
    except LedgerError:
        return False  # another window has it open: the next start tries again
    return True


@contextlib.contextmanager
def backing_up(folder: Path, target: Path) -> Iterator[None]:
    """While a backup is written: the library knows where, so that a part of one is found again."""
    sweep_parts(target)
    note = folder / BACKING_UP
    write_bytes(note, json.dumps({"target": os.fspath(target.absolute())}).encode("utf-8"), private=True)
    reach()
    try:
        yield
    finally:
        note.unlink(missing_ok=True)


def sweep_backup(folder: Path) -> None:
    """Takes away the part of a backup that was cut short. For the only one who has the library open."""
    note = folder / BACKING_UP
    try:
        sweep_parts(Path(str(parse_json(note.read_text(encoding="utf-8"))["target"])))
    except FileNotFoundError:
        return
    except (OSError, ValueError, KeyError, TypeError):  # the stick is not there, or the note was damaged
        pass
    note.unlink(missing_ok=True)


def sweep_parts(target: Path) -> None:
    """Takes away what processes that are no more began to write in the place of a file or folder. Raises
    OSError.
    """
    for path in target.parent.glob(f"{glob.escape(target.name)}.part*"):
        owner = PART.search(path.name)
        if owner is None or is_running(int(owner[1])) or path.lstat().st_uid != os.getuid():
            continue
        if path.is_dir() and not path.is_symlink():
            shutil.rmtree(path)
        else:
            path.unlink(missing_ok=True)


def private_tree(folder: Path) -> None:
    """Everything below a folder for its owner alone. Raises OSError."""
    for path in (folder, *folder.rglob("*")):
        path.chmod(0o700 if path.is_dir() else 0o600)
