"""What the simulated player is to do: the manner, the planned faults, and the truth that comes with a
performance.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from jeweller.synthesis.sampler import Tone


@dataclass(frozen=True, kw_only=True)
class Plan:
    """One fault to play. `at` is the index of a main note; `amount` its size in the unit of the kind; `count`
    how many notes it takes.

    `near` marks a near miss: played, but too small to be a fault.
    """

    kind: str
    at: int
    amount: float = 0.0
    count: int = 1
    cause: str | None = None
    near: bool = False
    way: str = ""  # which of the ways a kind can happen: "long", "pitch", "after", ...


@dataclass(frozen=True, kw_only=True)
class Manner:
    """How steady and how warm the player is."""

    bpm: float  # quarters a minute
    drift: float = 0.015  # standard deviation of the log tempo's slow wander
    jitter_s: float = 0.010  # of single onsets
    tongued_share: float = 0.88  # of a note's time that sounds when it is tongued
    tuning_cents: float = 0.0  # the whole take
    spread_cents: float = 6.0  # single notes
    vibrato_cents: float = 8.0
    lead_s: float = 1.2  # before the first note
    grace_s: float = 0.085  # length of a grace note
    grace_on_beat: bool = False
    trill_s: float = 0.085  # length of one note of a trill
    upper_start: bool = False  # trills begin on the upper note
    click_bpm: float = 0.0  # follows a click exactly, this many quarters a minute
    dynamics: bool = True  # plays what is written


@dataclass(kw_only=True)
class NoteTruth:
    """What became of one main note."""

    index: int
    verdict: str = "ok"  # ok, wrong, missed
    on_s: float | None = None
    off_s: float | None = None
    midi: float | None = None


@dataclass(frozen=True, kw_only=True)
class FaultTruth:
    kind: str
    bar: str
    at_s: float
    until_s: float
    cause: str | None
    notes: tuple[int, ...]
    amount: float = 0.0
    near: bool = False
    way: str = ""


@dataclass(frozen=True, kw_only=True)
class Performance:
    tones: tuple[Tone, ...]
    notes: tuple[NoteTruth, ...]
    faults: tuple[FaultTruth, ...]
    seconds: float
    near: tuple[FaultTruth, ...] = ()


@dataclass(kw_only=True)
class SoundedNote:
    """One note about to be played: seconds to the next onset, the share that sounds, and what is changed."""

    index: int
    ioi: float
    sound: float
    midi: float
    level_db: float = 0.0
    scatter: float = 0.0  # semitones of its pitch that are the player's own scatter
    silent: bool = False
    shift_s: float = 0.0  # its onset alone moved
    # its onset makes a fault of a planned size: the player's own unsteadiness is in that size
    exact: bool = False
    pause_after: float = 0.0
    extra: list[tuple[float, float, float]] = field(default_factory=list)  # (when after onset, length, midi)
    grace: str = "plain"  # plain, none, pitch, long, after
    grace_amount: float = 0.0
    ornament: str = "plain"  # plain, none, thin, short, upper, main, wrong
    crack: tuple[float, float] | None = None  # (pitch, seconds) before the note speaks
    tongued: bool | None = None  # how it is joined to the note before; None as written
    sag: float = 0.0  # cents lost by the end
    wobble: float = 0.0  # cents of irregular waver
    fuzz: float = 0.0  # share of breath noise
