"""What else can be done in the booth."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QMenu

from jeweller.gui.shell.menus import add_action, add_check
from jeweller.gui.widgets.note_choice import ask_notes
from jeweller.i18n import _
from jeweller.phrases import note_name

if TYPE_CHECKING:
    from jeweller.gui.places.booth.view import BoothPlace
    from jeweller.gui.services.devices import Devices

OFFERED = 8  # notes to make something up on


def fill_more(menu: QMenu, place: BoothPlace) -> None:
    """Ladders, turns, devices."""
    model, devices = place.model, place.model.devices
    add_check(
        menu,
        menu,
        _("You first: say what you heard before the check does"),
        model.own_first,
        model.set_own_first,
    )
    add_check(
        menu, menu, _("Show the place in the part with the click"), model.place_shown, model.set_place_shown
    )
    up = model.ladder is not None
    add_check(
        menu,
        menu,
        _("Speed ladder up to {bpm:.0f}").format(bpm=model.written_bpm / model.beat),
        up,
        lambda on: model.set_ladder(model.written_bpm if on else None),
    )
    add_check(
        menu,
        menu,
        _("Strike the rhythm on the space key"),
        model.plan.keys,
        lambda on: model.set_plan(keys=on),
    )
    menu.addSeparator()
    add_action(menu, menu, _("Make something up on chosen notes…"), lambda: _ask_notes(place))
    add_action(menu, menu, _("Put the take on the bench"), place.hand_in).setEnabled(
        place.library() is not None and model.take is not None and model.take.path is not None
    )
    menu.addSeparator()
    _fill_inputs(menu, devices)
    add_action(menu, menu, _("Measure the delay: loudspeaker beside the microphone"), devices.measure)
    add_action(
        menu,
        menu,
        _("Measure the delay by tapping along to sixteen clicks"),
        lambda: devices.measure(by_taps=True),
    )


def _fill_inputs(menu: QMenu, devices: Devices) -> None:
    """Which microphone, and which channel of it where it has several."""
    inputs, found = menu.addMenu(_("Microphone")), devices.inputs()
    for name in ("", *found):
        action = add_action(menu, inputs, name or _("The usual one"), lambda n=name: devices.choose(n))
        action.setCheckable(True)
        action.setChecked(name == devices.wanted)
    usual = next(iter(found.values()), 1)
    count = found.get(devices.wanted, usual)
    if count < 2:
        return
    inputs.addSeparator()
    for channel in range(count + 1):
        words = _("Channel {number} alone").format(number=channel) if channel else _("All channels as one")
        action = add_action(menu, inputs, words, lambda n=channel: devices.choose_channel(n))
        action.setCheckable(True)
        action.setChecked(channel == devices.channel)


def _ask_notes(place: BoothPlace) -> None:
    music = place.model.music
    if music is None:
        return
    pitches = sorted(
        {n.pitch for b in music.part.bars for n in b.notes if n.pitch is not None}, key=lambda p: p.midi
    )
    known = {note_name(p.name): p.midi for p in pitches}
    names = list(known)
    told = ask_notes(
        place,
        _("Two or more of these, with spaces between: {names}").format(names=", ".join(names[:OFFERED])),
        known,
        " ".join(names[:2]),
    )
    if told is None:
        return
    chosen = tuple(sorted(set(told[0])))
    if len(chosen) < 2:
        place.trouble.emit(_("Choose at least two notes of the part."))
        return
    place.model.make_up(chosen)
