#!/usr/bin/env python3
"""How long the library takes when it is large, and a whole tray from the drop to the slips.

    .venv/bin/python bench/ledger.py large [--players 2000 --takes 20000] [--folder F]
        opening, lists, search, painted frames
    .venv/bin/python bench/ledger.py tray [--takes 40]
        drop, check, decide by keyboard, slips
    .venv/bin/python bench/ledger.py drop [--files 200 --takes 20000] [--folder F]
        many recordings dropped on a large library: how long the window is held at most
    .venv/bin/python bench/ledger.py book [--pieces 2000]
        the shelf, and a part of 200 bars

Prints seconds; `tray` also the key presses. Offscreen; the figures of docs/performance.md come from here.
"""

from __future__ import annotations

import argparse
import dataclasses
import os
import random
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OMP_NUM_THREADS", "1")

from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from sqlalchemy import insert

from jeweller.assets import DEMO
from jeweller.audio.encode import write_sound
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.demo_band import read_band
from jeweller.gui.shell.app import make_app, open_settings
from jeweller.gui.shell.window import Window
from jeweller.instruments.table import require_instrument
from jeweller.library.library import Library, now
from jeweller.library.tables import AuditEntry, Player, Report, Take
from jeweller.notation.performance import perform_part
from jeweller.notation.readers.sandbox import load_score
from jeweller.pipeline.check import Options, check
from jeweller.simulator.perform import Manner, Plan, perform
from jeweller.simulator.room import Room, put_in_room
from jeweller.synthesis.sampler import RATE, render

IN_TRAY = 40


def timed(words: str, act: Callable[[], Any]) -> Any:
    begin = time.perf_counter()
    answer = act()
    print(f"{words:56} {time.perf_counter() - begin:7.3f} s")
    return answer


def pause(until: Callable[[], object], seconds: float = 900.0) -> None:
    """Lets the window work; sleeps in between, so that threads and workers do too."""
    end = time.monotonic() + seconds
    while not until() and time.monotonic() < end:
        QTest.qWait(5)
        time.sleep(0.01)


def opened(library: Path) -> Window:
    """The window on a library."""
    make_app()
    settings = open_settings(library.parent / "desk.ini")
    settings.setValue("library", str(library))
    window = Window(settings, SimulatedSpeaker())
    window.resize(1280, 800)
    window.show()
    QApplication.processEvents()
    return window


def painted(window: Window, act: Callable[[], Any]) -> Callable[[], None]:
    """Something done to the painted frame."""

    def run() -> None:
        act()
        QApplication.processEvents()
        window.grab()

    return run


