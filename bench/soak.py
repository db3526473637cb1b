#!/usr/bin/env python3
"""An evening at the window, compressed: trays dropped, entered, checked, gone through by keys, undone, looked
at under the loupe and in the ledger; recordings in the booth between them.

    .venv/bin/python bench/soak.py [--takes 2000] [--in-tray 40] [--every 5] [--folder F]

Prints for each tray memory, open files, threads, widgets, and at the end how long keys waited for their
answer (to the painted frame). Exits non-zero where memory grew by more than 50 MB after the first two trays,
a file or a thread is left, or one key in a hundred waited longer than 100 ms. Offscreen; the figures of
docs/reliability.md come from here.
"""

from __future__ import annotations

import argparse
import gc
import os
import random
import statistics
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OMP_NUM_THREADS", "1")

import psutil
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from jeweller.assets import DEMO
from jeweller.audio.decode import decode
from jeweller.audio.encode import write_sound
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.booth.plan import ClickKind
from jeweller.demo_band import read_band
from jeweller.gui.places.booth.model import BoothStage
from jeweller.gui.services.guest import BoothGuest
from jeweller.gui.shell.app import make_app, open_settings
from jeweller.gui.shell.window import Window
from jeweller.repertoire.shelf import Query

MOST_MB, MOST_MS = 50.0, 100.0
SETTLED = 2  # trays after which all is loaded that stays
RATE = 22050
SPEED = 4.0  # of the simulated microphone
KEYS = (Qt.Key.Key_Down, Qt.Key.Key_K, Qt.Key.Key_D, Qt.Key.Key_Down, Qt.Key.Key_U, Qt.Key.Key_Up)
SOUND_S = 10.0  # of each recording: an evening is long enough
ANSWERS: list[tuple[float, str]] = []  # milliseconds, and which key


def pause(until: Callable[[], object], seconds: float = 900.0) -> None:
    end = time.monotonic() + seconds
    while not until():
        QTest.qWait(5)
        time.sleep(0.01)
        if time.monotonic() > end:
            sys.exit("waited in vain")


def press(
    window: Window, key: Qt.Key, modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
) -> None:
    """A key, to the painted frame."""
    begin = time.perf_counter()
    QTest.keyClick(window, key, modifiers)
    QApplication.processEvents()
    ANSWERS.append((1000 * (time.perf_counter() - begin), f"{modifiers.name} {key.name}"))
    QTest.qWait(15)


def make_pile(folder: Path, tray: int, takes: int, sounds: list[tuple[str, object, int]]) -> None:
    """Recordings that are all different files: a moment of quiet more before each."""
    import numpy as np

    folder.mkdir()
    for k in range(takes):
        words, samples, rate = sounds[k % len(sounds)]
        quiet = np.zeros(7 * (tray * takes + k) % 4000 + 1, np.float32)
        write_sound(folder / f"Player{k:02d} {words}.wav", np.concatenate([quiet, samples]), rate)  # type: ignore[arg-type]


