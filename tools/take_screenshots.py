#!/usr/bin/env python3
"""Takes the pictures of docs/screenshots anew, from the demo band, without a display.

.venv/bin/python tools/take_screenshots.py docs/screenshots
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

import numpy as np
from PIL import Image
from PySide6.QtTest import QTest

from jeweller.assets import DEMO, GUIDE
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.booth.plan import ClickKind
from jeweller.cli.main import main as run_command
from jeweller.demo_band import read_band
from jeweller.documents.page import pdf_to_png
from jeweller.gui.places.bench.criteria_dialog import CriteriaDialog
from jeweller.gui.places.booth.model import BoothStage
from jeweller.gui.places.loupe.closeup import CloseupPicture
from jeweller.gui.services.guest import BoothGuest
from jeweller.gui.shell.app import make_app, open_settings
from jeweller.gui.shell.window import Window
from jeweller.instruments.table import require_instrument
from jeweller.library.assignments import kinds_of
from jeweller.notation.readers.sandbox import load_score
from jeweller.repertoire.shelf import Shelf

SPEED = 4.0  # of the simulated devices
PICTURE = 960  # pixels of the width of a picture in the guide
TYPED = (
    "T:Harbour song\nM:3/4\nL:1/4\nQ:1/4=96\nK:F\nC | F2 A | !trill!c2 B | A ^G A | _e2 d !foo! | c3 | "
    "(f2 e) | f2 |]\n"
)


def wait(ready: Callable[[], bool], seconds: float = 60.0) -> None:
    """Until something is so, and a moment more; threads and workers are given time in between."""
    end = time.monotonic() + seconds
    while not ready() and time.monotonic() < end:
        QTest.qWait(10)
        time.sleep(0.01)
    QTest.qWait(400)


def main() -> None:
    target = Path(sys.argv[1])
    app = make_app()
    speaker = SimulatedSpeaker()
    speaker.silent = False
    name, tray = read_band(DEMO)
    with tempfile.TemporaryDirectory() as folder:
        settings = open_settings(Path(folder) / "desk.ini")
        settings.setValue("library", str(Path(folder) / "library"))
        window = Window(settings, speaker, tray, name)
        window.resize(1280, 800)
        window.show()
        app.processEvents()

        def shot(what: str) -> None:
            QTest.qWait(400)
            window.statusBar().clearMessage()
            app.processEvents()
            window.grab().save(str(target / f"{what}.png"))
            print(target / f"{what}.png")

        def open_take(k: int) -> None:
            t = tray[k]
            window.loupe_place.open_pair(str(t.score), str(t.take), t.part, t.player)
            wait(
                lambda: window.loupe_place.pair.take == str(t.take) and window.loupe_place.currentIndex() == 2
            )
            assert window.loupe_place.review is not None
            window.loupe.choose(window.loupe_place.review.shown[0].key)

        shot("opening")
        open_take(1)
        shot("loupe-light")
        window.act("look_closer")
        QTest.qWait(300)
        closer = window.loupe.findChildren(CloseupPicture)[0].window()
        closer.grab().save(str(target / "closer.png"))
        closer.close()
        window.set_theme("dark")
        window.menus.pitch_action.setChecked(True)
        open_take(3)
        shot("loupe-dark")
        window.set_theme("light")
        window.go("pattern")
        place = window.pattern
        place.maker.set_players([require_instrument("clarinet")])
        for word, value in (
            ("tonic", "E♭"),
            ("kind", "intervals"),
            ("rhythm", "eighths"),
            ("articulation", "two and two"),
        ):
            place.maker.choose(word, value)
        place.shown.lines["counts"].setChecked(True)
        place.shown.lines["fingerings"].setChecked(True)
        for trap, box in place.look.boxes:
            box.setChecked(trap.kind in ("altered", "register"))
        wait(lambda: place.view.paper.engraving is not None)
        shot("pattern-book")
        place.shown.lines["fingerings"].setChecked(False)
        place.choose_way("type")
        place.typed.set_text(TYPED)
        shot("pattern-typed")
        for score in sorted(DEMO.glob("*.musicxml")):
            place.open_file(str(score))
            wait(lambda: place.files.reading is None)
            place.put_on_shelf()
        for kind in ("scale", "arpeggio", "intervals"):
            place.maker.choose("kind", kind)
            place.choose_way("make")
            place.put_on_shelf()
        place.shown.lines["counts"].setChecked(False)
        place.choose_way("shelf")
        place.shelf.list.setCurrentRow(4)
        place.shelf.ask("background", "An air for a slow evening: long lines, one breath to two bars.")
        wait(lambda: not place.shelf.thumbs.waiting)
        shot("pattern-shelf")
        bench_and_ledger(window, shot, target)
        window.close()


def guide_pictures(target: Path) -> None:
    """The pictures of the guide and of the opening page, smaller, of the same views."""
    march, bram = DEMO / "lockkeepers-march.musicxml", DEMO / "02-bram-trumpet.ogg"
    with tempfile.TemporaryDirectory() as folder:
        page = Path(folder) / "page.png"
        run_command(["check", str(march), str(bram), "--part", "Trumpet in B♭", "--png", str(page)])
        whole = Image.open(page).convert("RGB")
    marked = whole.crop((50, 60, whole.width - 50, round(whole.height * 0.71)))
    views = {"loupe": "loupe-light", "bench": "bench-light", "pattern": "pattern-book"}
    pictures = {name: Image.open(target / f"{view}.png").convert("RGB") for name, view in views.items()}
    for name, picture in {**pictures, "marked": marked}.items():
        small = picture.resize(
            (PICTURE, round(picture.height * PICTURE / picture.width)), Image.Resampling.LANCZOS
        )
        small.quantize(160, method=Image.Quantize.MAXCOVERAGE).save(
            GUIDE / "pictures" / f"{name}.png", optimize=True
        )


def bench_and_ledger(window: Window, shot: Callable[[str], None], target: Path) -> None:
    """The demo band's trays, checked and looked at."""
    window.go("bench")
    bench = window.bench
    wait(lambda: bench.tray_page.trays.count() == 2)  # the demo band is entered beside the window
    for tray in (2, 1):
        assert bench.library is not None and bench.checking is not None
        bench.show_trays(tray)
        bench.check()
        wait(lambda: bench.checking is not None and not bench.checking.busy, 300)
    bench.list.setCurrentRow(0)
    wait(lambda: bench.hand is not None and bench.hand.take.id in bench.listening.fetched)
    window.act("keep")
    wait(lambda: bench.hand is not None and bench.hand.take.id in bench.listening.fetched)
    bench.listening.stop()
    shot("bench-light")
    assert bench.hand is not None
    march = bench.hand.take.piece
    dialog = CriteriaDialog(
        bench, [(march, "The Lockkeeper's March")], None, kinds_of=partial(kinds_of, window.waked_library())
    )
    dialog.show()
    QTest.qWait(300)
    dialog.grab().save(str(target / "asked.png"))
    dialog.close()
    pile = Path(tempfile.mkdtemp())
    for k, name in enumerate(
        (
            "ilse fernhollow air.ogg",
            "BRAM lockkeepers march 2.ogg",
            "noor clapping march.ogg",
            "Orla weir steps.ogg",
            "Kit weir steps.ogg",
        )
    ):
        source = window.tray[(0, 1, 2, 4, 7)[k]].take.read_bytes()
        (pile / name).write_bytes(source if "Kit" in name else source + b"x")
    bench.take_in([str(pile)])
    wait(lambda: bench.pages.currentIndex() == 1)
    shot("bench-intake")
    bench.intake.page.cancel.click()
    window.go("ledger")
    ledger = window.ledger
    ledger.trays.setCurrentIndex(0)
    shot("ledger-class")
    ledger.choose_way("players")
    listed = ledger.players.list
    listed.setCurrentRow(next(k for k in range(listed.count()) if listed.item(k).text().startswith("Oda")))
    shot("ledger-player")
    ledger.choose_way("assigned")
    shot("ledger-assigned")
    bench.show_trays(1)
    bench.model.set_slips(with_mark=True)
    bench.exports.write_slips("pdf", str(pile / "slips.pdf"))
    wait((pile / "slips.pdf").exists, 120)
    first = next(k for k, s in enumerate(sorted(line.player for line in bench.lines)) if s == "Bram")
    (target / "slip.png").write_bytes(pdf_to_png((pile / "slips.pdf").read_bytes(), 90)[first])
    booth_and_warm_up(target)
    guide_pictures(target)
    march, bram = DEMO / "lockkeepers-march.musicxml", DEMO / "02-bram-trumpet.ogg"
    on_paper = str(target / "marked-part.png")
    run_command(["check", str(march), str(bram), "--part", "Trumpet in B♭", "--png", on_paper])


