"""The shape of a report: what those who write it and those who read it agree on. The same as the JSON Schema
in `report/schema.json`; a test compares the two.

Times are seconds in the recording, lengths quarters or beats of the metre as their names say, pitches MIDI
notes, levels dB.
"""

from __future__ import annotations

from typing import Any, NotRequired, TypedDict


class RestsOn(TypedDict):
    setting: str
    measured: float
    threshold: float
    bound: float
    spread: float
    unit: str
    below: bool


class Rival(TypedDict):
    """What else a finding's note may have been, and the share (0..1) of the ways through the part that say
    so.

    `story` is as_written, another_pitch, silent (its time passed without it), left_out (with its time) or
    begins_elsewhere (than where it was heard to begin).
    """

    story: str
    share: float


# What a finding holds besides its place; which of these depends on its kind.
FindingDetail = TypedDict(
    "FindingDetail",
    {
        "after": str,
        "asked": int,
        "bars": int,
        "beats": float,
        "by": str,
        "cents": float,
        "clarity": float,
        "clearness_heard": float,
        "clearness_written": float,
        "clef": str,
        "click_bpm": float,
        "count": int,
        "db": float,
        "dip_db": float,
        "dots": str,  # double: what was asked for
        "fingering": str | None,
        "fingers_heard": str,  # how the note that was heard is usually fingered,
        "fingers_written": str,  # and the one that is written
        "hands": str,
        "first": str,
        "from": str,
        "from_bpm": int,
        "heard": str,
        "heard_beats": float,
        "heard_letter": str,
        "how": str,
        "lasts_s": float,
        "letter": str,
        "long_first": bool,
        "milliseconds": int,
        "move": str,
        "notes": int,
        "of": int,
        "over_beats": float,
        "percent": int,
        "position": int,
        "quarters": float,
        "played": int,
        "ratio": float,
        "rest_beats": float,
        "rests_on": RestsOn,
        "rivals": list[Rival],
        "scope": str,
        "seconds": float,
        "semitones": int,
        "signature": int,
        "source": str,
        "stroke": bool,
        "to": str,
        "to_bpm": int,
        "turns": int,
        "usual": float,
        "written": str,
        "written_beats": float,
        "slide": str,
    },
    total=False,
)
ReportFinding = TypedDict(
    "ReportFinding",
    {
        "key": str,
        "kind": str,
        "facet": str,
        "bar": str,
        "pass": int,
        "beat": float,
        "at_s": float,
        "until_s": float,
        "notes": list[str],
        "extras": list[int],
        "confidence": float,
        "severity": float,
        "count": int,
        "places": list[str],
        "detail": FindingDetail,
        "cause": str | None,
        "text": str,
        "advice": str,
    },
)


class HeardNote(TypedDict):
    """What sounded for a note of the part."""

    on_s: float
    off_s: float
    midi: float | None
    cents: float | None
    level_db: float
    attack: str | None


class NoteTiming(TypedDict):
    """When a note was due, and by how much it was not."""

    expected_s: float
    deviation_s: float
    deviation_beats: float
    length_ratio: float


ReportNote = TypedDict(
    "ReportNote",
    {
        "id": str,
        "score_id": str,
        "bar": str,
        "pass": int,
        "offset_q": float,
        "duration_q": float,
        "written": str,
        "written_midi": int,
        "sounding_midi": int | None,
        "grace": bool,
        "ornament": str | None,
        "slurred_to_next": bool,
        "verdict": str,
        "heard": HeardNote | None,
        "timing": NoteTiming | None,
        "unsure": NotRequired[bool],
    },
)


class ReportProgram(TypedDict):
    name: str
    version: str
    ear_version: str


class ReportScore(TypedDict):
    title: str
    part: str
    instrument: str
    transpose_semitones: int
    sha256: str
    bars: list[str]
    key: str
    metre: str
    beat_unit_q: float
    written_bpm: float | None


class ReportTake(TypedDict):
    file: str
    sha256: str
    duration_s: float
    sample_rate_hz: int
    first_note_s: float | None
    last_note_s: float | None
    helped: bool
    warnings: list[str]


class ReportAttempt(TypedDict):
    """One of several complete attempts in a take."""

    first_note_s: float
    last_note_s: float
    judged: bool
    findings: int
    notes_right: int
    notes: int


class ReportTempo(TypedDict):
    played_bpm: float | None
    steadiness_cv: float | None
    curve: list[list[float]]


class NoteTuning(TypedDict):
    written: str
    sounding_midi: int
    cents_median: float
    cents_iqr: float
    count: int


class ReportTuning(TypedDict):
    offset_cents: float | None
    by_note: list[NoteTuning]


class ReportSound(TypedDict, total=False):
    """Loudness and tone of the whole take; of reports of earlier versions not all of it."""

    level_db: float | None
    spread_db: float | None
    clearness: float | None
    waver_cents: float | None
    sink_cents: float | None
    long_notes: int


class ExtraSound(TypedDict):
    """A note that was played and is not written."""

    on_s: float
    off_s: float
    midi: float
    level_db: float | None
    after_note: str | None


class HeardPart(TypedDict):
    """How much of what is judged the take holds: printed bars "1-8" of so many, notes of so many, bars left
    out in between; whether that is all.
    """

    bars: str
    of: int
    notes: int
    notes_of: int
    gaps: list[str]
    whole: bool


class GoodThing(TypedDict):
    what: str
    places: list[str]


class ReportTrap(TypedDict):
    kind: str
    bar: str | None
    what: str
    total: int
    right: int


class FacetMark(TypedDict):
    asked: int
    right: int
    mark: float | None


class MarkPart(TypedDict):
    """What a facet weighs in the mark, and what was taken off for the worst finding of it."""

    facet: str
    weight: float
    taken_off: float
    why: str


class ReportMark(TypedDict):
    value: float | None
    out_of: int | None
    band: str | None
    scheme: str
    parts: list[MarkPart]
    not_played: NotRequired[float]  # points for what the take does not hold, where the scheme counts them
    bars: NotRequired[int]


class TakeReport(TypedDict):
    """Everything that is known of one take."""

    schema: str
    program: ReportProgram
    settings: dict[str, Any]  # every setting by its name; what settings there are is no part of the format
    score: ReportScore
    take: ReportTake
    followed: bool
    attempts: NotRequired[list[ReportAttempt]]
    tempo: ReportTempo
    tuning: ReportTuning
    sound: NotRequired[ReportSound]
    heard: NotRequired[HeardPart]  # not in reports of earlier versions
    notes: list[ReportNote]
    extras: list[ExtraSound]
    findings: list[ReportFinding]
    good: list[GoodThing]
    traps: list[ReportTrap]
    facets: dict[str, FacetMark]
    mark: ReportMark
