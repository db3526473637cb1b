"""The places besides the loupe: built when the window is there, and joined to it and to one another."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from jeweller.gui.places.bench.view import BenchPlace
from jeweller.gui.places.booth.model import BoothStage
from jeweller.gui.places.booth.view import BoothPlace
from jeweller.gui.places.ledger.view import LedgerPlace
from jeweller.gui.places.pattern_book.view import PatternPlace
from jeweller.gui.places.practice.view import PracticePlace
from jeweller.gui.places.warmup.view import WarmUpPlace
from jeweller.gui.services.devices import Devices
from jeweller.gui.shell.menus import kind_menu

if TYPE_CHECKING:
    from jeweller.gui.shell.window import Window


def build_rooms(w: Window) -> Iterator[None]:
    """Builds every place and shows none of them; bit by bit, so that keys are answered in between."""
    w.devices = Devices(w.settings, w.speaker, w.make_microphone, w)
    yield from _build_class_rooms(w)
    yield from _build_player_rooms(w)
    rooms = {
        "warmup": w.warmup,
        "pattern": w.pattern,
        "booth": w.booth,
        "bench": w.bench,
        "practice": w.practice,
        "ledger": w.ledger,
    }
    for place in rooms.values():
        place.message.connect(w.say)  # type: ignore[attr-defined]  # each has these signals
        place.trouble.connect(w.trouble)  # type: ignore[attr-defined]
        w.places.addWidget(place)
        yield
    for place in (w.warmup, w.booth, w.bench, w.practice, w.ledger):
        place.changed.connect(w.refresh)  # type: ignore[attr-defined]
    w.rooms.update(rooms)  # type: ignore[arg-type]


def _build_class_rooms(w: Window) -> Iterator[None]:
    """Music, a tray of takes, the class over time."""
    w.pattern = PatternPlace(w.jobs, w.speaker, w.settings, w.library_folder / "shelf", w.waked_library)
    w.pattern.to_loupe.connect(w.compare_take)
    w.pattern.to_booth.connect(w.practise)
    w.pattern.give_button.clicked.connect(w.give_out)
    yield
    w.bench = BenchPlace(w.jobs, w.speaker, w.settings, w.open_library, w.fill_library if w.tray else None)
    w.bench.to_loupe.connect(w.open_from_bench)
    w.bench.filled.connect(lambda: w.ledger.refresh() if w.place == "ledger" else None)
    w.bench.change_kind.connect(
        lambda key: w.menu_at(w.bench.list, kind_menu(w, lambda kind: w.bench.act("change", key, kind=kind)))
    )
    yield
    w.ledger = LedgerPlace(w.jobs, lambda: w.bench.library)
    w.ledger.bench_wanted.connect(lambda: w.go("bench"))
    w.ledger.to_bench.connect(w.show_on_bench)
    w.ledger.to_tray.connect(w.show_tray)
    for page in (w.ledger.assigned, w.ledger.players):
        page.changed.connect(lambda: setattr(w.bench, "stale", True))
    yield


def _build_player_rooms(w: Window) -> Iterator[None]:
    """One player: warmed up, recorded, told what to practise."""
    w.booth = BoothPlace(w.jobs, w.devices, w.settings, lambda: w.library_folder, lambda: w.bench.library)
    w.booth.handed_in.connect(lambda _take: setattr(w.bench, "stale", True))
    w.booth.warm_up_wanted.connect(w.warm_up)
    lens = w.booth.loupe
    lens.change_kind.connect(lambda key: w.menu_at(lens, kind_menu(w, lambda kind: _change(w, key, kind))))
    yield
    w.warmup = WarmUpPlace(w.jobs, w.devices, w.settings, lambda: w.library_folder, lambda: w.bench.library)
    w.warmup.booth_wanted.connect(lambda: w.go("booth"))
    yield
    w.practice = PracticePlace(
        w.jobs,
        w.devices,
        w.settings,
        lambda: w.library_folder,
        lambda: w.bench.library,
        w.takes_to_practise,
        w.music_in_hand,
        at_home=w.student is not None,
    )
    w.practice.wall.asked.connect(w.play_scale)
    w.booth.model.changed.connect(lambda: _show_wall(w))
    w.ledger.players.home.settings = w.practice_settings
    w.ledger.schools = lambda: w.practice.model.schools
    w.practice.to_booth.connect(w.practise)


def _show_wall(w: Window) -> None:
    """The takes of the booth, to the scale wall, once their verdict is told."""
    model = w.booth.model
    if model.stage == BoothStage.VERDICT:
        w.practice.wall.look(model.music.score if model.music is not None else None, model.log.takes)


def _change(w: Window, key: str, kind: str) -> None:
    """Another kind for a finding of the booth."""
    review = w.booth.loupe.review
    if review is not None:
        review.change(key, kind)
        w.booth.loupe.after_decision("")
