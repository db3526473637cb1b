"""Taking turns with the program: echoes phrase by phrase, and what is made up on chosen notes."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from jeweller.audio.microphone import Microphone
from jeweller.booth.echo import Answer, EchoTrack, echo_track
from jeweller.booth.made_up import MadeUp
from jeweller.booth.plan import ClickKind, Help, Music, TakePlan
from jeweller.booth.session import TakeSession
from jeweller.booth.verdict import check_echo, check_made_up
from jeweller.gui.places.booth.recording import TakeRunner
from jeweller.gui.services.jobs import Jobs
from jeweller.i18n import _
from jeweller.library.journal import PlayerJournal


class ByTurns(QObject):
    """`over`: the answers were looked at; `trouble`: they could not be."""

    over = Signal()
    trouble = Signal(str)

    def __init__(self, jobs: Jobs, runner: TakeRunner, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs, self.runner = jobs, runner
        self.answers: list[Answer] = []
        self.made_up = ""
        self._echo: EchoTrack | None = None
        self._chosen: tuple[int, ...] = ()
        self._music: Music | None = None
        self._plan = TakePlan()
        self._journal: PlayerJournal | None = None

    @property
    def active(self) -> bool:
        """Whether what is recorded now is an echo or made up."""
        return self._echo is not None or bool(self._chosen)

    def forget(self) -> None:
        self._echo, self._chosen = None, ()

    def clear(self) -> None:
        """Another piece: nothing is left of the answers."""
        self.forget()
        self.answers, self.made_up = [], ""

    def echo(
        self, music: Music, plan: TakePlan, microphone: Microphone, journal: PlayerJournal, folder: Path
    ) -> None:
        """Begins an echo of the bars of a plan. Raises ScoreError, OSError."""
        made = echo_track(music, plan)
        self._start(music, plan, microphone, journal, folder, lambda: made.track)
        self._echo = made

    def make_up(
        self,
        music: Music,
        plan: TakePlan,
        microphone: Microphone,
        journal: PlayerJournal,
        folder: Path,
        chosen: tuple[int, ...],
    ) -> None:
        """Begins what is made up on chosen notes (sounding MIDI numbers), to the click. Raises OSError."""
        timed = dataclasses.replace(plan, click=ClickKind.ON, help=Help.ALONE)
        self._start(music, timed, microphone, journal, folder, None)
        self._chosen = chosen

    def _start(
        self,
        music: Music,
        plan: TakePlan,
        microphone: Microphone,
        journal: PlayerJournal,
        folder: Path,
        track: Callable[[], object] | None,
    ) -> None:
        self.clear()
        self._music, self._plan, self._journal = music, plan, journal
        self.runner.start(
            music,
            plan,
            microphone,
            journal.new_take(),
            folder,
            checked=False,
            by_time=True,
            track=track,  # type: ignore[arg-type]
        )

    def ended(self, session: TakeSession) -> None:
        """The recording is over: its answers are looked at."""
        recorded, prepared = session.recorded, self.runner.prepared
        if recorded is None or prepared is None or self._music is None or session.trouble:
            self.forget()
            self.trouble.emit(session.trouble or _("Nothing was heard."))
            return
        downbeat, track_from = session.times()
        if self._echo is not None and not self._plan.recorded:  # fingered: nobody hears it
            recorded.path.unlink(missing_ok=True)
            self.forget()
            self.answers, self.made_up = [], _("Fingered through to the end.")
            self.over.emit()
        elif self._echo is not None:
            job = self.jobs.process(
                "answers",
                check_echo,
                self._music,
                self._plan,
                self._echo.phrases,
                recorded.path,
                track_from,
                prepared.track_path,
            )
            job.done.connect(self._answered)
            job.failed.connect(self.trouble)
            self.forget()
        else:
            beats = prepared.track.beats
            bpm = 60.0 / (beats[1].at_s - beats[0].at_s) if len(beats) > 1 else self._plan.bpm
            job = self.jobs.process("answers", check_made_up, recorded.path, self._chosen, bpm, downbeat)
            job.done.connect(self._heard)
            job.failed.connect(self.trouble)
            self.forget()

    def _answered(self, answers: list[Answer]) -> None:
        self.answers = answers
        if self._journal is not None:
            self._journal.add("echo", {"answers": [[a.bars, a.clean] for a in answers]})
        self.over.emit()

    def _heard(self, found: MadeUp) -> None:
        self.made_up = found.sentence(self._music.part.chromatic if self._music is not None else 0)
        self.over.emit()


def echo_sentence(answers: list[Answer]) -> str:
    """How an echo went, in a sentence.

    >>> echo_sentence([Answer("1", True, "right"), Answer("2", False, "B♭ written, B♮ sounded")])
    '1 of 2 phrases came back right.'
    """
    right = sum(bool(a.clean) for a in answers)
    return _("{right} of {of} phrases came back right.").format(right=right, of=len(answers))
