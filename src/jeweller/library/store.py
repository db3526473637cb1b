"""The library's folder and database: opening (once for writing), migrating, transactions, daily copies, one
file for all of it.

A library is a folder: `ledger.db` (SQLite, write-ahead log), `recordings/`, `shelf/` (music), `copies/` (of
the database, by day). What was confirmed is on the disk: every commit is synchronised, every file is written
under another name, synchronised and renamed.
"""

from __future__ import annotations

import contextlib
import datetime
import fcntl
import os
import shutil
import sqlite3
import threading
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from sqlalchemy import Engine, create_engine, event, select
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from jeweller.errors import LedgerError
from jeweller.files import ZIP_ERRORS, replacing
from jeweller.i18n import N_, _
from jeweller.library.killpoint import reach
from jeweller.library.tables import Take
from jeweller.library.unfinished import (
    backing_up,
    finish,
    is_recording_name,
    private_tree,
    sweep_backup,
    sweep_parts,
)

HEAD = "0002"  # the newest migration
VERSIONS = ("0001", "0002")
COPIES = 14  # daily copies of the database that are kept
BUSY_S = 10.0
CLOSED = N_("The library was closed meanwhile.")
DAMAGED = N_(
    "{database} is no library of Jeweller, or is damaged. Copies of earlier days lie in {copies}; nothing "
    "was changed."
)
FULL = N_(
    "The disk is full or cannot be written: nothing was lost, the last step was not done. Make room "
    "and do it again."
)


