"""Finding the first note: right note, right partial; a hint for air or lips where it is another one."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.notation.pitch import spell
from jeweller.phrases import note_name
from jeweller.warmup.tendency import HeldTone

OCTAVE = 12
# By what the instrument is played with: the right fingers, but too low, and too high.
HINTS = {
    "valves": (
        N_("The valves are right: faster air, and hear the higher note before you buzz it."),
        N_("The valves are right: slower, warmer air, and let the lips be looser."),
    ),
    "slide": (
        N_("The slide is right: faster air, and hear the higher note before you buzz it."),
        N_("The slide is right: slower, warmer air, and let the lips be looser."),
    ),
    "flute": (
        N_("The fingers are right: faster air through a smaller opening, aimed a little higher."),
        N_("The fingers are right: slower air, aimed a little lower."),
    ),
    "recorder": (
        N_("The fingers are right: open the thumb hole a little, and keep the air moving."),
        N_("The fingers are right: close the thumb hole, and blow gently."),
    ),
    "reed": (
        N_("The fingers are right: is the register key pressed? Then keep the air fast."),
        N_("The fingers are right: let go of the register key, and keep the throat open."),
    ),
}


@dataclass(frozen=True)
class FirstNote:
    """What was sounded for the first note: whether it is right, and a sentence."""

    right: bool
    sentence: str


def judge_first_note(instrument: Instrument, target: int, heard: HeldTone) -> FirstNote:
    """Whether a held tone is the first note; both sounding MIDI numbers.

    >>> from jeweller.instruments.table import require_instrument
    >>> tone = HeldTone(58, "C4", 0.0, 1.0, -3.0, 1.0)
    >>> judge_first_note(require_instrument("trumpet"), 65, tone).sentence  # doctest: +ELLIPSIS
    'That is C4; it begins on G4. The valves are right: faster air, and hear the higher note before ...'
    """
    asked = note_name(spell(target - instrument.chromatic, -1).name)
    if heard.midi == target:
        return FirstNote(True, _("Right: {note}. Now the music.").format(note=asked))
    told = _("That is {heard}; it begins on {asked}.").format(heard=note_name(heard.written), asked=asked)
    hints = HINTS.get(instrument.hands)
    if hints is not None and instrument.same_fingering(target, heard.midi):
        return FirstNote(False, f"{told} {_(hints[heard.midi > target])}")
    if abs(heard.midi - target) % OCTAVE == 0:
        return FirstNote(False, f"{told} {_('The right name, another octave.')}")
    return FirstNote(False, f"{told} {_('Look at the fingering, then hear it before you play.')}")
