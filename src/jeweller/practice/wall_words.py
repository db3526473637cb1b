"""What is said of the places of the scale wall. Signs are told by their shape, not by colour."""

from __future__ import annotations

from collections.abc import Sequence

from jeweller.i18n import _, ngettext
from jeweller.phrases import note_name
from jeweller.practice.wall import EAR, Slot, Stone

CHECK_SIGN, EAR_SIGN, LOOSE_SIGN = "■", "▣", "◇"


def stone_sign(stone: Stone | None) -> str:
    """
    >>> stone_sign(None)
    ''
    """
    if stone is None:
        return ""
    sign = LOOSE_SIGN if stone.loose else EAR_SIGN if stone.by == EAR else CHECK_SIGN
    return f"{sign} {stone.bpm:.0f}"


def stone_words(slot: Slot, stone: Stone | None) -> str:
    """What stands in a place, in a sentence."""
    if stone is None:
        return _("{scale}: nothing stands here yet.").format(scale=slot.said)
    day = stone.day.isoformat()
    if stone.loose:
        return _("{scale}: stood at {bpm:.0f}; tested on {day}, it is to be set again.").format(
            scale=slot.said, bpm=stone.bpm, day=day
        )
    how = _("from memory") if stone.reading == "memory" else _("reading")
    by = _("by the teacher's ear") if stone.by == EAR else _("by a check")
    return _("{scale}: stands at {bpm:.0f} beats a minute, {how}, {by}, on {day}.").format(
        scale=slot.said, bpm=stone.bpm, how=how, by=by, day=day
    )


def carried_words(signs: Sequence[str], before: Slot | None) -> str:
    """That notes of a take came from the key before, "" where none did.

    >>> carried_words(["F♯"], Slot("G", "major"))
    "F♯ belongs to G major, which you practised before. Say this key's own notes first, then play."
    """
    if not signs or before is None:
        return ""
    return ngettext(
        "{notes} belongs to {key}, which you practised before. Say this key's own notes first, then play.",
        "{notes} belong to {key}, which you practised before. Say this key's own notes first, then play.",
        len(signs),
    ).format(notes=", ".join(note_name(s) for s in signs), key=before.key)


def class_words(player: str, standing: int, of: int, form: str) -> str:
    """How much of one form stands for a player.

    >>> class_words("Ada", 1, 12, "major")
    'Ada: 1 of 12 keys stands in the form “major”.'
    """
    return ngettext(
        "{player}: {n} of {of} keys stands in the form “{form}”.",
        "{player}: {n} of {of} keys stand in the form “{form}”.",
        standing,
    ).format(player=player, n=standing, of=of, form=form)