class Store:
    """An open library. `read_only` where it is open elsewhere, or was asked for."""

    def __init__(self, folder: Path, *, read_only: bool = False) -> None:
        """Opens it; a missing one is made. Raises LedgerError with a sentence."""
        self.folder = folder
        self.read_only = read_only
        self.told = ""  # what is worth saying about how it was opened
        self._lock: IO[str] | None = None
        self._free = threading.Condition(threading.RLock())
        self._in_use: list[int] = []  # the threads that read or write just now
        self._closed = False
        try:
            self._open()
        except OSError as error:
            self._let_go()
            raise LedgerError(
                _("The library {folder} cannot be opened: {value}.").format(
                    folder=folder, value=error.strerror or error
                )
            ) from error
        except (sqlite3.DatabaseError, DBAPIError, UnicodeDecodeError) as error:
            self._let_go()
            raise LedgerError(_(DAMAGED).format(database=self.database, copies=self.copies)) from error
        except LedgerError:
            self._let_go()
            raise

    def _open(self) -> None:
        if not self.read_only:
            for path in (self.folder, self.recordings, self.shelf, self.copies):
                path.mkdir(parents=True, exist_ok=True)
                path.chmod(0o700)
            self._take_lock()
        if self.read_only and not self.database.exists():
            raise LedgerError(_("There is no library in {folder}.").format(folder=self.folder))
        self.engine = self._engine()
        self._bring_up_to_date()
        if not self.read_only:
            self.database.chmod(0o600)
            self._sweep()
            sweep_backup(self.folder)
            finish(self)
            self._daily_copy()

    @property
    def database(self) -> Path:
        return self.folder / "ledger.db"

    @property
    def recordings(self) -> Path:
        return self.folder / "recordings"

    @property
    def shelf(self) -> Path:
        return self.folder / "shelf"

    @property
    def copies(self) -> Path:
        return self.folder / "copies"

    def _take_lock(self) -> None:
        lock = os.fdopen(os.open(self.folder / "open", os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "a")
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            lock.close()
            self.read_only = True
            self.told = _("This library is open in another window: it can be read here, and changed there.")
            return
        self._lock = lock

    def _engine(self) -> Engine:
        engine = create_engine(f"sqlite:///{self.database}", connect_args={"timeout": BUSY_S})

        @event.listens_for(engine, "connect")
        def prepare(connection: sqlite3.Connection, _unused: object) -> None:
            connection.execute("PRAGMA foreign_keys=ON")
            if self.read_only:
                connection.execute("PRAGMA query_only=ON")
            else:
                connection.execute("PRAGMA journal_mode=WAL")
                connection.execute("PRAGMA synchronous=FULL")
                connection.execute("PRAGMA secure_delete=ON")  # what is deleted is gone from the pages too

        @event.listens_for(engine, "before_cursor_execute")
        def before(*_unused: object) -> None:
            reach()

        @event.listens_for(engine, "commit")
        def commit(_unused: object) -> None:
            reach()

        return engine

    def _bring_up_to_date(self) -> None:
        with contextlib.closing(
            sqlite3.connect(
                f"file:{self.database}?mode={'ro' if self.read_only else 'rwc'}", uri=True, timeout=BUSY_S
            )
        ) as raw:
            known = raw.execute("SELECT name FROM sqlite_master WHERE name = 'alembic_version'").fetchone()
            version = raw.execute("SELECT version_num FROM alembic_version").fetchone() if known else None
            empty = not raw.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]
        if version is not None and version[0] == HEAD:
            return
        if version is not None and version[0] not in VERSIONS:
            raise LedgerError(
                _(
                    "This library was written by a newer Jeweller; nothing was changed. Open it "
                    "with that one, or bring this one up to date."
                )
            )
        if version is None and not empty:
            raise LedgerError(
                _("{database} is a database of another program; nothing was changed.").format(
                    database=self.database
                )
            )
        if self.read_only:
            raise LedgerError(
                _(
                    "This library was written by an older Jeweller; open it once for writing to "
                    "bring it up to date."
                )
            )
        from alembic import command
        from alembic.config import Config

        if version is not None:
            self.copy_database(self.copies / f"before-{HEAD}.db")
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def _sweep(self) -> None:
        """Takes away files that an interrupted import never finished. Whole recordings that no take knows are
        left: the database may be an older copy.
        """
        for path in [*self.recordings.glob("**/*.part*"), *self.folder.glob("backup.part*")]:
            path.unlink(missing_ok=True)

    def _daily_copy(self) -> None:
        today = self.copies / f"{datetime.date.today().isoformat()}.db"
        if today.exists():
            return
        try:
            self.copy_database(today)
        except (OSError, sqlite3.Error) as error:  # a library on a full disk can still be read
            self.told = _("Today's copy of the library could not be written: {error}.").format(error=error)
            return
        # copies of days to come were made by a clock that was wrong: they go first, and never today's
        copies = sorted(self.copies.glob("????-??-??.db"), key=lambda p: (p.stem <= today.stem, p.stem))
        for old in copies[:-COPIES]:
            old.unlink(missing_ok=True)

    def copy_database(self, target: Path) -> None:
        """A whole copy of the database as it stands, under its name only when it is complete."""
        reach()
        with replacing(target, private=True) as part:
            with (
                contextlib.closing(sqlite3.connect(self.database)) as source,
                contextlib.closing(sqlite3.connect(part)) as copy,
            ):
                source.backup(copy)
            reach()
        reach()

    @contextlib.contextmanager
    def using(self) -> Iterator[None]:
        """While this lasts the library is not let go of, by whichever thread it is closed. Raises LedgerError
        when it was closed before.
        """
        with self._free:
            if self._closed:
                raise LedgerError(CLOSED)
            self._in_use.append(threading.get_ident())
        try:
            yield
        finally:
            with self._free:
                self._in_use.remove(threading.get_ident())
                self._free.notify_all()

    @contextlib.contextmanager
    def read(self) -> Iterator[Session]:
        """A session to read with. Raises LedgerError when the library was closed, or is damaged."""
        try:
            with self.using(), Session(self.engine, expire_on_commit=False) as session:
                yield session
        except (DBAPIError, ValueError) as error:  # texts, days and JSON that are none among them
            raise LedgerError(self._why(error)) from error

    def _why(self, error: Exception) -> str:
        """What an error of the database means, in a sentence."""
        told = str(getattr(error, "orig", error)).casefold()
        if "locked" in told:
            return _("Another program is using the library: nothing was lost. Do it again in a moment.")
        if any(word in told for word in ("full", "readonly", "unable to open", "disk i/o")):
            return _(FULL)
        return _(DAMAGED).format(database=self.database, copies=self.copies)

    @contextlib.contextmanager
    def write(self) -> Iterator[Session]:
        """One transaction: all of it is on the disk when this ends, or nothing. Raises LedgerError."""
        if self.read_only:
            raise LedgerError(self.told or _("This library was opened to be read only."))
        try:
            with self.using(), Session(self.engine, expire_on_commit=False) as session, session.begin():
                yield session
        except (DBAPIError, ValueError) as error:  # texts, days and JSON that are none among them
            raise LedgerError(self._why(error)) from error

    def keep_file(self, source: Path, name: str) -> None:
        """Copies a file into the recordings under a name of ours. Raises LedgerError."""
        target = self.recordings / name
        try:
            target.parent.mkdir(exist_ok=True, mode=0o700)
            reach()
            with self.using(), replacing(target, private=True) as part:
                with source.open("rb") as read, part.open("wb") as write:
                    shutil.copyfileobj(read, write, 1 << 20)
                reach()
            reach()
        except OSError as error:
            raise LedgerError(
                _("{name} cannot be kept: {value}. Nothing else was changed.").format(
                    name=source.name, value=error.strerror or error
                )
            ) from error

    # ---- as one file

    def backup(self, target: Path) -> int:
        """Writes the whole library to one zip file; returns how many files it holds. Given up when the
        library is closed. Raises LedgerError.
        """
        with self.using(), backing_up(self.folder, target):
            return self._backup(target)

    def _backup(self, target: Path) -> int:
        copy = self.folder / f"backup.part{os.getpid()}"
        count = 0
        try:
            self.copy_database(copy)
            with (
                replacing(target, private=True) as part,
                zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as archive,
            ):
                archive.write(copy, "ledger.db")
                for folder in (self.recordings, self.shelf, self.folder / "booth"):
                    for path in sorted(p for p in folder.rglob("*") if p.is_file() and ".part" not in p.name):
                        reach()
                        if self._closed:
                            raise LedgerError(CLOSED)
                        packed = (
                            zipfile.ZIP_DEFLATED
                            if path.suffix in (".wav", ".json", ".musicxml")
                            else zipfile.ZIP_STORED
                        )
                        archive.write(path, str(path.relative_to(self.folder)), packed)
                        count += 1
                reach()
            reach()
        except (OSError, sqlite3.Error) as error:
            raise LedgerError(
                _("{target} cannot be written: {error}. The library is as it was.").format(
                    target=target, error=error
                )
            ) from error
        finally:
            copy.unlink(missing_ok=True)
        return count + 1

    @property
    def closed(self) -> bool:
        return self._closed

    def close(self) -> None:
        """Lets go of the library, as soon as no other thread reads or writes it."""
        with self._free:
            self._closed = True
            self._free.wait_for(
                lambda: all(thread == threading.get_ident() for thread in self._in_use), timeout=BUSY_S
            )
        self.engine.dispose()
        self._let_go()

    def _let_go(self) -> None:
        if self._lock is not None:
            self._lock.close()
            self._lock = None


