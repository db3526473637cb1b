"""The note table: all that is known of each note that was played. After it nothing reads features.

Times are seconds in the recording, pitches sounding MIDI numbers (float where heard).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from jeweller.alignment.posterior import NotePosteriors
from jeweller.features.robust import median
from jeweller.notation.performance import PerformedNote, PerformedPart
from jeweller.notes.settings import SAME_PITCH, TABLE


@dataclass(frozen=True, kw_only=True)
class PlayedNote:
    """One sound of the player, matched to note `index` of `PerformedPart.main_notes` (None: not written).

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

    @property
    def main_index(self) -> int:
        """Index of the main note it was played for, of what is known to be one. Raises LookupError."""
        if self.index is None:
            raise LookupError("a sound that is not written has no main note")
        return self.index


@dataclass(frozen=True)
class Unpitched:
    """How loud what no tone explains is: dB (T,) of the frames, `step_s` seconds apart."""

    db: npt.NDArray[np.float32]
    step_s: float

    def loudest(self, from_s: float, until_s: float) -> float:
        """The most of it in a stretch, dB.

        >>> Unpitched(np.array([-60.0, -30.0, -50.0], np.float32), 0.1).loudest(0.2, 0.3)
        -50.0
        """
        return float(self._within(from_s, until_s).max())

    def usual(self, from_s: float, until_s: float) -> float:
        """The median of it in a stretch, dB."""
        return median(self._within(from_s, until_s))

    def _within(self, from_s: float, until_s: float) -> npt.NDArray[np.float32]:
        """The frames of a stretch: one at the least."""
        first = min(max(0, round(from_s / self.step_s)), len(self.db) - 1)
        return self.db[first : max(first, round(until_s / self.step_s)) + 1]


@dataclass(frozen=True)
class Jump:
    """The player went from before main note `origin` to main note `target` at `at_s`."""

    at_s: float
    origin: int
    target: int


@dataclass(frozen=True, kw_only=True)
class StartSound:
    """What sounded for a moment before main note `index` spoke: MIDI pitch, seconds, median periodicity, dB
    below the note, spread in semitones.
    """

    index: int
    midi: float
    on_s: float
    off_s: float
    clarity: float
    below_db: float
    spread: float
    attack: float  # strength of the attack at its beginning
    held_s: float = 0.0  # seconds in which the spectrum needs that tone
    gain: float = 0.0  # what it explains that nothing else does, summed over these frames
    part: float = 0.0  # 0..1 of the sound that it makes up there
    after: float = 0.0  # 0..1 of the sound that the note itself makes up thereafter
    edge: bool = False  # it was there before: more likely the note before

    @property
    def length_s(self) -> float:
        return self.off_s - self.on_s


@dataclass(frozen=True, kw_only=True)
class HeardOrnament:
    """What was heard of the ornament of main note `index`. `kind` grace or trill; `turns` changes of pitch;
    `hidden` where nothing can be said.
    """

    index: int
    kind: str
    heard: bool
    turns: int = 0
    share: float = 0.0  # of the note that trills
    attacks: int = 0  # growths of the spectrum inside a trill: where its turns are blurred, these are not
    hidden: bool = False
    certain: bool = True  # of an answer "not heard": nothing else in the sound could have hidden it
    length_s: float = 0.0  # of the grace note
    after_s: float = 0.0  # of the grace note: so long after the main note's beginning it began
    slipped: bool = False  # another pitch sounded in its place
    # the pitch of the note before, which the grace note has too, had died away before the main note began
    gone: bool = False
    first: str = ""  # of a trill: "upper" or "main", the note it begins on; empty where neither is clear


@dataclass(frozen=True, kw_only=True)
class SustainedTone:
    """Main note `index`: cents and dB from its first quarter to its last (negative: sinks), cents of slow
    waver, dB of slow waver, median periodicity.
    """

    index: int
    drift_cents: float
    drift_db: float
    waver_cents: float
    waver_db: float
    clarity: float
    seconds: float


@dataclass(frozen=True, kw_only=True)
class NoteTransition:
    """Between main notes `index - 1` and `index`, written without a rest between them and played in one
    go.
    """

    index: int
    dip_db: float  # by how much the loudness falls between them
    gap_s: float  # from where the first begins to decay to where the second speaks
    attack: float  # of the second, 0..1.5
    ioi_s: float  # from onset to onset
    share: float  # of that time that sounds
    drop_db: float = 99.0  # from the level of the first note to the softest moment before the second
    # how the first note gives way to the second, 15 levels (`jeweller.notes.transitions.measure_crossing`);
    # None where both have one pitch, or where it was not asked
    crossing: tuple[float, ...] | None = None