def booth_and_warm_up(target: Path) -> None:
    """A player of the simulated microphone: tuned, recorded, told, tried again."""
    with tempfile.TemporaryDirectory() as folder:
        settings = open_settings(Path(folder) / "desk.ini")
        settings.setValue("library", str(Path(folder) / "library"))
        guest = BoothGuest(SPEED)
        speaker = SimulatedSpeaker(speed=SPEED)
        speaker.silent = False
        window = Window(settings, speaker, make_microphone=guest.make_microphone)
        window.resize(1280, 800)
        window.show()

        def shot(what: str) -> None:
            QTest.qWait(400)
            window.statusBar().clearMessage()
            QTest.qWait(30)
            window.grab().save(str(target / f"{what}.png"))
            print(target / f"{what}.png")

        score = load_score(DEMO / "canal-lanterns.musicxml")
        piece = Shelf(Path(folder) / "library" / "shelf").add(score)
        window.go("booth")
        booth, model = window.booth, window.booth.model
        booth.open_piece(piece.id, "Clarinet in B♭")
        wait(lambda: model.music is not None and booth.sheet.paper.engraving is not None)
        warm_up(window, guest)
        shot("warmup")
        window.go("booth")
        guest.visit(model)
        model.set_plan(click=ClickKind.ON)
        for k in range(2):
            booth.enter()
            if k == 0:
                wait(lambda: model.runner.session is not None and model.runner.session.seconds > 4.0)
                shot("booth-while")
            wait(lambda k=k: len(model.log.takes) > k and model.stage == BoothStage.VERDICT)  # type: ignore[misc]
        wait(lambda: booth.loupe.paper.engraving is not None)
        window.set_theme("dark")
        wait(lambda: True)
        shot("booth-after")
        window.set_theme("light")
        window.go("practice")
        wait(lambda: window.practice.model.made is not None)
        shot("practice")
        window.close()


def warm_up(window: Window, guest: BoothGuest) -> None:
    """Five notes, a little high, the last of them held."""
    window.go("warmup")
    place = window.warmup
    place.model.set_instrument(require_instrument("clarinet"))
    place.model.set_walk("five")
    place.enter()
    microphone = guest.microphone
    assert microphone is not None
    at = 0.4
    for midi, cents in ((58, 14), (60, 18), (62, 21), (63, 11), (65, 24)):
        hz = 440.0 * 2 ** ((midi - 69 + cents / 100) / 12)
        lasts = 9.0 if midi == 65 else 2.6
        t = np.arange(round(lasts * microphone.rate)) / microphone.rate
        phase = 2 * np.pi * np.cumsum(hz * 2 ** (2.5 * np.sin(2 * np.pi * 1.1 * t) / 1200)) / microphone.rate
        edge = np.minimum(1.0, np.minimum(t, lasts - t) / 0.05)
        sound = 0.2 * edge * (np.sin(phase) + 0.6 * np.sin(3 * phase) + 0.3 * np.sin(5 * phase))
        microphone.play(sound.astype(np.float32), at)
        at += 3.0
    wait(lambda: microphone.now() > at - 1.5)


if __name__ == "__main__":
    main()