def has_library(folder: Path) -> bool:
    """Whether a folder holds a library. Raises LedgerError where nobody may look."""
    try:
        return (folder / "ledger.db").exists()
    except OSError as error:
        raise LedgerError(
            _("The library {folder} cannot be opened: {value}.").format(
                folder=folder, value=error.strerror or error
            )
        ) from error


def restore(archive: Path, folder: Path) -> None:
    """Makes a library of a backup in a folder that holds none. Raises LedgerError; a folder begun is taken
    away again.
    """
    if folder.exists() and any(folder.iterdir()):
        raise LedgerError(
            _("{folder} is not empty: choose a new folder, so that nothing is written over.").format(
                folder=folder
            )
        )
    begun = folder.with_name(f"{folder.name}.part{os.getpid()}")
    try:
        with contextlib.suppress(OSError):
            sweep_parts(folder)
        with zipfile.ZipFile(archive) as packed:
            names = packed.namelist()
            if "ledger.db" not in names or any(
                n.startswith(("/", "\\"))
                or ".." in Path(n).parts
                or not Path(n).parts
                or Path(n).parts[0] not in ("ledger.db", "recordings", "shelf", "booth")
                for n in names
            ):
                raise LedgerError(_("{name} is no backup of a library.").format(name=archive.name))
            begun.mkdir(mode=0o700, parents=True)  # nobody reads along while it is unpacked
            packed.extractall(begun)
        private_tree(begun)
        reach()
        restored = Store(begun)
        try:
            with restored.read() as session:
                foreign = [f for f in session.scalars(select(Take.file)) if not is_recording_name(f)]
        finally:
            restored.close()
        if foreign:
            raise LedgerError(_("{name} is no backup of a library.").format(name=archive.name))
        folder.parent.mkdir(parents=True, exist_ok=True)
        if folder.exists():
            folder.rmdir()
        os.replace(begun, folder)
    except ZIP_ERRORS as error:
        raise LedgerError(
            _("{name} cannot be restored ({error}); nothing was changed.").format(
                name=archive.name, error=error
            )
        ) from error
    finally:
        shutil.rmtree(begun, ignore_errors=True)
