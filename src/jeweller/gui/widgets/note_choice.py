"""Asking for notes by their names."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtWidgets import QInputDialog, QWidget

from jeweller.i18n import _


def read_notes(told: str, known: Mapping[str, int]) -> tuple[list[int], list[str]]:
    """(MIDI numbers in the order they were typed, what is none of the `known` names). A flat may be typed as
    b, a sharp as #.

    >>> read_notes("bb4 F#4 x", {"B♭4": 70, "F♯4": 66})
    ([70, 66], ['x'])
    """
    names = {name.casefold(): midi for name, midi in known.items()}
    found, unknown = [], []
    for word in told.replace(",", " ").split():
        signed = word[0] + word[1:].replace("b", "♭").replace("#", "♯")
        midi = names.get(word.casefold(), names.get(signed.casefold()))
        if midi is None:
            unknown.append(word)
        else:
            found.append(midi)
    return found, unknown


def ask_notes(
    parent: QWidget, sentence: str, known: Mapping[str, int], given: str
) -> tuple[list[int], list[str]] | None:
    """What `read_notes` makes of what is typed; None where nothing was to be typed."""
    told, ok = QInputDialog.getText(parent, _("Chosen notes"), sentence, text=given)
    return read_notes(told, known) if ok else None
