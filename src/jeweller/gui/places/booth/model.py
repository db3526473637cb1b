"""What the booth knows and does, with no widget: the music, how the next take is made, the takes of this
session, where the ladders lead.
"""

from __future__ import annotations

import dataclasses
import zlib
from collections.abc import Callable
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QSettings, QTimer, Signal

from jeweller.audio.microphone import KeyMicrophone, Microphone, SimulatedMicrophone
from jeweller.audio.playback import Transport, cut
from jeweller.booth.attempts import BoothTake
from jeweller.booth.echo import ROUNDS
from jeweller.booth.ladder import next_rung
from jeweller.booth.own_view import OwnView, agree
from jeweller.booth.plan import ClickKind, Help, Music
from jeweller.booth.session import TakeSession
from jeweller.booth.track import model_of
from jeweller.documents.parts import instrument_of
from jeweller.errors import JewellerError
from jeweller.gui.places.booth.finder import FirstNoteFinder
from jeweller.gui.places.booth.ladder_keys import USUAL_BPM, LadderKeys
from jeweller.gui.places.booth.recording import TakeRunner
from jeweller.gui.places.booth.sight import FirstSight, after_sight
from jeweller.gui.places.booth.take_log import TakeLog, journal_entry
from jeweller.gui.places.booth.turns import ByTurns
from jeweller.gui.services.devices import Devices, no_microphone
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.kept import kept_number
from jeweller.i18n import _
from jeweller.instruments.care import load_care
from jeweller.library.journal import PlayerJournal
from jeweller.notation.performance import perform_part
from jeweller.synthesis.sampler import RATE

if TYPE_CHECKING:
    from jeweller.instruments.table import Instrument
    from jeweller.library.tables import Player
    from jeweller.notation.model import Score
    from jeweller.pipeline.check import Checked
    from jeweller.repertoire.shelf import Piece, Shelf

LOOK_MS = 50
MOST_BPM = 400.0  # quarters a minute


class BoothStage(StrEnum):
    """What the booth is doing."""

    READY = "ready"
    LISTENING = "listening"  # the model is played
    FIRST_NOTE = "first_note"  # the first note is looked for
    LOOKING = "looking"  # a line at first sight is looked over
    TAKING = "taking"
    CHECKING = "checking"
    OWN_VIEW = "own_view"  # the player says first
    VERDICT = "verdict"
    ECHO = "echo"  # what became of the answers


