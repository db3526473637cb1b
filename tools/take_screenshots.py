#!/usr/bin/env python3
"""Takes the pictures of docs/screenshots anew, from the demo band, without a display.

.venv/bin/python tools/take_screenshots.py docs/screenshots
.venv/bin/python tools/take_screenshots.py FOLDER --text 200 --theme "high contrast"    to look at, not to keep
"""

from __future__ import annotations

import argparse
import datetime
import os
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

import numpy as np
from PIL import Image
from PySide6.QtCore import QSettings
from PySide6.QtTest import QTest

from jeweller.assets import DEMO, GUIDE
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.booth.own_view import OwnMark, OwnView
from jeweller.booth.plan import ClickKind
from jeweller.cli.main import main as run_command
from jeweller.demo_band import read_band
from jeweller.documents.page import pdf_to_png
from jeweller.gui.places.booth.model import BoothStage
from jeweller.gui.places.loupe.closeup import CloseupPicture
from jeweller.gui.places.practice.view import EAR_WAY, LOG_WAY, WALL_WAY, PracticePlace
from jeweller.gui.services.guest import BoothGuest
from jeweller.gui.shell.app import make_app, open_settings
from jeweller.gui.shell.window import Window
from jeweller.instruments.table import require_instrument
from jeweller.notation.readers.sandbox import load_score
from jeweller.repertoire.shelf import Shelf

SPEED = 4.0  # of the simulated devices
PICTURE = 960  # pixels of the width of a picture in the guide


def wait(ready: Callable[[], bool], seconds: float = 60.0) -> None:
    """Until something is so, and a moment more; threads and workers are given time in between."""
    end = time.monotonic() + seconds
    while not ready() and time.monotonic() < end:
        QTest.qWait(10)
        time.sleep(0.01)
    QTest.qWait(400)


@dataclass(frozen=True)
class Wanted:
    """Where the pictures go; another size of text, another theme than the pictures of the documents have."""

    target: Path
    text: int
    theme: str

    @property
    def kept(self) -> bool:
        return self.text == 100 and not self.theme

    def dress(self, settings: QSettings) -> None:
        settings.setValue("text_size", self.text)
        settings.setValue("theme", self.theme or "light")

    def show(self, window: Window, theme: str) -> None:
        window.set_theme(self.theme or theme)


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("target", type=Path)
    parser.add_argument("--text", type=int, default=100)
    parser.add_argument("--theme", default="")
    wanted = Wanted(**vars(parser.parse_args()))
    target = wanted.target
    app = make_app()
    speaker = SimulatedSpeaker()
    speaker.silent = False
    name, tray = read_band(DEMO)
    with tempfile.TemporaryDirectory() as folder:
        settings = open_settings(Path(folder) / "desk.ini")
        settings.setValue("library", str(Path(folder) / "library"))
        wanted.dress(settings)
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
        wanted.show(window, "dark")
        window.menus.pitch_action.setChecked(True)
        open_take(3)
        shot("loupe-dark")
        wanted.show(window, "light")
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
        for name in ("fingerings", "counts"):
            place.shown.lines[name].setChecked(False)
        window.read_page(str(DEMO / "page-9.jpg"))
        wait(lambda: place.page.score is not None)
        place.page.walk(1)
        wait(lambda: not window.jobs.running("sheet engraved"))
        shot("pattern-page")
        bench_and_ledger(window, shot, wanted)
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


def bench_and_ledger(window: Window, shot: Callable[[str], None], wanted: Wanted) -> None:
    """The demo band's trays, checked and looked at."""
    target = wanted.target
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
    bench.show_trays(1)
    bench.model.set_slips(with_mark=True)
    bench.exports.write_slips("pdf", str(pile / "slips.pdf"))
    wait((pile / "slips.pdf").exists, 120)
    first = next(k for k, s in enumerate(sorted(line.player for line in bench.lines)) if s == "Bram")
    (target / "slip.png").write_bytes(pdf_to_png((pile / "slips.pdf").read_bytes(), 90)[first])
    booth_and_warm_up(wanted)
    if not wanted.kept:
        return
    guide_pictures(target)
    march, bram = DEMO / "lockkeepers-march.musicxml", DEMO / "02-bram-trumpet.ogg"
    on_paper = str(target / "marked-part.png")
    run_command(["check", str(march), str(bram), "--part", "Trumpet in B♭", "--png", on_paper])


def booth_and_warm_up(wanted: Wanted) -> None:
    """A player of the simulated microphone: tuned, recorded, told, tried again."""
    with tempfile.TemporaryDirectory() as folder:
        settings = open_settings(Path(folder) / "desk.ini")
        settings.setValue("library", str(Path(folder) / "library"))
        wanted.dress(settings)
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
            window.grab().save(str(wanted.target / f"{what}.png"))
            print(wanted.target / f"{what}.png")

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
        wanted.show(window, "dark")
        wait(lambda: True)
        shot("booth-after")
        wanted.show(window, "light")
        window.go("practice")
        wait(lambda: window.practice.model.made is not None)
        shot("practice")
        wall_log_and_ear(window.practice, shot)
        window.close()


def wall_log_and_ear(place: PracticePlace, shot: Callable[[str], None]) -> None:
    """Some weeks of one player, and a take to train the ear on."""
    place.choose_way(WALL_WAY)
    today = datetime.date.today()
    for slot, bpm, passed, by in (
        ("C|five", 92, True, "check"),
        ("C|major", 72, True, "check"),
        ("F|five", 92, True, "check"),
        ("F|major", 72, True, "ear"),
        ("B♭|five", 80, True, "check"),
        ("B♭|major", 60, True, "check"),
        ("B♭|chord", 60, True, "ear"),
        ("E♭|five", 60, True, "check"),
        ("E♭|five", 60, False, "check"),
    ):
        entry = {"slot": slot, "day": today.isoformat(), "bpm": bpm, "passed": passed, "by": by}
        place.wall.journal.add("stone", {**entry, "reading": "memory"})
    place.wall.reread()
    shot("wall")
    place.choose_way(LOG_WAY)
    monday = today - datetime.timedelta(days=7 + today.weekday())
    place.log.turn(1)
    for day, minutes, *words in (
        (0, 25, "Long tones, the first line", "The low notes spoke", "counted before I played"),
        (1, 8, "Only the scale", "", ""),
        (3, 30, "Lanterns on the Canal, bars 1 to 8", "", "slower"),
        (4, 18, "The trill", "even by the end", ""),
    ):
        place.log.write(monday + datetime.timedelta(days=day), minutes, *words)
    shot("log")
    place.choose_way(EAR_WAY)
    for facets, heard in ((("rhythm", "notes", "count"), ("notes",)), (("rhythm", "sound"), ("rhythm",))):
        for _k in range(7):
            place.ear.journal.add("ear", {"of": facets, "heard": heard, "invented": []})
    place.ear.set_request("facet", "rhythm")
    place.ear.draw.seed(4)
    place.ear.make()
    wait(lambda: bool(place.ear.takes) and place.ear_page.sheet.paper.engraving is not None)
    place.ear.stop()
    take = place.ear.takes[0]
    place.ear.say(OwnView((OwnMark(take.faults[0].bars[0], "rhythm"), OwnMark("2", "notes"))))
    shot("ear")


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
