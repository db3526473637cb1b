"""Everybody who plays, by band: found by a letter or two, looked at over time; entered, changed, given out,
deleted for good.
"""

from __future__ import annotations

import datetime
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QMessageBox,
    QPushButton,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from jeweller.assessment.messages import FACET_NAMES
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.places.ledger.class_dialogs import ClassListDialog, said_entered
from jeweller.gui.places.ledger.home_slips import HomeSlips, ProgressDialog
from jeweller.gui.places.ledger.model import LedgerModel
from jeweller.gui.places.ledger.people_dialogs import PlayerBox, YearBox
from jeweller.gui.places.ledger.progress_chart import ProgressChart
from jeweller.gui.places.loupe.margin import wrapped
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.widgets.flow import FlowRow
from jeweller.i18n import N_, _, ngettext
from jeweller.library.class_list import Listed
from jeweller.library.progress import OverTime
from jeweller.library.tables import Player
from jeweller.library.years import format_name
from jeweller.phrases import capitalized

SHOWN = 150  # players listed at once: more are found by another letter
NOBODY = N_(
    "Nobody is entered yet. Open or paste a class list, add players one by one, or bring recordings to "
    "the bench."
)


class PlayersPage(QWidget):
    """`changed` is emitted when somebody was entered, changed or deleted."""

    message = Signal(str)
    changed = Signal()

    def __init__(self, model: LedgerModel, jobs: Jobs) -> None:
        super().__init__()
        self.model, self.people = model, model.players
        self.home = HomeSlips(jobs, model, self)
        self.home.message.connect(self.message)
        self.home.entered.connect(lambda: self._show_changed(True))
        self.theme, self.points = LIGHT, 11.0
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(self._everybody())
        split.addWidget(self._somebody())
        split.setSizes([280, 880])
        split.setObjectName("players")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(split)

    def _everybody(self) -> QWidget:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        self.bands = QComboBox()
        self.bands.setAccessibleName(_("The band"))
        self.bands.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.bands.currentIndexChanged.connect(lambda _unused: self._fill())
        row.addWidget(self.bands, 1)
        self.of_band = QPushButton("…")
        self.of_band.setAccessibleName(_("What can be done with a band"))
        self.of_band.setToolTip(_("A new band or year, another name, delete a year"))
        self.of_band.clicked.connect(
            lambda: self.band_menu().popup(self.of_band.mapToGlobal(self.of_band.rect().bottomLeft()))
        )
        row.addWidget(self.of_band)
        column.addLayout(row)
        self.search = QLineEdit()
        self.search.setPlaceholderText(_("name, instrument"))
        self.search.setAccessibleName(_("Search the players"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _unused: self._fill())
        column.addWidget(self.search)
        self.list = QListWidget()
        self.list.setAccessibleName(_("Players"))
        self.list.setUniformItemSizes(True)
        self.list.currentItemChanged.connect(lambda item, _unused: self._picked(item))
        column.addWidget(self.list, 1)
        self.new = QPushButton(_("Add player…"))
        self.new.clicked.connect(lambda: self.add())
        self.listed = QPushButton(_("Class list…"))
        self.listed.setToolTip(_("Many players at once, pasted or from a file; nobody is entered twice"))
        self.listed.clicked.connect(lambda: self.ask_class())
        ways_in = FlowRow()
        ways_in.addWidget(self.new)
        ways_in.addWidget(self.listed)
        self.progress_in = QPushButton(_("Progress from home…"))
        self.progress_in.setToolTip(_("What a player did at home, looked over before it is entered"))
        self.progress_in.clicked.connect(lambda: self.bring_progress())
        ways_in.addWidget(self.progress_in)
        column.addLayout(ways_in)
        return left

    def _somebody(self) -> QWidget:
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(8, 0, 0, 0)
        column.setSpacing(8)
        self.title = QLabel()
        self.title.setObjectName("title")
        column.addWidget(self.title)
        self.under = QLabel()
        self.under.setObjectName("quiet")
        self.under.setWordWrap(True)
        column.addWidget(self.under)
        self.chart = ProgressChart()
        column.addWidget(self.chart)
        self.attempts = QScrollArea()
        self.attempts.setAccessibleName(_("The takes of the player"))
        self.attempts.setWidgetResizable(True)
        self.attempts.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.attempts, 1)
        row = FlowRow()
        self.edit = QPushButton(_("Change…"))
        self.edit.setToolTip(_("Name, instrument, part, band"))
        self.practised = QPushButton(_("Practised today…"))
        self.consent = QPushButton()
        self.slip = QPushButton(_("Slip for home…"))
        self.slip.setToolTip(_("Music, findings and practice of this player as one file to take home"))
        self.out = QPushButton(_("Export this player's data…"))
        self.remove = QPushButton(_("Delete for good…"))
        acts = (
            (self.edit, lambda: self.change()),
            (self.practised, lambda: self.add_practice()),
            (self.slip, lambda: self.give_slip()),
            (self.consent, self.toggle_consent),
            (self.out, lambda: self.export_player()),
            (self.remove, lambda: self.delete()),
        )
        for button, act in acts:
            button.clicked.connect(act)
            row.addWidget(button)
        column.addLayout(row)
        self._acts = [button for button, _unused in acts]
        return right

    # ---- what is shown

    @property
    def player(self) -> Player | None:
        return self.people.player

    @property
    def progress(self) -> OverTime | None:
        return self.people.progress

    @property
    def band(self) -> int | None:
        """The band that is looked at; None: every one."""
        chosen = self.bands.currentData()
        return int(chosen) if chosen is not None else None

    def show_all(self, theme: Theme, points: float) -> None:
        """Everybody, by the words they are found by."""
        self.theme, self.points = theme, points
        if self.model.library is None:
            return
        now, bands = self.bands.currentData(), self.people.bands()
        self.bands.blockSignals(True)
        self.bands.clear()
        if len(bands) != 1:
            self.bands.addItem(_("every band"), None)
        for name, band in bands:
            self.bands.addItem(name, band)
        self.bands.setCurrentIndex(max(0, self.bands.findData(now)))
        self.bands.blockSignals(False)
        self.people.read()
        stays = self.player  # who is chosen by the list is shown by it
        self._fill()
        if stays is not None and self.player is not None and self.player.id == stays.id:
            self.show_player(stays.id)

    def _fill(self) -> None:
        now = self.player.id if self.player is not None else None
        self.list.blockSignals(True)
        self.list.clear()
        for words, player in self.people.find(self.search.text(), self.band, SHOWN):
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, player)
            self.list.addItem(item)
            if player == now:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        if self.list.currentItem() is None and self.list.count():
            self.list.setCurrentRow(0)
        if not self.list.count():
            self._show_nobody()

    def _show_nobody(self) -> None:
        self.people.choose(None)
        self.title.setText("")
        self.under.setText(_(NOBODY) if not self.people.named else _("Nobody of that name or instrument."))
        self.chart.show_attempts((), self.theme, self.points)
        self.attempts.setWidget(QWidget())
        for button in self._acts:
            button.setVisible(False)

    def _picked(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.show_player(item.data(Qt.ItemDataRole.UserRole))

    def show_player(self, number: int) -> None:
        """One player over time."""
        self.people.choose(number)
        player, progress = self.player, self.progress
        if player is None or progress is None:
            return
        for button in self._acts:
            button.setVisible(True)
        self.title.setText(player.name)
        known = [
            self.people.instrument_name(),
            ngettext("{n} take", "{n} takes", len(progress.attempts)).format(n=len(progress.attempts)),
            ngettext("{minutes} minutes on {n} day", "{minutes} minutes on {n} days", progress.days).format(
                minutes=progress.minutes, n=progress.days
            )
            if progress.days
            else "",
            _("consent of {consent}").format(consent=player.consent)
            if player.consent
            else _("no consent noted: left out of what others see"),
        ]
        self.under.setText(" · ".join(filter(None, known)))
        self.consent.setText(_("Withdraw consent") if player.consent else _("Consent was given today"))
        self.chart.show_attempts(progress.attempts, self.theme, self.points)
        self.attempts.setWidget(self._attempts())

    def _attempts(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(4)
        progress = self.progress
        if progress is not None and progress.habits:
            column.addWidget(wrapped(_("Recurring problems"), self.points + 1, weight=600, serif=True))
            for habit in progress.habits:
                column.addWidget(wrapped(f"{capitalized(habit)}.", self.points))
        for a in reversed(progress.attempts if progress is not None else ()):
            mark = (
                _("{mark:g} of {out_of:g}").format(mark=a.mark, out_of=a.out_of)
                if a.mark is not None and a.out_of is not None
                else ""
            )
            head = " · ".join(
                filter(
                    None,
                    [a.title, a.day, mark, _("{bpm:.0f} to the minute").format(bpm=a.bpm) if a.bpm else ""],
                )
            )
            label = wrapped(head, self.points, weight=600)
            label.setContentsMargins(0, 8, 0, 0)
            column.addWidget(label)
            for words, facets in (
                (_("Better than the time before: {names}."), a.better),
                (_("Less good than the time before: {names}."), a.new),
            ):
                if facets:
                    names = ", ".join(_(FACET_NAMES[f]).lower() for f in facets)
                    column.addWidget(
                        wrapped(
                            words.format(names=names),
                            self.points,
                            self.theme.quiet,
                        )
                    )
            if a.sound:
                column.addWidget(
                    wrapped(
                        _("Against the time before, recorded with {setup} too: {sound}.").format(
                            setup=a.setup, sound=", ".join(a.sound)
                        ),
                        self.points,
                        self.theme.quiet,
                    )
                )
            for text in a.findings or (_("No problems found."),):
                column.addWidget(wrapped(text, self.points))
        column.addStretch(1)
        return page

    # ---- who there is

    def _show_changed(self, done: bool) -> bool:
        """Shows everything anew after what was `done`."""
        if done:
            self.show_all(self.theme, self.points)
            self.changed.emit()
        return done

    def add(self, values: dict[str, Any] | None = None) -> None:
        """Enters somebody; `values` in place of the box."""
        if values is None:
            if self.model.first_band() is None:
                return
            box = PlayerBox(self, self.people.band_rows(), band=self.band)
            if box.exec() != QDialog.DialogCode.Accepted:
                return
            values = box.values()
        self._show_changed(self.people.add(values))

    def ask_class(self, path: str = "") -> QDialog | None:
        """A class list, entered once it was looked over."""
        band = self.model.first_band()
        if band is None:
            return None
        chosen = self.band if self.band is not None else band
        dialog = ClassListDialog(self.window(), [p.name for p in self.people.names(chosen)], path)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self._enter_class(chosen, dialog.chosen()))
        dialog.open()
        return dialog

    def _enter_class(self, band: int, listed: list[Listed]) -> None:
        told = self.people.enter_class(band, listed)
        if told is not None:
            self._show_changed(True)
            self.message.emit(said_entered(*told))

    def change(self, values: dict[str, Any] | None = None) -> None:
        """Another name, instrument, part or band for the chosen player; `values` in place of the box. What
        was recorded stays theirs.
        """
        if self.player is None:
            return
        if values is None:
            box = PlayerBox(self, self.people.band_rows(), self.player)
            if box.exec() != QDialog.DialogCode.Accepted:
                return
            values = box.values()
        self._show_changed(self.people.change(values))

    def toggle_consent(self) -> None:
        """Notes that consent was given today, or takes it back."""
        self._show_changed(self.people.toggle_consent(datetime.date.today()))

    def add_practice(self, minutes: int | None = None) -> None:
        """Minutes of today, asked for where they are not given."""
        if self.player is None:
            return
        if minutes is None:
            minutes, ok = QInputDialog.getInt(
                self, self.player.name, _("Minutes practised today:"), 20, 1, 600
            )
            if not ok:
                return
        self._show_changed(self.people.add_practice(minutes, datetime.date.today()))

    def give_slip(self, target: str = "") -> None:
        """What the player takes home."""
        if self.player is not None:
            self.home.give([self.player], target)

    def give_slips(self, target: str = "") -> None:
        """The same for everybody of the band, one file each."""
        library = self.model.library
        if library is not None and self.band is not None:
            self.home.give(library.players(self.band), target)

    def bring_progress(self, path: str = "") -> ProgressDialog | None:
        """What a player did at home."""
        return self.home.bring(path)

    def export_player(self, target: str = "") -> None:
        """Everything that is held on the player as one file."""
        if self.player is None:
            return
        if not target:
            target, _unused = QFileDialog.getSaveFileName(
                self, _("What is held on this player"), str(Path.home() / f"{self.player.name}.zip"), "*.zip"
            )
        count = self.people.export(Path(target)) if target else None
        if count is not None:
            self.message.emit(
                ngettext("{count} file saved: {target}", "{count} files saved: {target}", count).format(
                    count=count, target=target
                )
            )

    def delete(self, *, sure: bool = False) -> None:
        """Deletes the player for good, after saying what goes."""
        player = self.player
        if player is None or not (sure or self._sure(self.people.list_held())):
            return
        if self._show_changed(self.people.delete()):
            self.message.emit(_("{name} is deleted.").format(name=player.name))

    def _sure(self, goes: list[str]) -> bool:
        """Asks whether this is to be deleted for good."""
        listed = "\n".join(f"· {line}" for line in goes)
        box = QMessageBox(
            QMessageBox.Icon.NoIcon,
            _("Delete for good"),
            _(
                "This is deleted and cannot be brought back:\n\n{listed}\n\nThe daily copies of the "
                "library are deleted as well. Backups you made yourself are not touched."
            ).format(listed=listed),
            QMessageBox.StandardButton.Cancel,
            self,
        )
        button = box.addButton(_("Delete for good"), QMessageBox.ButtonRole.DestructiveRole)
        box.exec()
        return box.clickedButton() is button

    # ---- bands and years

    def band_menu(self) -> QMenu:
        """What can be done with the band that is chosen."""
        menu = QMenu(self)
        menu.addAction(_("A new band or year…")).triggered.connect(lambda _unused=False: self.add_year())
        slips = menu.addAction(_("Slips for home, one a player…"))
        slips.triggered.connect(lambda _unused=False: self.give_slips())
        rename, remove = menu.addAction(_("Rename…")), menu.addAction(_("Delete it for good…"))
        rename.triggered.connect(lambda _unused=False: self.rename_band())
        remove.triggered.connect(lambda _unused=False: self.delete_band())
        for action in (slips, rename, remove):
            action.setEnabled(self.band is not None)
        return menu

    def add_year(self, box: YearBox | None = None) -> None:
        """A new band or year, with those of the chosen one who go on; a `box` that was filled in place of the
        one that is shown.
        """
        band = self.people.band(self.band)
        if box is None:
            box = YearBox(self, band.name if band is not None else "", self.people.members(band))
            if box.exec() != QDialog.DialogCode.Accepted:
                return
        name, going_on = box.name.text(), box.going_on
        if self._show_changed(self.people.new_year(name, box.year.text(), going_on)):
            self.bands.setCurrentIndex(self.bands.count() - 1)
            self.message.emit(
                ngettext(
                    "{n} player goes on into {split}; what was recorded stays theirs.",
                    "{n} players go on into {split}; what was recorded stays theirs.",
                    len(going_on),
                ).format(n=len(going_on), split=" ".join(name.split()))
            )

    def rename_band(self, name: str = "") -> None:
        band = self.people.band(self.band)
        if band is None:
            return
        if not name:
            name, ok = QInputDialog.getText(self, _("Another name"), _("The band is called:"), text=band.name)
            if not ok:
                return
        self._show_changed(self.people.rename_band(band, name))

    def delete_band(self, *, sure: bool = False) -> None:
        """Deletes a band or year for good, after saying what goes."""
        band = self.people.band(self.band)
        if band is None or not (sure or self._sure(self.people.list_held_in_band(band))):
            return
        if self._show_changed(self.people.delete_band(band)):
            self.message.emit(_("{format_name} is deleted.").format(format_name=format_name(band)))