class BoothModel(LadderKeys):
    """`changed`: something to be shown anew; `ticked`: a moment of a take has passed; `trouble`, `message`:
    sentences for the user.
    """

    ticked = Signal()

    def __init__(
        self,
        jobs: Jobs,
        devices: Devices,
        settings: QSettings,
        library: Callable[[], Path],
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self.jobs, self.devices, self.settings, self._library = jobs, devices, settings, library
        self.runner = TakeRunner(jobs, devices, self)
        self.runner.ended.connect(self._ended)
        self.runner.ticked.connect(self._tick)
        self.runner.began.connect(self.changed)
        self.runner.trouble.connect(self._refused)
        self.transport = Transport(devices.speaker)
        self.player: Player | None = None
        self.stage = BoothStage.READY
        self.own_first = settings.value("booth/own_first", "no") == "yes"
        self.place_shown = settings.value("booth/place_shown", "yes") == "yes"
        self.turns = ByTurns(jobs, self.runner, self)
        self.turns.over.connect(self._turns_over)
        self.turns.trouble.connect(self._refused)
        self.sight = FirstSight(self)
        self.sight.due.connect(self._take)
        self.sight.ticked.connect(self.ticked)
        self.finder = FirstNoteFinder(self.transport, self)
        self.finder.told.connect(self.changed)
        self.finder.found.connect(self._note_found)
        self.finder.trouble.connect(self._refused)
        self._after: Callable[[], object] | None = None
        self._listen = QTimer(self)
        self._listen.timeout.connect(self._look_whether_it_plays)

    # ---- the music and who plays it

    def choose(self, score: Score, part: str, title: str = "", piece: str = "") -> None:
        """Another piece: its first part with notes where `part` names none."""
        self.leave()
        chosen = next((p for p in score.parts if p.name == part), None)
        chosen = chosen or next((p for p in score.parts if p.note_count), score.parts[0])
        self.music = Music(title=title or score.title, part=chosen, score=score, piece=piece)
        try:
            line = perform_part(self.music.title, chosen, rhythm_only=chosen.percussion)
            bpm = (
                kept_number(self.settings, f"booth/bpm/{piece}", 0.0, 0, MOST_BPM)
                or line.written_bpm
                or USUAL_BPM
            )
        except JewellerError as error:
            self.music = None
            self.trouble.emit(str(error))
            self.changed.emit()
            return
        self.plan = dataclasses.replace(
            self.plan, title=self.music.title, bars="", bpm=bpm, beat=float(line.beat), layer="play"
        )
        self.log, self.rung, self.ladder = TakeLog(), None, None
        self.own_first = self.settings.value("booth/own_first", "no") == "yes"  # a scale asked for it
        self.turns.clear()
        self.stage = BoothStage.READY
        self.changed.emit()

    def set_player(self, player: Player | None) -> None:
        self.player = player
        self.log = TakeLog()
        self.stage = BoothStage.READY
        self.changed.emit()

    @property
    def cautions(self) -> list[str]:
        """What to mind before the first take."""
        try:
            care = load_care(self._library())
        except JewellerError:
            care = load_care(None)
        return care.cautions_for(self.instrument, "booth") if self.instrument is not None else []

    @property
    def instrument(self) -> Instrument | None:
        return instrument_of(self.music.part) if self.music is not None else None

    @property
    def journal(self) -> PlayerJournal:
        return PlayerJournal(self._library(), self.player.id if self.player is not None else None)

    def set_plan(self, **changes: Any) -> None:
        """How the next take is made."""
        if self.runner.busy:
            return
        self.plan = dataclasses.replace(self.plan, **changes)
        if "bpm" in changes and self.music is not None and self.music.piece:
            self.settings.setValue(f"booth/bpm/{self.music.piece}", self.plan.bpm)
        if "bars" in changes and self.stage in (BoothStage.VERDICT, BoothStage.ECHO):
            self.stage = BoothStage.READY
        self.changed.emit()

    def set_own_first(self, on: bool) -> None:
        self.own_first = on
        self.settings.setValue("booth/own_first", "yes" if on else "no")

    def set_place_shown(self, on: bool) -> None:
        self.place_shown = on
        self.settings.setValue("booth/place_shown", "yes" if on else "no")
        self.changed.emit()

    # ---- making a take

    def microphone(self) -> Microphone:
        """What the next take is recorded with. Raises OSError."""
        if self.plan.keys:
            return KeyMicrophone()
        if not self.plan.recorded:
            return SimulatedMicrophone(endless=True)
        return self.devices.microphone()

    def go(self) -> None:
        """The one key: begins a take, or ends the one that is made."""
        if self.stage == BoothStage.TAKING:
            self.runner.stop()
            return
        if self.stage == BoothStage.LOOKING:
            self.sight.stop()
            self._take()
            return
        if self.runner.busy or self.stage == BoothStage.CHECKING:
            return
        if self.stage == BoothStage.OWN_VIEW:
            return
        if self.music is None:
            self.message.emit(_("Choose a piece first."))
            return
        self.finder.stop()
        if self.plan.help == Help.LISTEN:
            self.listen(self._take)
        else:
            self._take()

    def _take(self) -> None:
        if self.music is None:
            return
        try:
            microphone = self.microphone()
            path = self.journal.new_take()
        except OSError as error:
            self._refused(no_microphone(error))
            return
        judged = self.plan.click in (ClickKind.ON, ClickKind.FIRST) and not self.plan.keys
        if judged and self.plan.recorded and self.devices.latency(microphone) is None:
            self.message.emit(
                _("The delay of these devices is not measured yet, so clicks are not judged: see “More…”.")
            )
        self.stage = BoothStage.TAKING
        self.turns.forget()
        self.runner.start(
            self.music,
            self.plan,
            microphone,
            path,
            self._folder(),
            instrument=self.player.instrument if self.player is not None else "",
            checked=self.plan.recorded,
            by_time=not self.plan.recorded,
        )
        self.changed.emit()

    def _folder(self) -> Path:
        """Where the notation file of a take and its track lie: one for each part."""
        assert self.music is not None
        folder = self.journal.folder / "now" / f"{zlib.crc32(repr(self.music.part).encode()):08x}"
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        return folder

    def strike(self) -> None:
        """A key was struck, in rhythm mode."""
        if isinstance(self.runner.microphone, KeyMicrophone) and self.runner.running:
            self.runner.microphone.strike()

    def cancel(self) -> bool:
        """Gives up what is being done; whether anything was."""
        if self.stage == BoothStage.LISTENING:
            self._stop_listening()
        elif self.stage == BoothStage.FIRST_NOTE:
            self.finder.stop()
        elif self.stage == BoothStage.LOOKING:
            self.sight.stop()
            self.plan = dataclasses.replace(self.plan, reading="practised")
        elif self.runner.busy or self.stage == BoothStage.TAKING:
            self.runner.cancel()
            self.message.emit(_("Given up; nothing of it is kept."))
        elif self.stage == BoothStage.CHECKING:
            self.jobs.cancel("answers")
        elif self.stage in (BoothStage.VERDICT, BoothStage.ECHO, BoothStage.OWN_VIEW):
            pass
        else:
            return False
        self.stage = BoothStage.READY
        self.changed.emit()
        return True

    def leave(self) -> None:
        """The place is left: what is recorded is kept."""
        self._stop_listening()
        self.sight.stop()
        self.finder.stop()
        kept = self.runner.keep()
        if kept is not None:
            self.message.emit(_("The take was ended; it is kept as {path}.").format(path=kept))
        if self.stage in (
            BoothStage.TAKING,
            BoothStage.LISTENING,
            BoothStage.LOOKING,
            BoothStage.CHECKING,
            BoothStage.FIRST_NOTE,
        ):
            self.stage = BoothStage.READY
            self.changed.emit()

    def _refused(self, sentence: str) -> None:
        self.stage = BoothStage.READY
        self.changed.emit()
        self.trouble.emit(sentence)

    def _tick(self) -> None:
        self.ticked.emit()

    # ---- what became of it

    def _ended(self, session: TakeSession, checked: Checked | None, sentence: str) -> None:
        if self.turns.active:
            self.stage = BoothStage.CHECKING
            self.turns.ended(session)
            self.changed.emit()
            return
        recorded = session.recorded
        kept = recorded is not None and recorded.path.exists()
        if not kept and self.plan.recorded:
            self.stage = BoothStage.READY
            self.changed.emit()
            told = session.trouble or _("Nothing was heard: nobody played, or the microphone is off.")
            self.message.emit(told)
            return
        take = self.log.add(
            self.plan,
            recorded.path if recorded is not None and kept else None,
            checked,
            session.trouble or sentence,
        )
        try:
            self.journal.add("take", journal_entry(take, self.music, self.runner.heard_with))
        except OSError as error:
            self.message.emit(_("The journal could not be written: {error}.").format(error=error))
        if session.trouble:
            self.trouble.emit(
                _("{what} The take so far is safe.").format(what=session.trouble) if kept else session.trouble
            )
        elif sentence:
            self.message.emit(sentence)
        if checked is not None and self.own_first and checked.report["followed"]:
            self.stage = BoothStage.OWN_VIEW
        else:
            self._show_verdict(take)
        self.changed.emit()

    def _show_verdict(self, take: BoothTake) -> None:
        self.stage = BoothStage.VERDICT
        if self.ladder is not None:
            self.rung = next_rung(self.ladder, self.log.like(self.plan))
            self.plan = self.plan.with_speed(self.rung.bpm)
        if take.plan.reading == "sight":
            self.plan = dataclasses.replace(self.plan, reading="practised")

    def show(self, number: int) -> None:
        """Another take of the session."""
        if not self.runner.busy and self.log.show(number):
            self.stage = BoothStage.VERDICT
            self.changed.emit()

    # ---- the player first

    def say_first(self, view: OwnView) -> None:
        """Where the player heard it go wrong; then the verdict is shown."""
        take = self.log.keep_view(view)
        if take is None:
            return
        if take.report is not None:
            share = agree(view, take.report).share
            self.journal.add("own view", {"number": take.number, "share": share, **view.as_dict()})
        self._show_verdict(take)
        self.changed.emit()

    # ---- listening

    def listen(self, after: Callable[[], object] | None = None) -> None:
        """Plays the model of the bars; `after` is done when it is over."""
        if self.music is None or self.runner.busy:
            return
        self._after = after
        self.stage = BoothStage.LISTENING
        job = self.jobs.threaded("booth model", model_of, self.music, self.plan)
        job.done.connect(self._play)
        job.failed.connect(self._refused)
        self.changed.emit()

    def _play(self, samples: Any) -> None:
        if self.stage != BoothStage.LISTENING:
            return
        self.transport.play([cut(samples, RATE, 0.0, len(samples) / RATE, 1.0, "model")])
        self._listen.start(LOOK_MS)

    def _look_whether_it_plays(self) -> None:
        if self.transport.playing:
            return
        self._listen.stop()
        self.transport.stop()
        after, self._after = self._after, None
        self.stage = BoothStage.READY
        if after is not None:
            after()
        self.changed.emit()

    def _stop_listening(self) -> None:
        self.jobs.cancel("booth model")
        self._after = None
        self._listen.stop()
        self.transport.stop()

    # ---- by turns

    def echo(self, answered: str = "song") -> None:
        """Phrase by phrase: heard, and answered in the gap: by ear, by the fingers, played."""
        if self.music is None or self.runner.busy:
            return
        music, plan = self.music, dataclasses.replace(self.plan, layer=ROUNDS[answered][1], keys=False)
        self._by_turns(
            lambda m: self.turns.echo(music, plan, m, self.journal, self._folder()), silent=not plan.recorded
        )

    def make_up(self, chosen: tuple[int, ...]) -> None:
        """Made up on chosen notes (written MIDI numbers), to the click."""
        if self.music is None or self.runner.busy or not chosen:
            return
        music, sounding = self.music, tuple(m + self.music.part.chromatic for m in chosen)
        self._by_turns(
            lambda m: self.turns.make_up(music, self.plan, m, self.journal, self._folder(), sounding)
        )

    def _by_turns(self, start: Callable[[Microphone], None], *, silent: bool = False) -> None:
        try:
            microphone = SimulatedMicrophone(endless=True) if silent else self.devices.microphone()
        except OSError as error:
            self._refused(no_microphone(error))
            return
        self.finder.stop()
        self.stage = BoothStage.TAKING
        try:
            start(microphone)
        except (OSError, JewellerError) as error:
            self._refused(str(error))
        self.changed.emit()

    def _turns_over(self) -> None:
        self.stage = BoothStage.ECHO
        self.changed.emit()

    # ---- before a take

    def find_first_note(self, *, sounded: bool = True) -> None:
        """Sounds the first note and listens to what the player sounds."""
        instrument = self.instrument
        if self.music is None or instrument is None or self.runner.busy or self.music.part.percussion:
            return
        try:
            microphone = self.devices.microphone()
            target = self.music.line(self.plan).main_notes[0].sounding_midi
        except OSError as error:
            self._refused(no_microphone(error))
            return
        self.stage = BoothStage.FIRST_NOTE
        self.finder.start(instrument, target, microphone, sounded=sounded)
        self.changed.emit()

    def _note_found(self) -> None:
        self.stage = BoothStage.READY
        if self.finder.last is not None:
            self.message.emit(self.finder.last.sentence)
        self.changed.emit()

    def first_sight(self) -> None:
        """A line looked over for a while, then played once."""
        if self.music is None or self.runner.busy:
            return
        self.plan = dataclasses.replace(self.plan, reading="sight", help=Help.ALONE)
        self.stage = BoothStage.LOOKING
        self.sight.look(len(self.music.line(self.plan).bars))
        self.changed.emit()

    def know_it(self) -> None:
        """ "I know this tune": it is no first sight, and that is noted."""
        self.plan = dataclasses.replace(self.plan, reading="practised")
        if self.music is not None:
            self.journal.add("known", {"piece": self.music.piece, "title": self.music.title})
        self.message.emit(_("Noted: it is known, so this is no first sight."))
        self.changed.emit()

    def next_sight(self, shelf: Shelf) -> tuple[Piece | None, str]:
        """What comes after a take at first sight, and a sentence about it."""
        if self.take is None or self.music is None:
            return None, ""
        return after_sight(self.take, self.music.piece, shelf, self.journal)