@dataclass(frozen=True, kw_only=True)
class Stroke:
    """The stroke of main note `index`: log energy by band, its mean taken out, shape (B,)."""

    index: int
    shape: npt.NDArray[np.float64]


@dataclass(frozen=True, kw_only=True)
class StruckTie:
    """A tie of main note `index`: the moment near it where a tongue is likeliest, and nats for one."""

    index: int
    at_s: float
    nats: float


@dataclass(frozen=True, kw_only=True)
class Click:
    """A click: seconds a beat, and the moment of one of its strokes."""

    beat_s: float
    at_s: float


@dataclass(frozen=True, kw_only=True)
class NoteDoubt:
    """What speaks against main note i having sounded as it was heard."""

    not_sounded: float = 0.0  # confidence that what the path took for it is no note at all; 0: it is one
    written_sounded: bool = (
        False  # by its spectra the written pitch sounded after all, and the room blurred it
    )
    after_grace_s: float = 0.0  # seconds in which the written pitch sounds behind a grace note held too long


@dataclass(frozen=True, kw_only=True)
class PartialContrast:
    """Median dB by which the first partials of a note that are no multiples of two (of three) stand out from
    in between; about 0 where the octave (twelfth) above sounds, whatever the period says.
    """

    second_db: float
    third_db: float
    second_above_db: float  # the first, were the note an octave higher than heard
    odd_db: float = 99.0  # energy of the odd partials against that of the even ones, dB
    above: float = 0.0  # 0..1 of the note in which the pitch line itself runs an octave above


@dataclass(frozen=True, kw_only=True)
class NoteTable:
    """One attempt at a part, note by note.

    `last_try[i]` is the index into `events` of the last sounding of main note i, or None. What follows `clef`
    is filled in by `jeweller.notes.evidence`; the pitches of `events` then have `shift` taken out.
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
    room_db: float = -60.0  # level of the room without music
    loud_db: float = -20.0  # level of the music
    # the clef that the part was read in, where it was another than its own; then `line` is the line as read
    clef: str = ""
    shift: int = 0  # semitones by which the whole take sounded above what is written
    doubts: tuple[NoteDoubt, ...] = ()  # one for each main note
    partials: tuple[
        PartialContrast | None, ...
    ] = ()  # one for each main note; None where no octave is in question
    starts: tuple[StartSound, ...] = ()
    ornaments: tuple[HeardOrnament, ...] = ()
    tones: tuple[SustainedTone, ...] = ()
    clearness: tuple[tuple[int, float], ...] = ()  # (main note, periodicity of its clearest fifth)
    transitions: tuple[NoteTransition, ...] = ()
    strokes: tuple[Stroke, ...] = ()
    click: Click | None = None
    ties: tuple[StruckTie, ...] = ()
    register_lost: bool = False  # followed only with all notes from some pitch up an octave or twelfth low
    past_fine: tuple[float, float] | None = None  # seconds in which the take goes on past the Fine
    posteriors: NotePosteriors | None = None  # of the main notes; None: not weighed
    unpitched: Unpitched | None = None  # what no tone explains; None: not measured
    backed: bool = False  # a backing was taken out of the take: what is left of it sounds like soft notes

    @property
    def notes(self) -> tuple[PerformedNote, ...]:
        """The main notes of the part."""
        return self.line.main_notes

    def event_of(self, index: int) -> PlayedNote | None:
        """The last sounding of a main note."""
        k = self.last_try[index]
        return None if k is None else self.events[k]

    @cached_property
    def offset_cents(self) -> float:
        """The take's own tuning: median deviation of the notes that sounded in their written pitch class,
        cents.
        """
        found = []
        for i, note in enumerate(self.notes):
            event = self.event_of(i)
            if event is not None and event.midi == event.midi:
                apart = event.midi - note.sounding_midi
                apart -= 12 * round(apart / 12)
                if abs(apart) < SAME_PITCH and event.clarity > 0.6:
                    found.append(apart * 100)
        return median(found) if found else 0.0

    def apart(self, index: int) -> float:
        """Semitones that a main note sounded above the written pitch, the take's tuning taken out; NaN where
        it did not sound.
        """
        event = self.event_of(index)
        if event is None:
            return float("nan")
        return event.midi - self.notes[index].sounding_midi - self.offset_cents / 100


def shifted_down(table: NoteTable) -> int:
    """Semitones (negative) by which most notes that were heard sounded lower than written; 0 where they did
    not.
    """
    notes = table.line.main_notes
    apart = [
        round(e.midi - notes[e.index].sounding_midi)
        for e in table.events
        if e.index is not None and e.midi == e.midi
    ]
    if not apart:
        return 0
    most = max(set(apart), key=apart.count)
    return (
        most
        if most < 0 and apart.count(most) >= max(TABLE.shifted_notes, TABLE.shifted_share * len(apart))
        else 0
    )
