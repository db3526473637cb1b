"""Each moment of a take as it is seen: the count, the beat, the place in the part, the level, what is struck,
and whether anything is recorded.
"""

from __future__ import annotations

import itertools

from PySide6.QtWidgets import QLabel, QWidget

from jeweller.audio.microphone import Microphone
from jeweller.booth.session import SessionState, TakeSession
from jeweller.gui.places.booth.displays import CountDisplay, LevelBar, StrokeRail
from jeweller.gui.places.booth.model import BoothModel, BoothStage
from jeweller.gui.places.booth.paper import BoothSheet
from jeweller.gui.widgets.flow import FlowRow
from jeweller.i18n import _

SOON_S = 0.02  # the eye is told of a beat no later than the ear


class TakeMoments:
    """`count` and `rail` stand over the paper, `foot` under it."""

    def __init__(self, model: BoothModel, sheet: BoothSheet) -> None:
        self.model, self.sheet = model, sheet
        self.count, self.rail, self.level = CountDisplay(), StrokeRail(), LevelBar()
        self.state, self.source = QLabel(), QLabel()
        self.state.setObjectName("heading")
        self.source.setObjectName("quiet")

    def foot(self) -> FlowRow:
        """The sign that something is recorded, the level, what it is recorded with."""
        row = FlowRow(spacing=12)
        row.addWidget(self.state)
        row.addWidget(self.level)
        row.addStretch()
        row.addWidget(self.source)
        return row

    @property
    def widgets(self) -> tuple[QWidget, ...]:
        return self.count, self.rail, self.level

    def show_stage(self) -> None:
        """What is seen at all."""
        model, stage = self.model, self.model.stage
        counted = stage in (
            BoothStage.TAKING,
            BoothStage.LOOKING,
            BoothStage.FIRST_NOTE,
            BoothStage.LISTENING,
        )
        self.count.setVisible(counted)
        self.rail.setVisible(stage == BoothStage.TAKING and model.plan.rhythm_only and model.plan.recorded)
        self.tick()

    def tick(self) -> None:
        """A moment has passed."""
        session = self.model.runner.session
        self._show_words(session)
        self._show_level(session)
        self._show_state(session)
        if session is not None and self.rail.isVisible():
            if self.rail.beats != session.track.beats:
                spq = session.track.spq
                self.rail.open(session.track, [float(n.onset) * spq for n in session.line.main_notes])
            self.rail.show_strokes(session.strokes, session.track_s - session.track.downbeat_s)

    def _show_words(self, session: TakeSession | None) -> None:
        model = self.model
        match model.stage:
            case BoothStage.LOOKING:
                left = max(0, round(model.sight.left_s))
                self.count.show_count(f"{left}", _("Look it over: key, metre, traps. Then play it once."))
            case BoothStage.FIRST_NOTE:
                last = model.finder.last
                said = last.sentence if last is not None else _("Play the first note and hold it.")
                self.count.show_count("", said)
            case BoothStage.LISTENING:
                self.count.show_count("", _("Listen."))
            case BoothStage.TAKING if session is not None:
                self._show_count(session, session.track_s)
            case BoothStage.TAKING:
                self.count.show_count("", _("One moment…"))

    def _show_level(self, session: TakeSession | None) -> None:
        hearing = self.model.finder.hearing
        meter = session.meter if session is not None else hearing.meter if hearing.listening else None
        self.level.setVisible(meter is not None)
        if meter is not None:
            self.level.show_level(meter.peak, meter.said)

    def _show_state(self, session: TakeSession | None) -> None:
        if session is None:
            told = _("Checking…") if self.model.stage == BoothStage.CHECKING else ""
        elif session.recording:
            minutes, seconds = divmod(int(session.seconds), 60)
            told = _("■ Recording {minutes}:{seconds:02d}").format(minutes=minutes, seconds=seconds)
        elif session.state == SessionState.CHECKING:
            told = _("Checking…")
        elif session.count_path is not None:
            told = _("Counting in; the click is listened to, the take not yet recorded")
        else:
            told = _("Counting in; not yet recording")
        self.state.setText(told)
        self.state.setVisible(bool(told))
        microphone = self.model.runner.microphone
        self.source.setText(_source(microphone) if session is not None and microphone is not None else "")
        self.source.setVisible(session is not None)

    def _show_count(self, session: TakeSession, now: float) -> None:
        model, track = self.model, session.track
        cue = next((c for c in reversed(track.cues) if c.at_s <= now + SOON_S), None)
        beat = next((b for b in reversed(track.beats) if b.at_s <= now + SOON_S), None)
        if beat is not None and beat.at_s >= track.downbeat_s and (cue is None or beat.at_s >= cue.at_s):
            in_bar = max((b.number for b in track.beats), default=1)
            timed = any(at >= track.downbeat_s for at in track.clicks_s) or track.sounds_along
            shown = str(beat.number) if timed else ""
            later = now - track.downbeat_s > 1.0
            under = "" if later else _("Now")
            self.count.show_count(shown, under, beat.number if timed else 0, in_bar if timed else 0)
            quarters = (now - track.downbeat_s) / track.spq
            follow = timed and model.place_shown and not model.turns.active
            self.sheet.follow(quarters if follow and now < track.end_s else None)
        elif cue is not None:
            nexts = itertools.takewhile(lambda c: c.at_s <= now + SOON_S, track.cues)
            self.count.show_count(cue.said, _("breathe") if cue.breath else "", len(list(nexts)), 0)
            self.sheet.follow(0.0 if model.place_shown and now >= track.downbeat_s else None)


def _source(microphone: Microphone) -> str:
    """What is recorded with."""
    words = (
        _("{name}, channel {channel}, {rate} samples a second")
        if microphone.channel
        else _("{name}, {rate} samples a second")
    )
    return words.format(name=_(microphone.name), channel=microphone.channel, rate=microphone.rate)
