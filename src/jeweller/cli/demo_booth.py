"""`jeweller demo --booth`: takes being made with a simulated microphone, into which a simulated player plays.

With a display the window opens in the booth; without one the same window works offscreen, says what was
recorded, found and tried again, and leaves a picture of each view.
"""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

from jeweller.assets import DEMO
from jeweller.cli.demo import wait_for
from jeweller.i18n import _

if TYPE_CHECKING:
    from jeweller.gui.places.booth.model import BoothModel
    from jeweller.gui.shell.window import Window

PIECE, PART = "first-light.musicxml", "Clarinet"
SPEED = 4.0  # offscreen nobody listens: it need not last as long as the music


def run_booth_demo(out: Path | None) -> int:
    """Opens the booth with a guest in it, or works through it offscreen. Returns the exit status."""
    from jeweller.audio.ports import FoundSpeaker, SimulatedSpeaker
    from jeweller.gui.services.guest import BoothGuest
    from jeweller.gui.shell.app import has_display, make_app, open_settings
    from jeweller.gui.shell.window import Window
    from jeweller.notation.readers.sandbox import load_score
    from jeweller.repertoire.shelf import Shelf

    folder = (out or Path(tempfile.mkdtemp(prefix="jeweller-booth-"))).absolute()
    folder.mkdir(parents=True, exist_ok=True)
    seen = has_display() and out is None
    app = make_app()
    settings = open_settings(folder / "desk.ini")
    settings.setValue("library", str(folder / "library"))
    guest = BoothGuest(1.0 if seen else SPEED)
    speaker = FoundSpeaker() if seen else SimulatedSpeaker(speed=SPEED)
    window = Window(settings, speaker, make_microphone=guest.make_microphone)
    window.resize(1280, 800)
    window.show()
    score = load_score(DEMO / PIECE)
    piece = Shelf(folder / "library" / "shelf").add(score)
    window.go("booth")
    window.booth.warmed_up = True
    part = next((p.name for p in score.parts if p.name.startswith(PART)), "")
    window.booth.open_piece(piece.id, part)
    guest.visit(window.booth.model)
    if seen:
        return app.exec()
    return _offscreen(window, folder)


def _offscreen(window: Window, folder: Path) -> int:
    from jeweller.gui.places.booth.model import BoothStage

    model = window.booth.model
    wait_for(lambda: model.music is not None)
    if model.music is None:
        print(window.last_trouble)
        return 1
    print(
        _("{title}, {part}: recorded with a simulated microphone, played by the simulated player.\n").format(
            title=model.music.title, part=model.music.part.name
        )
    )
    window.grab().save(str(folder / "view-booth-before.png"))
    for k, before in enumerate((None, model.slower, model.bad_bar, None)):
        if before is not None:
            before()
        elif k:
            model.set_plan(bars="", bpm=model.written_bpm)
        count = len(model.log.takes)
        window.booth.enter()
        if k == 0:
            wait_for(lambda: model.runner.session is not None and model.runner.session.seconds > 4.0)
            window.grab().save(str(folder / "view-booth-while.png"))
        wait_for(lambda c=count: len(model.log.takes) > c and model.stage == BoothStage.VERDICT)  # type: ignore[misc]
        if len(model.log.takes) == count:
            print(window.last_trouble or _("The take was not finished."))
            return 1
        _tell(model)
    wait_for(lambda: window.booth.loupe.paper.engraving is not None)
    window.grab().save(str(folder / "view-booth-after.png"))
    window.close()
    print(_("\nThe recordings and a picture of each view are in {folder}").format(folder=folder))
    return 0


def _tell(model: BoothModel) -> None:
    """What was recorded, found, and what is better than before."""
    from jeweller.assessment.messages import localized

    take = model.take
    if take is None:
        return
    print(_("Take {number}: {made}: {what}").format(number=take.number, made=take.made, what=take.sentence))
    for f in take.findings:
        print(f"    {localized(f)['text']}")
    compared = model.log.comparison()
    if compared is not None:
        before, comparison = compared
        for sentence in comparison.sentences(before.number):
            print(f"    {sentence}")
