"""What is struck, and where it stands on the staff: the drum set on five lines."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.i18n import N_


@dataclass(frozen=True)
class DrumVoice:
    """One thing that is struck: its name, its place on a staff as in the treble clef, its notehead ("" the
    ordinary one), its number among the percussion of General MIDI, and its place in words.
    """

    name: str
    place: str
    head: str = ""
    midi: int = 38
    where: str = ""


DRUM_SET = {
    v.name: v
    for v in (
        DrumVoice(N_("Bass drum"), "F4", "", 36, N_("in the first space")),
        DrumVoice(N_("Floor tom"), "A4", "", 41, N_("in the second space")),
        DrumVoice(N_("Snare drum"), "C5", "", 38, N_("in the third space")),
        DrumVoice(N_("Middle tom"), "D5", "", 47, N_("on the fourth line")),
        DrumVoice(N_("High tom"), "E5", "", 50, N_("in the fourth space")),
        DrumVoice(N_("Ride cymbal"), "F5", "x", 51, N_("× on the top line")),
        DrumVoice(N_("Hi-hat"), "G5", "x", 42, N_("× over the top line")),
        DrumVoice(N_("Cymbals"), "A5", "x", 49, N_("× on a line above the staff")),
        DrumVoice(N_("Hi-hat with the foot"), "D4", "x", 44, N_("× under the lowest line")),
    )
}
