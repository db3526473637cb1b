"""The loupe: one take looked at closely. Paper and margin scroll together, the sound strip lies below;
choosing anything chooses it everywhere.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from jeweller.assessment.messages import localized
from jeweller.audio.ports import Speaker
from jeweller.decisions.standing import FindingState
from jeweller.documents.mark_canvas import View
from jeweller.documents.plain_text import rest_sentence, rival_lines
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.places.loupe.listening import ReviewListening
from jeweller.gui.places.loupe.margin import Margin, width_at
from jeweller.gui.places.loupe.model import engrave_to_fit
from jeweller.gui.places.loupe.paper import DEFAULT_ZOOM, ZOOMS, Paper
from jeweller.gui.places.loupe.selection import Selection
from jeweller.gui.places.loupe.sound_strip import SoundStrip
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.widgets.readable import announce, tell_choice
from jeweller.i18n import _

if TYPE_CHECKING:
    from jeweller.difficulty.trap import Trap
    from jeweller.documents.engraving import Engraving
    from jeweller.pipeline.review import Review

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
        self.selection = Selection()
        self.listening = ReviewListening(self, self.selection, jobs, speaker)
        self.theme: Theme = LIGHT
        self.points = 11.0
        self.take_path = ""
        self._show_rail = True
        self._fitting = True  # until the teacher chooses a size
        self._zoomed = (0, 0.0)  # width and zoom that were last engraved for

        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        self.scroller = QScrollArea()
        self.scroller.setAccessibleName(_("The part and what is found"))
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
        self.paper.heard.connect(lambda key: (self.choose(key), self.listening.play()))
        self.margin.chosen.connect(self.choose)
        self.margin.act.connect(self.act)
        self.margin.filtered.connect(self._filtered)
        self.strip.play.connect(self.listening.toggle)
        self.strip.loop.connect(self.set_loop)
        self.strip.source.connect(self.set_source)
        self.strip.speed.connect(self.listening.set_speed)
        self.strip.wave.clicked.connect(self.jump_to)
        self.strip.wave.dragged.connect(self._span_chosen)
        self.listening.started.connect(self._started)
        self.listening.stopped.connect(self._stopped)
        self.listening.moved.connect(self._moved)
        self.listening.message.connect(self.message)
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.timeout.connect(self._reflow)

    @property
    def review(self) -> Review | None:
        return self.selection.review

    # ---- content

    def show_review(self, review: Review, take_path: str) -> None:
        """A new check under the loupe."""
        self.jobs.cancel("engraving")
        self.selection.open(review)
        self.take_path = take_path
        self.listening.open(take_path)
        self.margin.facets = None
        self.paper.view = View(chosen=self.selection.chosen, rail=self._show_rail)
        self.paper.show_review(review, self.theme)
        self.strip.set_theme(self.theme)
        self.strip.show_review(review, self.theme)
        self._reflow()
        self.scroller.verticalScrollBar().setValue(0)
        self._after_choice()

    def close_review(self) -> None:
        """Nothing lies under the loupe: no key decides on what is not seen."""
        self.listening.stop()
        self.jobs.cancel("engraving")
        self.selection.close()

    def set_theme(self, theme: Theme, points: float) -> None:
        larger, self.theme, self.points = points != self.points, theme, points
        self.strip.set_theme(theme, self.listening.playing)
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
        QTimer.singleShot(0, self, self._lay_out)

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
        self.margin.show_review(self.review, self.theme, self.points, self.selection.chosen)
        self._lay_margin()

    def _lay_margin(self) -> None:
        ends = self.margin.place(self.paper.system_top, self.scroller.viewport().height())
        lines = []
        for key, y in ends:
            start = self.paper.place_of(key)
            if start is not None and key == self.selection.chosen:
                lines.append((QPointF(start.x() + 14, start.y()), y))
        self.paper.lines = lines
        self.paper.update()

    def _filtered(self) -> None:
        self._view(facets=self.margin.facets)
        self._rebuild_margin()

    # ---- choosing

    def choose(self, key: str | None) -> None:
        """A finding's key or a note's id, everywhere at once."""
        if self.review is None:
            return
        self.selection.choose(key)
        finding = self.selection.finding
        passing = finding["pass"] if finding is not None else self.paper.view.passing
        self.paper.view = View(**{**self.paper.view.__dict__, "chosen": key, "passing": passing})
        self.paper.remark()
        self._rebuild_margin()
        self._after_choice()
        self._reveal()
        tell_choice(self.paper)
        if finding is not None:
            announce(self.paper, localized(finding)["text"])
        self.choice.emit(key or "")

    def _after_choice(self) -> None:
        self.strip.wave.chosen = self.selection.seconds()
        self.strip.wave.span = self.selection.span
        self.strip.wave.update()

    def _reveal(self) -> None:
        chosen = self.selection.chosen
        point = self.paper.place_of(chosen) if chosen else None
        if point is not None:
            self.scroller.ensureVisible(0, int(point.y()), 0, 120)
        opened = next((n for n in self.margin.notes if n.shown.key == chosen), None)
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
            known = finding is not None and self.selection.chosen != finding["key"]
            self.choose(finding["key"] if finding is not None and known else key)
        else:
            self.choose(key or None)

    def jump_to(self, seconds: float) -> None:
        """A place in the sound: the finding or the note that sounds there is chosen, and playing begins
        exactly there.
        """
        if self.review is None:
            return
        self.choose(self.selection.key_at(seconds))
        self.selection.play_from = seconds
        if self.listening.playing:
            self.listening.play()

    def _span_chosen(self, start: float, end: float) -> None:
        if self.review is None:
            return
        self.selection.span = (start, end)
        self.strip.wave.span = self.selection.span
        self.strip.looping.setChecked(True)
        self.listening.play()

    def step_finding(self, step: int) -> None:
        shown = [n.shown.key for n in self.margin.notes if n.shown.state != FindingState.DISMISSED]
        key = self.selection.next_finding(shown, step)
        if key is not None:
            self.choose(key)

    def step_note(self, step: int) -> None:
        key = self.selection.next_note(step)
        if key is not None:
            self.choose(key)

    # ---- decisions

    def act(self, what: str, key: str | None = None) -> None:
        """keep, dismiss, restore, change, look_closer, undo, redo."""
        review = self.review
        if review is None:
            return
        finding = self.selection.finding
        key = key or (finding["key"] if finding is not None else None)
        if what in ("undo", "redo"):
            if not (review.undo() if what == "undo" else review.redo()):
                self.message.emit(_("Nothing to {what}.").format(what=what))
                return
        elif key is None:
            self.message.emit(_("Choose a finding first."))
            return
        elif what == "look_closer":
            self._look_closer(key)
            return
        elif what == "change":
            self.choose(key) if key != self.selection.chosen else None
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

    def _look_closer(self, key: str) -> None:
        """The sound around a finding, as a picture."""
        from jeweller.gui.places.loupe.closeup import show_closeup
        from jeweller.pipeline.closeup import look_closer

        shown = next((x for x in self.review.shown if x.key == key), None) if self.review else None
        if shown is None or self.review is None:
            return
        closeup = look_closer(self.review.checked, shown.finding)
        rivals = rival_lines(shown.finding)
        if "rests_on" in shown.finding["detail"]:
            rivals.append(rest_sentence(shown.finding["detail"]["rests_on"]))
        if shown.finding["count"] > 1:
            rivals.append(_("Shown is the first of {n} places.").format(n=shown.finding["count"]))
        show_closeup(closeup, localized(shown.finding)["text"], rivals, self.theme, self.points, self)

    def after_decision(self, words: str) -> None:
        self.paper.remark()
        self._rebuild_margin()
        if self.review is not None:
            self.strip.show_marks(self.review)
        self.message.emit(words)
        self.changed.emit()

    # ---- playing

    def set_source(self, source: str) -> None:
        self.strip.sources[source].setChecked(True)
        self.listening.set_source(source)

    def step_speed(self, step: int) -> None:
        box = self.strip.speeds
        box.setCurrentIndex(min(max(box.currentIndex() + step, 0), box.count() - 1))

    def set_loop(self, on: bool) -> None:
        if not on:
            self.selection.span = None
            self._after_choice()
        self.listening.set_loop(on)

    def _started(self) -> None:
        self.strip.set_theme(self.theme, True)

    def _stopped(self) -> None:
        self.strip.set_theme(self.theme, False)
        self.strip.wave.playhead = None
        self.strip.wave.update()
        self.paper.set_cursor_quarters(None)

    def _moved(self, seconds: float | None, quarters: float | None) -> None:
        """Playing is there: the cursors follow, and the page."""
        self.strip.wave.playhead = seconds
        self.strip.wave.update()
        if seconds is not None and self.review is not None:
            self.strip.set_clock(seconds, self.review.checked.recording.duration)
        rect = self.paper.set_cursor_quarters(quarters)
        if rect is not None:
            bar = self.scroller.verticalScrollBar()
            top, height = bar.value(), self.scroller.viewport().height()
            if rect.top() < top or rect.bottom() > top + height:
                bar.setValue(int(rect.top() - 40))
