"""Warm-ups that follow the player: a row of notes, each waited for; sung first, where that is asked for. And
breathing by the clock.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field

from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Part
from jeweller.notation.pitch import spell
from jeweller.phrases import note_name
from jeweller.warmup.tendency import HeldTone

FIVE = (0, 2, 4, 5, 7)  # semitones of the first five notes of a major scale
OCTAVE = 12
CONCERT_B_FLAT = 10  # its pitch class: the key in which bands warm up
MOST_NOTES = 16
# (what is done, counts) in a round: nobody holds the breath
BREATHS = {
    "long out": (N_("in for four, out for eight"), ((N_("in"), 4), (N_("out"), 8))),
    "longer out": (N_("in for four, out for twelve"), ((N_("in"), 4), (N_("out"), 12))),
    "quick in": (N_("in for one, out for eight"), ((N_("in"), 1), (N_("out"), 8))),
    "even": (N_("in for six, out for six"), ((N_("in"), 6), (N_("out"), 6))),
}
BREATH_ROUNDS, BREATH_COUNT_S = 4, 1.0


@dataclass(frozen=True)
class BreathMoment:
    """Where a breathing exercise is: what to do, the count of it, of how many, which round of how many."""

    said: str
    count: int
    of: int
    round: int
    rounds: int


def breath_at(kind: str, seconds: float, rounds: int = BREATH_ROUNDS) -> BreathMoment | None:
    """Where a breathing exercise is after so many seconds; None when it is over.

    >>> breath_at("long out", 4.5)
    BreathMoment(said='out', count=1, of=8, round=1, rounds=4)
    """
    _name, steps = BREATHS[kind]
    length = sum(counts for _said, counts in steps)
    count = int(seconds / BREATH_COUNT_S)
    number, within = divmod(count, length)
    if number >= rounds or seconds < 0:
        return None
    for said, counts in steps:
        if within < counts:
            return BreathMoment(_(said), within + 1, counts, number + 1, rounds)
        within -= counts
    return None


def five_notes(instrument: Instrument) -> list[int]:
    """The first five notes of concert B♭, where a beginner's range has them, up and down; sounding MIDI
    numbers.

    >>> from jeweller.instruments.table import require_instrument
    >>> five_notes(require_instrument("flute"))
    [70, 72, 74, 75, 77, 75, 74, 72, 70]
    """
    low, high = _range(instrument)
    low, high = low + instrument.chromatic, high + instrument.chromatic
    tonics = [m for m in range(low, high - FIVE[-1] + 1) if m % OCTAVE == CONCERT_B_FLAT] or [low]
    tonic = min(tonics, key=lambda m: abs(2 * m + FIVE[-1] - low - high))
    up = [tonic + step for step in FIVE]
    return [*up, *up[-2::-1]]


def range_out(instrument: Instrument) -> list[int]:
    """From the middle outwards, a step up and a step down in turn, to the ends of a beginner's range."""
    low, high = _range(instrument)
    middle = (low + high) // 2
    out = [middle]
    for k in range(2, max(middle - low, high - middle) + 1, 2):
        out += [m for m in (middle + k, middle - k) if low <= m <= high]
    return [m + instrument.chromatic for m in out[:MOST_NOTES]]


def notes_of(part: Part) -> list[int]:
    """The notes of a piece, those that come most first met from the middle outwards; sounding MIDI
    numbers.
    """
    counts = Counter(
        n.pitch.midi for b in part.bars for n in b.notes if n.pitch is not None and not n.cue and not n.grace
    )
    often = sorted(m for m, _count in counts.most_common(MOST_NOTES))
    if not often:
        return []
    middle = often[len(often) // 2]
    return [m + part.chromatic for m in sorted(often, key=lambda m: (abs(m - middle), m))]


def _range(instrument: Instrument) -> tuple[int, int]:
    """The written range of a beginner, or the middle of all there is."""
    known = instrument.written_range("beginner")
    if known is not None:
        return known
    low, high = instrument.low - instrument.chromatic, instrument.high - instrument.chromatic
    return low + (high - low) // 4, high - (high - low) // 4


@dataclass
class NoteWalk:
    """A row of notes (sounding MIDI numbers) that waits for the player. With `sung` each is sung first, in
    any octave; only then it is waited for on the instrument.
    """

    instrument: Instrument
    targets: Sequence[int]
    sung: bool = False
    at: int = 0
    sang: bool = False
    heard: list[HeldTone] = field(default_factory=list)

    @property
    def over(self) -> bool:
        return self.at >= len(self.targets)

    @property
    def target(self) -> int | None:
        """The note that is waited for."""
        return None if self.over else self.targets[self.at]

    @property
    def written(self) -> str:
        """Its name, as it is written for the player."""
        return "" if self.target is None else self.name_of(self.target)

    def name_of(self, midi: int) -> str:
        return note_name(spell(midi - self.instrument.chromatic, -1).name)

    def push(self, tone: HeldTone) -> bool:
        """A tone that was held; whether the walk went on by it."""
        target = self.target
        if target is None:
            return False
        if self.sung and not self.sang:
            if (tone.midi - target) % OCTAVE == 0:
                self.sang = True
                return True
            return False
        if tone.midi != target:
            return False
        self.heard.append(tone)
        self.at, self.sang = self.at + 1, False
        return True

    @property
    def sentence(self) -> str:
        """What to do now."""
        if self.over:
            return _("All of them.")
        if self.sung and not self.sang:
            return _("Sing {note}, in any octave.").format(note=self.written)
        return _("Play {note} and hold it.").format(note=self.written)