def fill(folder: Path, players: int, takes: int) -> None:
    """A library with so many players and takes, each take with its report and a decision."""
    library = Library(folder)
    if library.players():
        library.close()
        return
    band = library.add_band("The Fernhollow Band")
    _, demo = read_band(DEMO)
    music = load_score(demo[1].score)
    piece = library.shelf.add(music).id
    report = check(demo[1].score, demo[1].take, Options(part=demo[1].part)).report
    instruments = ("flute", "clarinet", "trumpet", "trombone", "alto-saxophone", "horn", "tuba")
    with library.store.write() as session:
        session.execute(
            insert(Player),
            [
                {
                    "band_id": band.id,
                    "name": f"Player {k:04d}",
                    "instrument": instruments[k % 7],
                    "part": "",
                    "also": [],
                    "consent": "",
                }
                for k in range(players)
            ],
        )
    trays = [library.add_tray(band.id, f"Week {k}") for k in range(takes // IN_TRAY)]
    first = library.add_take(trays[0].id, demo[1].take, player=1, piece=piece, part=demo[1].part)
    library.add_report(first.id, report)
    row = library.take(first.id)
    with library.store.read() as session:
        body = session.get(Report, 1).body  # type: ignore[union-attr]
    chance = random.Random(1)
    rows = [
        {
            "tray_id": trays[k // IN_TRAY].id,
            "player_id": 1 + k % players,
            "piece": piece,
            "part": row.part,
            "file": row.file,
            "name": f"take {k}.ogg",
            "sha256": f"{k:064d}",
            "kind": "played",
            "support": "alone",
            "reading": "practised",
            "state": "checked",
            "sentence": "",
            "added_at": now(),
            "summary": {**row.summary, "need": round(chance.random() * 3, 3)},
        }
        for k in range(1, takes)
    ]
    with library.store.write() as session:
        for k in range(0, len(rows), 1000):
            session.execute(insert(Take), rows[k : k + 1000])
    with library.store.write() as session:
        for k in range(0, takes - 1, 1000):
            ids = range(k + 2, min(k + 1002, takes + 1))
            session.execute(
                insert(Report),
                [
                    {"take_id": i, "made_at": now(), "ear_version": "6", "settings_hash": "x", "body": body}
                    for i in ids
                ],
            )
            session.execute(
                insert(AuditEntry),
                [
                    {"take_id": i, "step": i, "at": now(), "kind": "state", "body": {"state": "heard"}}
                    for i in ids
                ],
            )
    library.close()


def large(options: argparse.Namespace) -> None:
    folder = Path(options.folder or tempfile.mkdtemp()) / "library"
    timed(
        f"filling it: {options.players} players, {options.takes} takes",
        lambda: fill(folder, options.players, options.takes),
    )
    print(f"database: {(folder / 'ledger.db').stat().st_size / 2**20:.0f} MB")
    Library(folder).close()  # the copy of the day is made once
    library = timed("opening", lambda: Library(folder))
    library.close()
    window = opened(folder)

    timed("bench: opened, to the painted frame", painted(window, lambda: window.go("bench")))
    timed("bench: another tray", painted(window, lambda: window.bench.tray_page.trays.setCurrentIndex(5)))
    timed("bench: a decision", painted(window, lambda: window.act("keep")))
    timed("ledger: opened, with the class picture", painted(window, lambda: window.go("ledger")))
    timed("ledger: players", painted(window, lambda: window.ledger.choose_way("players")))
    for text in ("1", "19", "player 199 trum"):
        timed(
            f"ledger: search “{text}”",
            painted(window, lambda t=text: window.ledger.players.search.setText(t)),
        )  # type: ignore[misc]
    window.close()


def forty(folder: Path, count: int) -> None:
    """One-minute takes of the demo's march, played by different players with slips of different kinds."""
    music = load_score(DEMO / "lockkeepers-march.musicxml")
    parts = [p for p in music.parts if not p.percussion]
    for k in range(count):
        part = parts[k % len(parts)]
        line = perform_part(music.title, part)
        chance = random.Random(k)
        plans = (
            [Plan(kind="wrong_note", at=chance.randrange(4, len(line.main_notes) - 4), amount=2.0)]
            if k % 3
            else []
        )
        played = perform(line, Manner(bpm=62 + k % 6), tuple(plans), seed=k)
        instrument = require_instrument(part.name)
        sound = put_in_room(
            render(list(played.tones), instrument.sound, played.seconds), RATE, Room(0.4, 0.2, 40), seed=k
        )
        write_sound(folder / f"Player{k:02d} march {part.name.split(' ')[0]}.ogg", sound, RATE)


def tray(options: argparse.Namespace) -> None:
    home = Path(tempfile.mkdtemp())
    pile = home / "pile"
    pile.mkdir()
    timed(f"playing {options.takes} takes (not part of the job)", lambda: forty(pile, options.takes))
    window = opened(home / "library")
    window.go("pattern")
    window.pattern.open_file(str(DEMO / "lockkeepers-march.musicxml"))
    pause(lambda: window.pattern.files.reading is None)
    window.pattern.put_on_shelf()
    window.go("bench")
    bench = window.bench
    keys = 0
    begin = time.perf_counter()

    def drop() -> None:
        bench.take_in([str(pile)])
        pause(lambda: bench.pages.currentIndex() == 1)

    timed("dropped: who and what each is, shown", drop)

    def enter() -> None:
        window.next_button.click()
        pause(lambda: not window.jobs.running("enter"))

    timed("entered", enter)
    keys += 1
    timed("checked", lambda: pause(lambda: bench.checking is not None and not bench.checking.busy))
    waiting = sum(line.take.summary.get("open", 0) for line in bench.lines)
    lengths = [bench.listening.fetched[t][1].duration for t in bench.listening.fetched]
    print(
        f"{'':56} {len(bench.lines)} takes, about {sum(lengths) / max(1, len(lengths)):.0f} s each; "
        f"{waiting} doubtful places"
    )

    def go_through() -> int:
        pressed = 0
        while any(line.take.summary.get("open") and not line.done for line in bench.lines) and pressed < 1000:
            if bench.key is None or bench.key not in (bench.hand.doubtful() if bench.hand else []):
                QTest.keyClick(window, Qt.Key.Key_Down)
            else:
                QTest.keyClick(window, Qt.Key.Key_K)
            pressed += 1
        return pressed

    keys += timed("gone through (without listening)", go_through)

    def slips() -> None:
        bench.exports.write_slips("pdf", str(home / "slips.pdf"))
        pause((home / "slips.pdf").exists)

    timed("slips of all of them (PDF)", slips)
    keys += 1
    print(
        f"{'from the drop to the slips, machine time':56} {time.perf_counter() - begin:7.3f} s; key "
        f"presses and clicks: {keys}"
    )
    window.close()


class Heart:
    """A timer of the window; the longest time between two of its beats."""

    def __init__(self) -> None:
        self.longest, self._last = 0.0, time.perf_counter()
        self.timer = QTimer()
        self.timer.timeout.connect(self._beat)
        self.timer.start(5)

    def _beat(self) -> None:
        now = time.perf_counter()
        self.longest, self._last = max(self.longest, now - self._last), now

    def told(self, words: str) -> None:
        print(f"{words + ': held at most':56} {self.longest:7.3f} s")
        self.longest = 0.0


def drop(options: argparse.Namespace) -> None:
    home = options.folder or Path(tempfile.mkdtemp())
    fill(home / "library", 2000, options.takes)
    pile = home / "pile"
    pile.mkdir(exist_ok=True)
    _, demo = read_band(DEMO)
    whole = demo[0].take.read_bytes()
    for k in range(options.files):
        (pile / f"Player {k:04d} march.ogg").write_bytes(whole + b"x" * k)
    window = opened(home / "library")
    window.go("bench")
    bench = window.bench
    pause(lambda: bench.library is not None)
    QTest.qWait(1000)
    heart = Heart()

    def looked_at() -> None:
        bench.take_in([str(p) for p in sorted(pile.iterdir())])
        pause(lambda: bench.pages.currentIndex() == 1)
        QTest.qWait(300)

    timed(f"{options.files} files dropped: who and what each is, shown", looked_at)
    heart.told("dropped")

    def entered() -> None:
        window.next_button.click()
        pause(lambda: not window.jobs.running("enter") and bench.pages.currentIndex() == 0)

    timed("entered", entered)
    heart.told("entered")
    begin = time.monotonic()
    pause(lambda: time.monotonic() - begin > 20)
    heart.told("twenty seconds of checking")
    assert bench.checking is not None
    window.close()


def book(options: argparse.Namespace) -> None:
    """The shelf with many pieces, and a part of 200 bars opened."""
    home = Path(tempfile.mkdtemp())
    window = opened(home / "library")
    window.go("pattern")
    place = window.pattern
    music = load_score(DEMO / "first-light.musicxml")
    shelf = place.shelf.open()
    assert shelf is not None
    for k in range(options.pieces):
        shelf.add(dataclasses.replace(music, title=f"Piece {k}"))
    place.shelf.open_at(place.shelf.folder)

    timed(
        f"shelf of {options.pieces} pieces: opened, to the painted frame",
        painted(window, lambda: place.choose_way("shelf")),
    )
    pause(lambda: not place.shelf.thumbs.waiting)
    worst = 0.0
    for k in range(30):
        begin = time.perf_counter()
        place.shelf.list.verticalScrollBar().setValue(k * 400)
        QApplication.processEvents()
        worst = max(worst, time.perf_counter() - begin)
    print(f"{'the slowest of 30 steps of scrolling':56} {worst:7.3f} s")
    timed("searched", painted(window, lambda: place.shelf.search.setText("Piece 17")))
    bars = "|".join(["CDEF GABc", "c2B2 A2G2", "E4 (FG)AB", "c8"]) + "|\n"
    (home / "long.abc").write_text(f"X:1\nT:Two hundred bars\nM:4/4\nL:1/8\nK:Eb\n{bars * 50}")

    def open_long() -> None:
        place.open_file(str(home / "long.abc"))
        pause(lambda: place.files.reading is None)

    timed("a part of 200 bars opened, to the painted frame", painted(window, open_long))
    window.close()


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    acts = parser.add_subparsers(dest="act", required=True)
    one = acts.add_parser("large")
    one.add_argument("--players", type=int, default=2000)
    one.add_argument("--takes", type=int, default=20000)
    one.add_argument("--folder")
    one.set_defaults(run=large)
    other = acts.add_parser("tray")
    other.add_argument("--takes", type=int, default=40)
    other.set_defaults(run=tray)
    dropped = acts.add_parser("drop")
    dropped.add_argument("--files", type=int, default=200)
    dropped.add_argument("--takes", type=int, default=20_000)
    dropped.add_argument("--folder", type=Path)
    dropped.set_defaults(run=drop)
    third = acts.add_parser("book")
    third.add_argument("--pieces", type=int, default=2000)
    third.set_defaults(run=book)
    options = parser.parse_args()
    options.run(options)


if __name__ == "__main__":
    main()
