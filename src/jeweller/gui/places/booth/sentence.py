"""How the next take is made, as a sentence whose words are the controls."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from jeweller.audio.formats import RECORDING_ENDINGS
from jeweller.booth.plan import CLICKS, COUNTS, HELPS, LAYERS, READINGS, CountKind, Help
from jeweller.gui.places.booth.model import BoothModel
from jeweller.gui.widgets.choice import ChoiceWord
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain
from jeweller.i18n import N_, _, ngettext

Offers = Callable[[], Sequence[tuple[str, Any] | None]]
SPEEDS = (40, 48, 54, 60, 66, 72, 80, 88, 96, 104, 112, 120, 132, 144)
SLOWER = (0.5, 0.7, 0.85, 1.0)
# {..} are words that can be chosen
SENTENCE = N_(
    "{bars}, {layer} {help}, {bpm} a minute, {click}, {reading}; counted in by {count}, {count_bars}."
)


class PlanSentence(QWidget):
    """Shows and changes the model's plan."""

    changed = Signal()

    def __init__(self, model: BoothModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model = model
        self.row = FlowRow(self, spacing=0)
        self.words: dict[str, ChoiceWord] = {}
        offers: dict[str, tuple[str, Offers]] = {
            "bars": (_("Which bars"), self._bars),
            "layer": (_("How it is done"), lambda: [(_(w), k) for k, (w, _told) in LAYERS.items()]),
            "help": (_("With what help"), lambda: [(_(w), k) for k, w in HELPS.items()]),
            "bpm": (_("The speed"), self._speeds),
            "click": (_("The click"), lambda: [(_(w), k) for k, w in CLICKS.items()]),
            "reading": (_("Reading or from memory"), lambda: [(_(w), k) for k, w in READINGS.items()]),
            "count": (_("The count-in"), lambda: [(_(w), k) for k, w in COUNTS.items()]),
            "count_bars": (_("How long it counts in"), lambda: [(_count_bars(k), k) for k in (1, 2)]),
        }
        for key, (name, offered) in offers.items():
            word = ChoiceWord(name, offered)
            word.picked.connect(lambda value, k=key: self._picked(k, value))
            self.words[key] = word
        self._pieces: list[QWidget] = []
        self.lay_out()
        self.refresh()

    def lay_out(self) -> None:
        """The words in the order of the language that is chosen."""
        while self.row.count():
            item = self.row.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None and widget not in self.words.values():
                widget.deleteLater()
        text = _(SENTENCE)
        while text:
            before, _brace, text = text.partition("{")
            if before:  # its own spaces stand between the words
                self.row.addWidget(plain(before))
            key, _brace, text = text.partition("}")
            if key in self.words:
                self.row.addWidget(self.words[key])

    def refresh(self) -> None:
        """The words as the plan is."""
        plan = self.model.plan
        first, _dash, last = plan.bars.partition("-")
        bars = (
            _("All of it")
            if not first
            else _("Bars {first} to {last}").format(first=first, last=last)
            if last and last != first
            else _("Bar {bar}").format(bar=first)
        )
        said = {
            "bars": bars,
            "layer": _(LAYERS[plan.layer][0]) if not plan.keys else _("struck on the space key"),
            "help": _(HELPS[plan.help]),
            "bpm": f"{plan.bpm / self.model.beat:.0f}",
            "click": _(CLICKS[plan.click]),
            "reading": _(READINGS[plan.reading]),
            "count": _(COUNTS[plan.count]) if plan.count != CountKind.WORDS else f"“{plan.words}”",
            "count_bars": _count_bars(plan.count_bars),
        }
        for key, word in self.words.items():
            word.setText(said[key])
            word.setEnabled(self.model.music is not None and not self.model.runner.busy)
        self.row.invalidate()

    def _bars(self) -> list[tuple[str, Any] | None]:
        music = self.model.music
        numbers = music.bar_numbers if music is not None else []
        offers: list[tuple[str, Any] | None] = [(_("All of it"), ""), (_("Other bars…"), None), None]
        for k in range(0, len(numbers), 4):
            last = numbers[min(k + 3, len(numbers) - 1)]
            words = _("Bars {first} to {last}").format(first=numbers[k], last=last)
            offers.append((words, f"{numbers[k]}-{last}"))
        return offers[:40]

    def _speeds(self) -> list[tuple[str, Any] | None]:
        bpm = self.model.written_bpm
        offers: list[tuple[str, Any] | None] = [
            (
                _("{share:.0f} % of the written speed: {bpm:.0f}").format(
                    share=100 * s, bpm=bpm * s / self.model.beat
                ),
                bpm * s,
            )
            for s in SLOWER
        ]
        return [
            *offers,
            None,
            *[(str(s), s * self.model.beat) for s in SPEEDS],
            None,
            (_("Another speed…"), None),
        ]

    def _picked(self, key: str, value: Any) -> None:
        model = self.model
        if key == "bars" and value is None:
            value, ok = QInputDialog.getText(
                self, _("Bars"), _("The first and the last bar, as in 5-8"), text=model.plan.bars
            )
            if not ok:
                return
            value = model.bars_of(value)
            if value is None:
                return
        elif key == "bpm":
            if value is None:
                value, ok = QInputDialog.getInt(
                    self, _("The speed"), _("Beats a minute"), round(model.plan.bpm / model.beat), 20, 300
                )
                if not ok:
                    return
                value *= model.beat
            value = float(value)
        elif key == "count" and value == CountKind.WORDS:
            words, ok = QInputDialog.getText(
                self,
                _("The count-in"),
                _("The words, one a beat, as in “one two breathe in”"),
                text=model.plan.words,
            )
            if not ok or not words.strip():
                return
            model.set_plan(words=" ".join(words.split()))
        elif key == "help" and value == Help.OWN:
            pattern = " ".join(f"*{e}" for e in RECORDING_ENDINGS)
            path, _unused = QFileDialog.getOpenFileName(
                self,
                _("A recording to play along with"),
                "",
                _("Recordings ({pattern})").format(pattern=pattern),
            )
            if not path:
                return
            model.set_plan(backing=path)
        if key == "layer":
            model.set_plan(keys=False)
        model.set_plan(**{key: value})


def _count_bars(count: int) -> str:
    return ngettext("{n} bar", "{n} bars", count).format(n=count)