def one_tray(window: Window, pile: Path, draw: random.Random) -> None:
    bench = window.bench
    press(window, Qt.Key.Key_5, Qt.KeyboardModifier.ControlModifier)
    bench.take_in([str(pile)])
    pause(lambda: bench.pages.currentIndex() == 1)
    window.next_button.click()
    pause(lambda: not window.jobs.running("enter") and bench.pages.currentIndex() == 0)
    pause(lambda: bench.checking is not None)
    while bench.checking is not None and bench.checking.busy:  # gone through while the others are checked
        press(window, draw.choice(KEYS))
        QTest.qWait(60)
    for _unused in range(60):
        press(window, draw.choice(KEYS))
    press(window, Qt.Key.Key_N)
    QTest.keyClicks(QApplication.focusWidget() or window, "well counted")
    press(window, Qt.Key.Key_Escape)
    press(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    press(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    press(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    bench.list.setCurrentRow(draw.randrange(bench.list.count()))
    press(window, Qt.Key.Key_O)
    pause(lambda: window.loupe_place.currentIndex() == 2 and not window.jobs.running("check"))
    for key in (
        Qt.Key.Key_Down,
        Qt.Key.Key_Right,
        Qt.Key.Key_Right,
        Qt.Key.Key_P,
        Qt.Key.Key_P,
        Qt.Key.Key_Left,
    ):
        press(window, key)
    press(window, Qt.Key.Key_7, Qt.KeyboardModifier.ControlModifier)
    window.ledger.trays.setCurrentIndex(draw.randrange(window.ledger.trays.count()))
    for way in ("players", "class"):
        window.ledger.choose_way(way)
        QTest.qWait(50)
    for number in (Qt.Key.Key_2, Qt.Key.Key_3, Qt.Key.Key_6, Qt.Key.Key_5):
        press(window, number, Qt.KeyboardModifier.ControlModifier)


def record(window: Window, takes: int) -> None:
    """A few takes in the booth; the last one is what is practised."""
    press(window, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    booth, model = window.booth, window.booth.model
    for _unused in range(takes):
        before = len(model.log.takes)
        booth.enter()
        pause(lambda before=before: len(model.log.takes) > before and model.stage == BoothStage.VERDICT, 120)  # type: ignore[misc]
    press(window, Qt.Key.Key_6, Qt.KeyboardModifier.ControlModifier)
    QTest.qWait(200)


def measured(process: psutil.Process) -> tuple[float, int, int, int]:
    """Memory in MB, open files, threads, widgets: when nothing is going on."""
    QTest.qWait(300)
    gc.collect()
    return (
        process.memory_info().rss / 2**20,
        process.num_fds(),
        threading.active_count(),
        len(QApplication.allWidgets()),
    )


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--takes", type=int, default=2000)
    parser.add_argument("--in-tray", type=int, default=40)
    parser.add_argument("--every", type=int, default=5, help="so many trays between visits to the booth")
    parser.add_argument("--folder", type=Path)
    options = parser.parse_args()
    home = options.folder or Path(tempfile.mkdtemp())
    draw = random.Random(1)
    make_app()
    settings = open_settings(home / "desk.ini")
    settings.setValue("library", str(home / "library"))
    guest = BoothGuest(SPEED)
    window = Window(settings, SimulatedSpeaker(speed=SPEED), make_microphone=guest.make_microphone)
    window.resize(1280, 800)
    window.show()
    _, demo = read_band(DEMO)
    chosen = sorted(demo, key=lambda t: t.take.stat().st_size)[:4]
    sounds = []
    window.go("pattern")
    for take in chosen:
        window.pattern.open_file(str(take.score))
        pause(lambda: window.pattern.files.reading is None)
        window.pattern.put_on_shelf()
        words = take.score.stem.replace("-", " ") + " " + take.part.split(" ")[0]
        sounds.append((words, decode(take.take, RATE).samples[: round(SOUND_S * RATE)], RATE))
    window.go("bench")
    library = window.bench.library
    assert library is not None
    band = library.add_band("The Fernhollow Band")
    for k in range(options.in_tray):
        library.add_player(band.id, f"Player{k:02d}", "")
    booth = window.booth
    window.go("booth")
    booth.open_piece(library.shelf.find(Query())[0].id, "")
    guest.visit(booth.model)
    booth.model.set_plan(click=ClickKind.ON)
    process = psutil.Process()
    begin, settled = time.monotonic(), (0.0, 0, 0, 0)
    trays = options.takes // options.in_tray
    print("  tray  takes   minutes       MB   files  threads  widgets", flush=True)
    for tray in range(trays):
        pile = home / f"pile{tray}"
        make_pile(pile, tray, options.in_tray, sounds)
        os.sync()  # what is dropped on a window has lain on the disk for a while
        one_tray(window, pile, draw)
        for file in pile.iterdir():
            file.unlink()
        pile.rmdir()
        if tray % options.every == 0:
            record(window, 2)
        now = measured(process)
        if tray == SETTLED - 1:
            settled = now
        minutes = (time.monotonic() - begin) / 60
        print(
            f"{tray + 1:6} {(tray + 1) * options.in_tray:6} {minutes:9.1f} "
            f"{now[0]:8.0f} {now[1]:7} {now[2]:8} {now[3]:8}",
            flush=True,
        )
    waits = sorted(ms for ms, _key in ANSWERS)
    for key in sorted({key for _ms, key in ANSWERS}):
        of_key = sorted(ms for ms, other in ANSWERS if other == key)
        print(
            f"  {key:28} {len(of_key):5} median {of_key[len(of_key) // 2]:6.1f} ms, most {of_key[-1]:6.1f} ms"
        )
    worst = waits[round(0.99 * (len(waits) - 1))]
    print(
        f"{len(waits)} keys: median {statistics.median(waits):.1f} ms, 99th percentile {worst:.1f} ms, "
        f"most {waits[-1]:.0f} ms"
    )
    print(
        f"since tray {SETTLED}: memory {now[0] - settled[0]:+.0f} MB, files {now[1] - settled[1]:+}, "
        f"threads {now[2] - settled[2]:+}"
    )
    window.close()
    bad = now[0] - settled[0] > MOST_MB or worst > MOST_MS or now[1] > settled[1] + 2 or now[2] > settled[2]
    sys.exit(bool(bad))


if __name__ == "__main__":
    main()
