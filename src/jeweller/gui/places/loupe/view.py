"""The loupe: one take looked at closely. Paper and margin scroll together, the sound strip lies below;
choosing anything chooses it everywhere.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from jeweller.audio.formats import PLAYBACK_RATE
from jeweller.audio.playback import Stretch, Transport, cut
from jeweller.audio.ports import Speaker
from jeweller.decisions.standing import FindingState
from jeweller.documents.mark_canvas import View
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.places.loupe.margin import Margin, width_at
from jeweller.gui.places.loupe.model import engrave_to_fit
from jeweller.gui.places.loupe.paper import DEFAULT_ZOOM, ZOOMS, Paper
from jeweller.gui.places.loupe.sound_strip import SoundStrip
from jeweller.gui.services.jobs import Jobs
from jeweller.i18n import _
from jeweller.report_format import ReportFinding

if TYPE_CHECKING:
    from jeweller.audio.decode import Recording
    from jeweller.difficulty.traps import Trap
    from jeweller.documents.engraving import Engraving
    from jeweller.pipeline.review import Review
    from jeweller.synthesis.model import Model

LEAD_BEATS = 2.0  # playing begins so many beats before the chosen place
TAIL_BEATS = 4.0  # and, unless looped, goes on to the end of the take
TICK_MS = 30
FIT_ZOOMS = (1.05, 0.9, 0.75)


class Loupe(QWidget):
    """Shows a `Review`. Signals: `choice(key)` when something is chosen, `changed()` after a decision,
    `message(text)`.
    """

    choice = Signal(str)
    changed = Signal()
    message = Signal(str)
    change_kind = Signal(str)

    def __init__(self, jobs: Jobs, speaker: Speaker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.transport = Transport(speaker)
        self.theme: Theme = LIGHT
        self.points = 11.0
        self.review: Review | None = None
        self.take_path = ""
        self.chosen: str | None = None
        self.source, self.speed, self.loop = "take", 1.0, False
        self.written_speed = False
        self.play_from: float | None = None
        self.span: tuple[float, float] | None = None
        self._sound: Recording | None = None
        self._model: Model | None = None
        self._show_rail = True
        self._fitting = True  # until the teacher chooses a size
        self._zoomed = (0, 0.0)  # width and zoom that were last engraved for

        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        self.scroller = QScrollArea()
        self.scroller.setWidgetResizable(True)
        self.scroller.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.content = QWidget()
        row = QHBoxLayout(self.content)
        row.setContentsMargins(12, 8, 4, 8)
        row.setSpacing(16)
        self.paper = Paper()
        row.addWidget(self.paper, 1, Qt.AlignmentFlag.AlignTop)
        self.margin = Margin()
        row.addWidget(self.margin, 0, Qt.AlignmentFlag.AlignTop)
        self.scroller.setWidget(self.content)
        outer.addWidget(self.scroller, 1)
        self.strip = SoundStrip()
        outer.addWidget(self.strip)

        self.paper.chosen.connect(self._paper_chosen)
        self.paper.heard.connect(lambda key: (self.choose(key), self.play()))
        self.margin.chosen.connect(self.choose)
        self.margin.act.connect(self.act)
        self.margin.filtered.connect(self._filtered)
        self.strip.play.connect(self.toggle_play)
        self.strip.loop.connect(self.set_loop)
        self.strip.source.connect(self.set_source)
        self.strip.speed.connect(self.set_speed)
        self.strip.wave.clicked.connect(self._time_chosen)
        self.strip.wave.dragged.connect(self._span_chosen)
        self._tick = QTimer(self)
        self._tick.timeout.connect(self._follow)
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.timeout.connect(self._reflow)

    # ---- content
    # -------------------------------------------------------------------------------------------------

    def show_review(self, review: Review, take_path: str) -> None:
        """A new check under the loupe."""
        self.stop()
        self.jobs.cancel("sound")
        self.jobs.cancel("model")
        self.jobs.cancel("engraving")
        self.review, self.take_path = review, take_path
        self._sound = self._model = None
        self.play_from = self.span = None
        self.chosen = next((s.key for s in review.shown if s.number == 1), None)
        self.margin.facets = None
        self.paper.view = View(chosen=self.chosen, rail=self._show_rail)
        self.paper.show_review(review, self.theme)
        self.strip.set_theme(self.theme)
        self.strip.show_review(review, self.theme)
        self._reflow()
        self.scroller.verticalScrollBar().setValue(0)
        self._after_choice()
        from jeweller.audio.decode import decode

        job = self.jobs.threaded("sound", decode, take_path, PLAYBACK_RATE)
        job.done.connect(self._sound_ready)
        job.failed.connect(self.message)
        self._load_model()

    def _load_model(self) -> None:
        self._model = None
        if self.review is not None and self.review.report["followed"]:
            from jeweller.gui.places.loupe.sounds import make_model

            job = self.jobs.threaded("model", make_model, self.review, self.written_speed)
            job.done.connect(self._model_ready)
            job.failed.connect(self.message)

    def _sound_ready(self, recording: Recording) -> None:
        self._sound = recording

    def _model_ready(self, model: Model) -> None:
        self._model = model

    def set_theme(self, theme: Theme, points: float) -> None:
        larger, self.theme, self.points = points != self.points, theme, points
        self.strip.set_theme(theme, self.transport.playing)
        if self.review is not None:
            self.paper.theme = theme
            self.strip.show_review(self.review, theme)
            self.paper.redraw()
            self._rebuild_margin()
            if larger:
                self._reflow()

    def set_zoom(self, step: int) -> None:
        """One step larger (1), smaller (-1), or back to the usual size (0)."""
        nearest = min(range(len(ZOOMS)), key=lambda k: abs(ZOOMS[k] - self.paper.zoom))
        self.paper.zoom = ZOOMS[2] if step == 0 else ZOOMS[min(max(nearest + step, 0), len(ZOOMS) - 1)]
        self._fitting = step == 0
        self._reflow()

    def set_rail(self, on: bool) -> None:
        self._show_rail = on
        self._view(rail=on)

    def set_pitch(self, on: bool) -> None:
        self.paper.set_pitch(on)

    def set_passing(self, passing: int) -> None:
        self._view(passing=passing)

    def _view(self, **changes: object) -> None:
        self.paper.view = View(**{**self.paper.view.__dict__, **changes})  # type: ignore[arg-type]
        self.paper.remark()
        self._lay_margin()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._settle.start(60)

    def _reflow(self) -> None:
        """Engraves for the width there is, beside the window; what was shown stays until it is done. A short
        part is shown at the largest usual size at which it lies whole on the screen.
        """
        if self.review is None:
            return
        width = max(360, self.scroller.viewport().width() - width_at(self.points) - 32)
        self.paper.setFixedWidth(width)
        zooms = [self.paper.zoom]
        if self._fitting:
            usual = DEFAULT_ZOOM * self.points / 11.0
            zooms = [usual, *(z for z in FIT_ZOOMS if z > usual)]
        elif self.paper.engraving is not None and self._zoomed == (width, self.paper.zoom):
            self._show_engraving((self.paper.zoom, self.paper.engraving))
            return
        self._zoomed = (width, self.paper.zoom)
        height = self.scroller.viewport().height() - 16
        job = self.jobs.threaded(
            "engraving", engrave_to_fit, self.review.checked.line.part, width, height, zooms
        )
        job.done.connect(self._show_engraving)
        job.failed.connect(self.message)

    def _show_engraving(self, found: tuple[float, Engraving]) -> None:
        zoom, engraving = found
        self.paper.show_engraving(engraving, zoom)
        QTimer.singleShot(0, self._lay_out)

    def _lay_out(self) -> None:
        """What stands beside the paper, and the choice brought into view."""
        self._rebuild_margin()
        self._reveal()

    criteria: tuple[Trap, ...] = ()  # traps that were ticked when the part was looked over

    def _asked(self) -> list[str]:
        """How many of each were right, of what was asked for."""
        if self.review is None:
            return []
        from jeweller.report.traps import answer_traps

        return [
            _("{said}: {right} of {of}").format(said=trap.what, right=right, of=of)
            for trap, right, of in answer_traps(self.criteria, self.review.report, self.review.checked.line)
        ]

    def _rebuild_margin(self) -> None:
        if self.review is None:
            return
        self.margin.asked = self._asked()
        self.margin.show_review(self.review, self.theme, self.points, self.chosen)
        self._lay_margin()

    def _lay_margin(self) -> None:
        ends = self.margin.place(self.paper.system_top)
        lines = []
        for key, y in ends:
            start = self.paper.place_of(key)
            if start is not None and key == self.chosen:
                lines.append((QPointF(start.x() + 14, start.y()), y))
        self.paper.lines = lines
        self.paper.update()

    def _filtered(self) -> None:
        self._view(facets=self.margin.facets)
        self._rebuild_margin()

    # ---- choosing
    # ------------------------------------------------------------------------------------------------

    def choose(self, key: str | None) -> None:
        """A finding's key or a note's id, everywhere at once."""
        if self.review is None:
            return
        self.chosen = key
        self.play_from = self.span = None
        finding = self.finding()
        passing = finding["pass"] if finding is not None else self.paper.view.passing
        self.paper.view = View(**{**self.paper.view.__dict__, "chosen": key, "passing": passing})
        self.paper.remark()
        self._rebuild_margin()
        self._after_choice()
        self._reveal()
        self.choice.emit(key or "")

    def _after_choice(self) -> None:
        place = self.chosen_span()
        self.strip.wave.chosen = place
        self.strip.wave.span = self.span
        self.strip.wave.update()

    def _reveal(self) -> None:
        point = self.paper.place_of(self.chosen) if self.chosen else None
        if point is not None:
            self.scroller.ensureVisible(0, int(point.y()), 0, 120)
        opened = next((n for n in self.margin.notes if n.shown.key == self.chosen), None)
        if opened is not None:
            # The opened note with its buttons, as far as the mark stays in view.
            bar = self.scroller.verticalScrollBar()
            below = opened.geometry().bottom() + 16 - bar.value() - self.scroller.viewport().height()
            room = int(point.y()) - 60 - bar.value() if point is not None else below
            if below > 0:
                bar.setValue(bar.value() + max(0, min(below, room)))

    def _paper_chosen(self, kind: str, key: str) -> None:
        if kind == "note":
            finding = self.paper.finding_of_note(key)
            self.choose(finding["key"] if finding is not None and self.chosen != finding["key"] else key)
        else:
            self.choose(key or None)

    def _time_chosen(self, seconds: float) -> None:
        if self.review is None:
            return
        self.jump_to(seconds)

    def jump_to(self, seconds: float) -> None:
        """A place in the sound: the finding or the note that sounds there is chosen, and playing begins
        exactly there.
        """
        if self.review is None:
            return
        inside = [
            s
            for s in self.review.shown
            if s.state != FindingState.DISMISSED
            and any(a - 0.05 <= seconds <= b + 0.05 and b - a < 8 for a, b in self.review.places(s.finding))
        ]
        note = self.review.note_at(seconds)
        self.choose(inside[0].key if inside else note["id"] if note is not None else None)
        self.play_from = seconds
        if self.transport.playing:
            self.play()

    def _span_chosen(self, start: float, end: float) -> None:
        if self.review is None:
            return
        self.span = (start, end)
        self.strip.wave.span = self.span
        self.strip.looping.setChecked(True)
        self.play()

    def finding(self) -> ReportFinding | None:
        if self.review is None or self.chosen is None:
            return None
        return next((s.finding for s in self.review.shown if s.key == self.chosen), None)

    def note_id(self) -> str | None:
        """The chosen note, or the first note of the chosen finding."""
        if self.review is None or self.chosen is None:
            return None
        finding = self.finding()
        if finding is None:
            return self.chosen if any(n["id"] == self.chosen for n in self.review.report["notes"]) else None
        if finding["notes"]:
            return str(finding["notes"][0])
        note = self.review.note_at(finding["at_s"])
        return str(note["id"]) if note is not None else None

    def chosen_span(self) -> tuple[float, float] | None:
        """Seconds in the take of what is chosen."""
        finding = self.finding()
        if finding is not None and self.review is not None:
            return self.review.places(finding)[0]
        note_id = self.note_id()
        if note_id is None or self.review is None:
            return None
        note = next(n for n in self.review.report["notes"] if n["id"] == note_id)
        if note["heard"] is None:
            at = self.review.time_of(note_id)
            return at, at + 0.1
        return float(note["heard"]["on_s"]), float(note["heard"]["off_s"])

    def step_finding(self, step: int) -> None:
        if self.review is None:
            return
        keys = [n.shown.key for n in self.margin.notes if n.shown.state != FindingState.DISMISSED]
        if not keys:
            return
        at = keys.index(self.chosen) if self.chosen in keys else (-1 if step > 0 else len(keys))
        self.choose(keys[(at + step) % len(keys)])

    def step_note(self, step: int) -> None:
        if self.review is None:
            return
        ids = [n["id"] for n in self.review.report["notes"] if not n["grace"]]
        current = self.note_id()
        at = ids.index(current) if current in ids else (-1 if step > 0 else len(ids))
        self.choose(ids[min(max(at + step, 0), len(ids) - 1)])

    # ---- decisions
    # -----------------------------------------------------------------------------------------------

    def act(self, what: str, key: str | None = None) -> None:
        """keep, dismiss, restore, change, undo, redo."""
        review = self.review
        if review is None:
            return
        finding = self.finding()
        key = key or (finding["key"] if finding is not None else None)
        if what in ("undo", "redo"):
            if not (review.undo() if what == "undo" else review.redo()):
                self.message.emit(_("Nothing to {what}.").format(what=what))
                return
        elif key is None:
            self.message.emit(_("Choose a finding first."))
            return
        elif what == "change":
            self.choose(key) if key != self.chosen else None
            self.change_kind.emit(key)
            return
        else:
            getattr(review, what)(key)
        self.after_decision(
            {
                "keep": _("Kept."),
                "dismiss": _("Dismissed; U takes it back."),
                "restore": _("Restored."),
                "undo": _("Undone."),
                "redo": _("Done again."),
            }[what]
        )

    def after_decision(self, words: str) -> None:
        self.paper.remark()
        self._rebuild_margin()
        if self.review is not None:
            self.strip.show_marks(self.review)
        self.message.emit(words)
        self.changed.emit()

    # ---- playing
    # -------------------------------------------------------------------------------------------------

    def set_source(self, source: str) -> None:
        self.source = source
        self.strip.sources[source].setChecked(True)
        if self.transport.playing:
            self.play()

    def set_speed(self, speed: float) -> None:
        self.speed = speed
        if self.transport.playing:
            self.play()

    def step_speed(self, step: int) -> None:
        box = self.strip.speeds
        box.setCurrentIndex(min(max(box.currentIndex() + step, 0), box.count() - 1))

    def set_loop(self, on: bool) -> None:
        self.loop = on
        if not on:
            self.span = None
            self._after_choice()
        if self.transport.playing:
            self.play()

    def set_written_speed(self, on: bool) -> None:
        self.written_speed = on
        if self.review is not None:
            self._load_model()

    def stretch(self) -> tuple[float, float] | None:
        """Seconds in the take that would be played now."""
        if self.review is None:
            return None
        total = self.review.checked.recording.duration
        beat = self.review.beat_seconds()
        if self.span is not None:
            return self.span
        if self.loop:
            note_id = self.note_id()
            if note_id is not None:
                return self.review.bar_span(note_id)
        if self.play_from is not None:
            return self.play_from, total
        place = self.chosen_span()
        if place is None:
            return 0.0, total
        return max(0.0, place[0] - LEAD_BEATS * beat), total

    def toggle_play(self) -> None:
        if self.transport.playing:
            self.stop()
        else:
            self.play()

    def play(self) -> None:
        span = self.stretch()
        if span is None or self.review is None:
            return
        if self._sound is None or (self._model is None and self.source != "take"):
            self.message.emit(_("The sound is still being made ready; press Space again in a moment."))
            return
        if self.source == "both" and not self.loop and self.span is None and self.play_from is None:
            span = (
                span[0],
                min(span[1], (self.chosen_span() or span)[1] + TAIL_BEATS * self.review.beat_seconds()),
            )
        sound, model = self._sound, self._model
        wanted: list[Callable[[], Stretch]] = []
        if self.source in ("take", "both"):
            wanted.append(lambda: cut(sound.samples, sound.rate, span[0], span[1], self.speed, "take"))
        if self.source in ("model", "both") and model is not None:
            a, b = (self._model_time(span[0]), self._model_time(span[1])) if self.written_speed else span
            wanted.append(lambda: cut(model.samples, model.rate, a, b, self.speed, "model"))
        job = self.jobs.threaded("stretch", lambda: [make() for make in wanted])
        job.done.connect(self._start)
        job.failed.connect(self.message)

    def _start(self, stretches: list[Stretch]) -> None:
        self.transport.play(stretches, self.loop)
        self.strip.set_theme(self.theme, True)
        self._tick.start(TICK_MS)
        if self.transport.speaker.silent:
            self.message.emit(_("No sound device: playing silently, the cursor shows where."))

    def stop(self) -> None:
        self.transport.stop()
        self._tick.stop()
        self.strip.set_theme(self.theme, False)
        self.strip.wave.playhead = None
        self.strip.wave.update()
        self.paper.set_cursor_quarters(None)

    def _model_time(self, take_s: float) -> float:
        q = self._quarters(take_s)
        bpm = self.review.checked.line.written_bpm if self.review is not None else None
        return q * 60.0 / bpm if q is not None and bpm else take_s

    def _quarters(self, seconds: float) -> float | None:
        """Where in the line a time of the take lies."""
        import numpy as np

        points = self.review.score_clock() if self.review is not None else []
        if not points or seconds < points[0][0] - 0.5:
            return None
        return float(np.interp(seconds, [p[0] for p in points], [p[1] for p in points]))

    def _follow(self) -> None:
        place = self.transport.position()
        if place is None or self.review is None:
            self.stop()
            return
        label, seconds = place
        quarters: float | None
        if label == "model" and self.written_speed:
            quarters = seconds * (self.review.checked.line.written_bpm or 60.0) / 60.0
            self.strip.wave.playhead = None
        else:
            quarters = self._quarters(seconds)
            self.strip.wave.playhead = seconds
        self.strip.wave.update()
        self.strip.set_clock(seconds, self.review.checked.recording.duration)
        rect = self.paper.set_cursor_quarters(quarters)
        if rect is not None:
            bar = self.scroller.verticalScrollBar()
            top, height = bar.value(), self.scroller.viewport().height()
            if rect.top() < top or rect.bottom() > top + height:
                bar.setValue(int(rect.top() - 40))
