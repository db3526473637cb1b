"""What following found: `Following`, all frozen. Times are seconds in the recording, pitches sounding MIDI
numbers (float where heard).
"""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.notation.performance import PerformedPart


@dataclass(frozen=True)
class PlayedNote:
    """One sound of the player, matched to note `index` of `Line.main_notes` (None: not written).

    `next_s` is where the next onset (or the end) lies; `off_s` where the sound begins to decay.
    """

    index: int | None
    before: int  # the main note that was to come next when it sounded
    on_s: float
    off_s: float
    next_s: float
    midi: float  # steady pitch; NaN where nothing steady was heard
    spread: float  # semitones: interquartile range of the steady part
    clarity: float  # 0..1 median periodicity of the steady part
    expected_clarity: float  # the same at the written pitch
    # 0..1 periodicity at half the period, relative to the whole: how weak the odd partials are
    octave_up: float
    twelfth_up: float  # 0..1 the same at a third of the period
    level_db: float
    attack: float  # attack strength at its beginning, 0..1.5
    attempt: int = 0  # counts up at every jump

    def at_or_before(self, seconds: float) -> bool:
        """Whether it began before a moment (the onset at that moment not counted)."""
        return self.on_s < seconds - 0.03


@dataclass(frozen=True)
class Jump:
    """The player went from before main note `origin` to main note `target` at `at_s`."""

    at_s: float
    origin: int
    target: int


@dataclass(frozen=True)
class NoteTable:
    """The way through the line. `last_try[i]` is the index into `events` of the last sounding of main note i,
    or None.
    """

    line: PerformedPart
    events: tuple[PlayedNote, ...]
    jumps: tuple[Jump, ...]
    first: int  # the first and the last main note that the take reached
    last: int
    last_try: tuple[int | None, ...]
    seconds_per_quarter: tuple[float, ...]  # local tempo at each main note
    take_spq: float  # the take's own tempo, seconds per quarter
    followed: bool
    share_right: float  # of the notes reached, sounded as written
    ended_early: bool
    earlier: tuple[NoteTable, ...] = ()  # complete attempts in the same take before this one
    # the clef that the part was read in, where it was another than its own; then `line` is the line as read
    clef: str = ""

    def event_of(self, index: int) -> PlayedNote | None:
        k = self.last_try[index]
        return None if k is None else self.events[k]


SHIFTED_SHARE, SHIFTED_NOTES = 0.5, 6  # of the notes that were heard, and at least so many, shifted alike


def shifted_down(following: NoteTable) -> int:
    """Semitones (negative) by which most notes that were heard sounded lower than written; 0 where they did
    not.
    """
    notes = following.line.main_notes
    apart = [
        round(e.midi - notes[e.index].sounding_midi)
        for e in following.events
        if e.index is not None and e.midi == e.midi
    ]
    if not apart:
        return 0
    most = max(set(apart), key=apart.count)
    return most if most < 0 and apart.count(most) >= max(SHIFTED_NOTES, SHIFTED_SHARE * len(apart)) else 0
