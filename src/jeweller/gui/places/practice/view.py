"""The practice place: today's minutes as a column of cards, each with its drill; printed, or taken to the
booth.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings, Qt, Signal
from PySide6.QtWidgets import (
    QBoxLayout,
    QButtonGroup,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from jeweller.assessment.messages import FACET_NAMES
from jeweller.documents.drill_picture import DrillPicture
from jeweller.documents.polish_sheet import polish_html, polish_pdf
from jeweller.documents.theme import LIGHT, PRINTED, Theme
from jeweller.documents.wall_sheet import class_wall_pdf, wall_pdf
from jeweller.documents.week_sheet import week_pdf
from jeweller.gui.places.loupe.margin import wrapped
from jeweller.gui.places.place import NextStep
from jeweller.gui.places.practice.ear_model import EarModel
from jeweller.gui.places.practice.ear_page import EarPage
from jeweller.gui.places.practice.log_model import LogModel
from jeweller.gui.places.practice.log_page import LogPage
from jeweller.gui.places.practice.model import MINUTES, PracticeModel, Source
from jeweller.gui.places.practice.player_page import PlayerPage
from jeweller.gui.places.practice.remedy_table import RemedyEditor
from jeweller.gui.places.practice.wall_model import WallModel
from jeweller.gui.places.practice.wall_page import WallPage
from jeweller.gui.services.devices import Devices
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.saving import save_page
from jeweller.gui.shell.style import STACKED_PT, font
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain
from jeweller.gui.widgets.readable import StayingButton
from jeweller.gui.widgets.shapes import drawn, facet_pixmap
from jeweller.i18n import _, ngettext
from jeweller.notation.model import Score
from jeweller.practice.polish import FUN, REST, WHOLE, PolishItem
from jeweller.practice.remedies import load_schools

if TYPE_CHECKING:
    from jeweller.library.library import Library
    from jeweller.notation.model import Part

LIST, WALL_WAY, LOG_WAY, EAR_WAY = 0, 1, 2, 3  # the pages
DRILL_SCALE = 0.42  # pixels of a page unit
MOST_DRILL = 980.0  # pixels of width
SHAPE = 20


class PolishCard(QFrame):
    """One thing to work at: why, how, at what speed, how long; its drill beside it. `wanted` asks for the
    drill in the booth.
    """

    wanted = Signal()

    def __init__(
        self, number: int, item: PolishItem, drill: DrillPicture | None, theme: Theme, points: float
    ) -> None:
        super().__init__()
        self.setObjectName("card")
        beside = QBoxLayout.Direction.LeftToRight
        row = QBoxLayout(QBoxLayout.Direction.TopToBottom if points >= STACKED_PT else beside, self)
        row.setContentsMargins(16, 12, 16, 12)
        row.setSpacing(20)
        left = QVBoxLayout()
        left.setSpacing(4)
        head = QHBoxLayout()
        head.setSpacing(8)
        shape = QLabel()
        shape.setPixmap(facet_pixmap(item.finding["facet"], theme, SHAPE))
        shape.setAccessibleName(_(FACET_NAMES[item.finding["facet"]]))
        head.addWidget(shape, 0, Qt.AlignmentFlag.AlignTop)
        head.addWidget(wrapped(f"{number}. {item.why}", points, weight=600), 1)
        left.addLayout(head)
        for sentence in item.sentences:
            left.addWidget(wrapped(sentence, points))
        self.speed = wrapped(
            ngettext(
                "{n} minute, from {bpm:.0f} beats a minute",
                "{n} minutes, from {bpm:.0f} beats a minute",
                item.minutes,
            ).format(n=item.minutes, bpm=item.bpm),
            points,
            theme.quiet,
        )
        left.addWidget(self.speed)
        left.addStretch(1)
        row.addLayout(left, 2)
        right = QVBoxLayout()
        if item.drill is not None and drill is not None:
            right.addWidget(wrapped(f"{item.drill.title}. {item.drill.how}", points, theme.quiet))
            picture = QLabel()
            scale = min(DRILL_SCALE * points / 11.0, MOST_DRILL / drill.width)
            picture.setPixmap(
                drawn(drill.svg(theme), drill.width * scale, drill.height * scale, self.devicePixelRatioF())
            )
            picture.setAccessibleName(item.drill.title)
            right.addWidget(picture)
            self.button = QPushButton(_("Practise it in the booth"))
            self.button.clicked.connect(self.wanted)
            buttons = FlowRow()
            buttons.addWidget(self.button)
            right.addLayout(buttons)
        right.addStretch(1)
        row.addLayout(right, 3)


class PracticePlace(QWidget):
    """`to_booth` carries a score, the name of its part and a speed; the others are those of every place."""

    message = Signal(str)
    trouble = Signal(str)
    changed = Signal()
    to_booth = Signal(object, str, float)

    def __init__(
        self,
        jobs: Jobs,
        devices: Devices,
        settings: QSettings,
        folder: Callable[[], Path],
        library: Callable[[], Library | None],
        sources: Callable[[], list[Source]],
        music: Callable[[], list[Part]],
        *,
        at_home: bool = False,
    ) -> None:
        """`at_home`: it is a player's own, with nothing that is the teacher's."""
        super().__init__()
        self.at_home = at_home
        self.log = LogModel(devices, settings, folder, library, self)
        self.log.trouble.connect(self.trouble)
        self.wall = WallModel(settings, folder, library, music, self)
        self.wall.message.connect(self.message)
        self.wall.trouble.connect(self.trouble)
        self.ear = EarModel(jobs, devices, settings, folder, self)
        self.ear.message.connect(self.message)
        self.ear.trouble.connect(self.trouble)
        self.ear.changed.connect(self.changed)
        self.model = PracticeModel(jobs, settings, folder, self)
        self.model.changed.connect(self.refresh)
        self.model.message.connect(self.message)
        self.model.trouble.connect(self.trouble)
        self.jobs, self._sources = jobs, sources
        self.offered: list[Source] = []
        self.cards: list[PolishCard] = []
        self.fits: dict[str, QPushButton] = {}  # by the way the tune is made fit
        self.theme, self.points = LIGHT, 11.0
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 4, 16, 8)
        outer.setSpacing(8)
        ways = FlowRow(spacing=4)
        self.ways = QButtonGroup(self)
        pages = (_("What to work at"), _("The scale wall"), _("The log"), _("Train the ear"))
        for k, words in enumerate(pages):
            button = StayingButton(words)
            button.clicked.connect(lambda _unused=False, n=k: self.choose_way(n))
            self.ways.addButton(button, k)
            ways.addWidget(button)
        outer.addLayout(ways)
        self.pages = QStackedWidget()
        self.pages.addWidget(self._list_page())
        self.wall_page = WallPage(self.wall, library, at_home=at_home)
        self.wall_page.printed.connect(lambda: self.print_wall())
        self.wall_page.at_a_glance.toggled.connect(lambda _unused: self.changed.emit())
        self.pages.addWidget(self.wall_page)
        self.log_page = LogPage(self.log, library)
        self.pages.addWidget(self.log_page)
        self.ear_page = EarPage(self.ear, jobs, library)
        self.pages.addWidget(self.ear_page)
        outer.addWidget(self.pages, 1)
        self.choose_way(LIST)

    def _list_page(self) -> QWidget:
        """What to work at."""
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        row = FlowRow(spacing=8)
        row.addWidget(plain(_("From")))
        self.takes = QComboBox()
        self.takes.setAccessibleName(_("The take to work from"))
        self.takes.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.takes.setMinimumContentsLength(24)
        self.takes.activated.connect(self._take_chosen)
        row.addWidget(self.takes)
        self.minutes = QComboBox()
        self.minutes.setAccessibleName(_("The minutes there are"))
        for n in MINUTES:
            self.minutes.addItem(_("{minutes} minutes").format(minutes=n), n)
        self.minutes.activated.connect(lambda _unused: self.model.set_minutes(self.minutes.currentData()))
        row.addWidget(self.minutes)
        row.addStretch()
        self.schools = QPushButton(_("Schools…"))
        self.schools.setToolTip(_("Where teachers disagree: what is said here"))
        self.schools.clicked.connect(
            lambda: self.schools_menu().popup(self.schools.mapToGlobal(self.schools.rect().bottomLeft()))
        )
        row.addWidget(self.schools)
        self.remedies = QPushButton(_("What to try…"))
        self.remedies.setToolTip(_("The table of remedies: change it, bring it from a file, give it to one"))
        self.remedies.clicked.connect(lambda: self.edit_remedies())
        row.addWidget(self.remedies)
        if self.at_home:  # what the teacher has chosen
            self.schools.hide()
            self.remedies.hide()
        self.print_button = QPushButton(_("Print the list…"))
        self.print_button.clicked.connect(lambda: self.print_list())
        row.addWidget(self.print_button)
        self.sound_button = QPushButton(_("Page with its sound…"))
        self.sound_button.setToolTip(_("A page for a screen, on which each drill can be heard"))
        self.sound_button.clicked.connect(lambda: self.print_list(sounds=True))
        row.addWidget(self.sound_button)
        column.addLayout(row)
        self.scroller = QScrollArea()
        self.scroller.setAccessibleName(_("What to work at"))
        self.scroller.setWidgetResizable(True)
        self.scroller.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.scroller, 1)
        return page

    # ---- what is chosen

    def choose_way(self, way: int) -> None:
        """One of the pages."""
        self.ways.button(way).setChecked(True)
        self.pages.setCurrentIndex(way)
        page = self.pages.currentWidget()
        if isinstance(page, PlayerPage):
            page.arrive()
        if way != LOG_WAY:
            self.log.stop()
        if way != EAR_WAY:
            self.ear.stop()
        self.refresh()

    def arrive(self) -> None:
        """There may be newer takes."""
        for page in (self.wall_page, self.log_page, self.ear_page):
            page.arrive()
        self.offered = self._sources()
        words = [s.words for s in self.offered]
        self.takes.clear()
        self.takes.addItems(words)
        now = self.model.source
        same = next((k for k, s in enumerate(self.offered) if s.is_like(now)), -1)
        if same >= 0 and (same == 0 or now is None or now.report is not None):  # rather a take than none
            self.takes.setCurrentIndex(same)
            if now is not None and now.report is None:  # something may have become due since
                self.model.make()
            self.refresh()
        else:
            self.takes.setCurrentIndex(0)
            self.model.choose(self.offered[0])
        self.setFocus()

    def _take_chosen(self, index: int) -> None:
        if 0 <= index < len(self.offered):
            self.model.choose(self.offered[index])

    def schools_menu(self) -> QMenu:
        """Each matter on which teachers disagree, with what may be said of it, or nothing."""
        menu = QMenu(self)
        chosen = self.model.schools
        for school in load_schools():
            matter = menu.addMenu(_(school.name))
            said = {"": _("nothing is said"), **{k: _(w) for k, w in school.choices.items()}}
            for key, words in said.items():
                action = matter.addAction(words)
                action.setCheckable(True)
                action.setChecked(chosen.get(school.key, "") == key)
                action.triggered.connect(
                    lambda _unused=False, s=school.key, k=key: self.model.choose_school(s, k)
                )
        return menu

    def edit_remedies(self) -> RemedyEditor:
        """The table of remedies, to be changed."""
        self.editor = RemedyEditor(self.model, self)
        return self.editor

    def toggle_play(self) -> None:
        """Only takes to train the ear on sound here."""
        if self.pages.currentIndex() == EAR_WAY:
            self.ear.toggle()

    def stop_playing(self) -> None:
        """Nothing sounds, and nothing is listened to, in another place."""
        self.log.stop()
        self.ear.stop()

    def next_step(self) -> NextStep:
        if self.pages.currentIndex() == EAR_WAY:
            return self.ear_page.next_step()
        if self.pages.currentIndex() == LOG_WAY:
            return _("Print the week…"), self.print_week
        if self.pages.currentIndex() == WALL_WAY and self.wall_page.whole_class:
            return _("Look at this wall"), self.wall_page.play
        if self.pages.currentIndex() == WALL_WAY:
            return _("Play this scale"), self.wall_page.play
        made = self.model.made
        if made is not None and made.list.items and made.list.items[0].drill is not None:
            return _("Practise the first thing"), lambda: self.practise(0)
        return _("Print the list…"), self.print_list

    def practise(self, number: int) -> None:
        """The drill of an item in the booth; noted, so that it can be seen whether it helped."""
        found = self.model.drill_score(number)
        if found is None or self.model.made is None:
            return
        part, bpm = found
        self.model.worked_at(number)
        drill = self.model.made.list.items[number].drill
        title = drill.title if drill is not None else ""
        self.to_booth.emit(Score(title, (part,), ""), part.name, bpm)

    def practise_fit(self, way: str) -> None:
        """The same tune, made fit, in the booth."""
        found = self.model.fit_score(way)
        if found is not None:
            score, bpm = found
            self.to_booth.emit(score, score.parts[0].name, bpm)

    def print_list(self, path: str = "", *, sounds: bool = False) -> None:
        """The list on paper, or as a page for a screen on which its drills can be heard."""
        made, source = self.model.made, self.model.source
        if made is None or source is None:
            self.message.emit(_("There is nothing to save yet."))
            return
        player = source.player.name if source.player is not None else ""
        title = source.title or _("What comes back today")
        make, ending = (polish_html, "html") if sounds else (polish_pdf, "pdf")
        words = _("Save the list") if sounds else _("Print the list")
        save_page(self, words, f"{title}.{ending}", path, make, made.list, title, player, PRINTED)

    def print_wall(self, path: str = "") -> None:
        """The scale wall on paper."""
        wall = self.wall
        if self.wall_page.whole_class:
            rows = [(p.name, stones) for p, stones in wall.of_class()]
            form = self.wall_page.form.currentData()
            save_page(self, _("Print the wall"), "wall.pdf", path, class_wall_pdf, wall.keys, rows, form)
            return
        who = wall.player.name if wall.player is not None else ""
        save_page(self, _("Print the wall"), "wall.pdf", path, wall_pdf, wall.keys, wall.stones, who)

    def print_week(self, path: str = "") -> None:
        """The week of the log on paper, with a line for a signature."""
        week, player = self.log.week, self.log.player
        name = f"{week.days[0].date.isoformat()}.pdf"
        who = player.name if player is not None else ""
        save_page(self, _("Print the week"), name, path, week_pdf, week, who, PRINTED)

    # ---- look

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme, self.points = theme, points
        self.wall_page.set_theme(theme, points)
        self.log_page.set_theme(theme, points)
        self.ear_page.set_theme(theme, points)
        self.model.speak()
        self.refresh()

    def refresh(self) -> None:
        """The list as it is."""
        made = self.model.made
        self.minutes.setCurrentIndex(max(0, self.minutes.findData(self.model.minutes)))
        for button in (self.print_button, self.sound_button):
            button.setEnabled(made is not None)
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        self.cards, self.fits = [], {}
        source = self.model.source
        empty = source is None or (source.report is None and made is not None and not made.list.items)
        if made is None or empty:
            words = (
                _(
                    "Make a take in the booth, or check one on the bench: what to work at stands here then, "
                    "with a drill for each thing, fitted into the minutes there are."
                )
                if empty
                else _("One moment…")
            )
            label = wrapped(words, self.points)
            label.setFont(font(self.points))
            column.addWidget(label)
        else:
            self._fill(column)
        if source is not None:
            column.addWidget(wrapped(self.model.coming_back(), self.points, self.theme.quiet))
        column.addStretch(1)
        self.scroller.setWidget(page)
        self.changed.emit()

    def _fill(self, column: QVBoxLayout) -> None:
        made = self.model.made
        if made is None:
            return

        def line(words: str, minutes: int = 0) -> None:
            if minutes:
                words = f"{words} · " + _("{minutes} minutes").format(minutes=minutes)
            column.addWidget(wrapped(words, self.points, self.theme.quiet))

        def fits() -> None:
            """The same tune in other ways, each a step to the booth."""
            row = FlowRow(spacing=4)
            row.addWidget(plain(_("The same tune, made fit:")))
            for fitted in made.fits:
                button = QPushButton(fitted.title)
                button.setObjectName("word")
                button.setToolTip(fitted.how)
                button.clicked.connect(lambda _unused=False, w=fitted.kind: self.practise_fit(w))
                self.fits[fitted.kind] = button
                row.addWidget(button)
            row.addStretch()
            column.addLayout(row)

        source = self.model.source
        if source is not None and source.comment:
            said = _("Your teacher: {comment}").format(comment=source.comment)
            column.addWidget(wrapped(said, self.points, weight=600))
        line(made.list.warm_words, made.list.warm_up)
        for words in made.list.school:
            line(words)
        for k, (item, drill) in enumerate(zip(made.list.items, made.drills, strict=True)):
            card = PolishCard(k + 1, item, drill, self.theme, self.points)
            card.wanted.connect(lambda n=k: self.practise(n))
            self.cards.append(card)
            column.addWidget(card)
            if k in made.list.rests:
                line(_(REST))
        if not made.list.items:
            line(_("Nothing is to be mended in this take."))
        if made.fits:
            fits()
        if made.list.whole:
            line(_(WHOLE), made.list.whole)
        line(_(FUN), made.list.fun)
