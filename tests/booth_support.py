"""The window with a simulated microphone and loudspeaker, in a hurry, and somebody who plays when counted in."""

from __future__ import annotations

import dataclasses
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from jeweller.audio.latency import Latency
from jeweller.audio.microphone import SimulatedMicrophone
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.booth.plan import TakePlan
from jeweller.booth.session import TakeSession
from jeweller.gui.places.booth.model import BoothStage
from jeweller.gui.shell.app import open_settings
from jeweller.gui.shell.window import Window
from jeweller.notation.model import Score
from jeweller.repertoire.shelf import Shelf
from jeweller.simulator.guest import play_line
from tests.support import WindowCase, part_of

SPEED = 8.0  # of the simulated devices: a take of four bars lasts a second and a half
MUSIC = "C5/1 D5/1 E5/1 F5/1 | G5/2 E5/2 | F5/1 D5/1 E5/1 C5/1 | D5/1 r/1 C5/2"


class BoothCase(WindowCase):
    """`booth` and `model` of a window whose microphone is simulated; `microphones` are those it opened. The
    tests of a class share the window, each with a library of its own.
    """

    shared: Window | None = None
    speaker: SimulatedSpeaker
    current: BoothCase

    @classmethod
    def tearDownClass(cls) -> None:
        if cls.shared is not None:
            cls.shared.close()
            cls.shared.deleteLater()
            cls.shared = None

    def setUp(self) -> None:
        super().setUp()
        cls = type(self)
        cls.current = self
        self.microphones: list[SimulatedMicrophone] = []
        self.arguments: dict[str, Any] = {}
        self.in_one_room = False  # whether the microphone hears the loudspeaker
        if cls.shared is None:
            cls.speaker = SimulatedSpeaker(speed=SPEED)
            settings = open_settings(Path(tempfile.mkdtemp()) / "desk.ini")
            cls.shared = Window(settings, cls.speaker, (), "", lambda name: cls.current.make_microphone(name))
            cls.shared.resize(1280, 800)
            cls.shared.show()
        self.window = cls.shared
        self.window.settings.setValue("library", str(self.folder / "library"))
        self.window.settings.setValue("booth/latency", "{}")
        self.window.settings.remove("booth/bpm")
        self.window.last_trouble = ""
        self.speaker.speed, self.speaker.listener = SPEED, None
        self.shelf = Shelf(self.folder / "library" / "shelf")
        other = dataclasses.replace(part_of(MUSIC, name="Oboe"), id="P2")
        self.piece = self.shelf.add(Score("A test", (part_of(MUSIC, bpm=120), other), ""))
        self.window.go("booth")
        self.booth, self.model = self.window.booth, self.window.booth.model
        self.addCleanup(self.model.leave)
        self.model.plan = TakePlan()
        self.model.set_own_first(False)
        self.model.music = None
        self.booth.warmed_up, self.booth._shelf = True, None
        self.booth.open_piece(self.piece.id, "Flute")
        self.wait(lambda: self.model.music is not None, what="for the piece")

    def make_microphone(self, _name: str) -> SimulatedMicrophone:
        made = SimulatedMicrophone(**{"endless": True, "speed": SPEED, **self.arguments})
        self.microphones.append(made)
        self.speaker.listener = made.hear if self.in_one_room else None
        return made

    @property
    def journal_folder(self) -> Path:
        return self.model.journal.folder

    def counting(self) -> TakeSession:
        """The session, once its count-in sounds."""
        self.wait(
            lambda: self.model.runner.session is not None and np.isfinite(self.model.runner.session.began_s),
            what="for the count-in",
        )
        session = self.model.runner.session
        assert session is not None
        return session

    def play(self, **slips: Any) -> TakeSession:
        """Begins a take by the one key; the guest plays when counted in."""
        self.booth.enter()
        session = self.counting()
        sound = play_line(session.line, session.track.spq, "flute", 44100, **slips)
        self.microphones[-1].play(sound, session.downbeat_s + session.latency_s)
        return session

    def verdict(self) -> None:
        self.wait(
            lambda: self.model.stage in (BoothStage.VERDICT, BoothStage.OWN_VIEW), what="for the verdict"
        )

    def take(self, **slips: Any) -> None:
        """A whole take."""
        self.play(**slips)
        self.verdict()

    def set_latency(self, seconds: float) -> None:
        microphone = self.make_microphone("")
        self.window.devices.set_latency(microphone, Latency(seconds, 0.001, "loop-back"))

    def plan(self, **changes: Any) -> None:
        self.model.plan = dataclasses.replace(self.model.plan, **changes)
