"""What can be put right about a take on the bench: who, what, how it was made; checked again, kept for the
ear, deleted.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QInputDialog, QMenu

from jeweller.errors import JewellerError
from jeweller.i18n import N_, _
from jeweller.library.intake import part_for
from jeweller.library.states import TakeState
from jeweller.library.tables import Take

if TYPE_CHECKING:
    from jeweller.gui.places.bench.view import BenchPlace

SUPPORT = {"alone": N_("nothing: alone"), "with_model": N_("the model"), "with_click": N_("a click")}
READING = {"practised": N_("practised"), "sight": N_("at first sight"), "memory": N_("from memory")}
KIND = {"played": N_("played"), "rhythm": N_("clapped or spoken"), "stored": N_("for the ear alone")}


def take_menu(bench: BenchPlace) -> QMenu:
    """The menu of the take in hand."""
    menu = QMenu(bench)
    if bench.hand is None or bench.library is None:
        return menu
    take = bench.hand.take
    library = bench.library
    menu.addAction(_("Open in detail (O)")).triggered.connect(
        lambda _unused=False: bench.to_loupe.emit(take.id)
    )
    if library.store.read_only:
        return menu
    menu.addAction(_("Check it again")).triggered.connect(lambda _unused=False: bench.check([take.id]))
    menu.addAction(_("Check the whole tray again")).triggered.connect(
        lambda _unused=False: bench.check([x.take.id for x in bench.lines if x.take.piece])
    )
    menu.addSeparator()
    who = menu.addMenu(_("Who played it"))
    for player in library.players(library.tray(take.tray_id).band_id):
        _item(bench, who, player.name, player.id == take.player_id, take, player_id=player.id)
    who.addSeparator()
    who.addAction(_("Add player…")).triggered.connect(lambda _unused=False: _somebody(bench, take))
    piece = menu.addMenu(_("Which piece it is"))
    for p in sorted(library.shelf.pieces.values(), key=lambda p: p.title.casefold()):
        if not p.passage_of:
            _item(
                bench,
                piece,
                p.title,
                p.id == take.piece,
                take,
                piece=p.id,
                part=part_for(p.parts, take.part, None),
            )
    known = library.shelf.pieces.get(take.piece)
    part = menu.addMenu(_("Which part it is"))
    for name in known.parts if known is not None else ():
        _item(bench, part, name, name == take.part, take, part=name)
    for column, words, choices in (
        ("support", _("What sounded with it"), SUPPORT),
        ("reading", _("How well it was known"), READING),
        ("kind", _("What kind of take it is"), KIND),
    ):
        sub = menu.addMenu(words)
        for value, said in choices.items():
            _item(bench, sub, said, getattr(take, column) == value, take, **{column: value})
    setup = menu.addMenu(_("What it was recorded with"))
    for name in ("", *library.setups()):
        _item(bench, setup, name or _("not specified"), name == take.setup, take, setup=name)
    setup.addSeparator()
    setup.addAction(_("Something else…")).triggered.connect(lambda _unused=False: _setup(bench, take))
    menu.addSeparator()
    menu.addAction(_("Delete the take for good…")).triggered.connect(
        lambda _unused=False: delete_take(bench, take)
    )
    return menu


def _item(bench: BenchPlace, menu: QMenu, words: str, now: bool, take: Take, **values: Any) -> None:
    action = menu.addAction(words)
    action.setCheckable(True)
    action.setChecked(now)
    action.triggered.connect(lambda _unused=False: put_right(bench, take, **values))


def put_right(bench: BenchPlace, take: Take, **values: Any) -> None:
    """Other values for a take; it is checked again where that changes what is found. Decisions stay."""
    again = bool({"piece", "part", "support", "kind", "reading"} & set(values))
    if values.get("kind") == "stored":
        values, again = {**values, "state": "stored"}, False
    elif again:
        values = {**values, "state": TakeState.WAITING}
    try:
        bench.model.opened.change(take, **values)
    except JewellerError as error:
        bench.trouble.emit(str(error))
        return
    bench.refresh()
    bench.take_in_hand(take.id)
    if again:
        bench.check([take.id])


def _somebody(bench: BenchPlace, take: Take) -> None:
    name, ok = QInputDialog.getText(bench, _("Add player"), _("The player's name or nickname:"))
    if ok and name.strip() and bench.library is not None:
        player = bench.library.add_player(bench.library.tray(take.tray_id).band_id, name, part=take.part)
        put_right(bench, take, player_id=player.id)


def _setup(bench: BenchPlace, take: Take) -> None:
    name, ok = QInputDialog.getText(
        bench, _("Recorded with"), _("Room and microphone, in your own words:"), text=take.setup
    )
    if ok:
        put_right(bench, take, setup=" ".join(name.split())[:60])


def delete_take(bench: BenchPlace, take: Take, *, sure: bool = False) -> None:
    """Deletes a take with its recording, after it was said."""
    from PySide6.QtWidgets import QMessageBox

    if not sure:
        words = _("{name}, its reports and what was decided are deleted and cannot be brought back.").format(
            name=take.name
        )
        box = QMessageBox(
            QMessageBox.Icon.NoIcon,
            _("Delete the take for good"),
            words,
            QMessageBox.StandardButton.Cancel,
            bench,
        )
        button = box.addButton(_("Delete for good"), QMessageBox.ButtonRole.DestructiveRole)
        box.exec()
        if box.clickedButton() is not button:
            return
    bench.listening.stop()
    bench.model.hand = None
    bench.model.opened.remove_take(take.id)
    bench.refresh()
    if bench.list.count():
        bench.list.setCurrentRow(0)
    bench.message.emit(_("{name} is deleted.").format(name=take.name))
