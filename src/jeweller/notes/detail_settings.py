"""Numbers of what is measured at the edges of notes, and of what is repaired: unit, bounds and reason."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.setting import number


@dataclass(frozen=True, kw_only=True)
class NoteStartsSettings:
    """`notes.note_starts`."""

    before_s: float = number(0.28, "s", (0, 1.12), "around a note's onset, where its start is looked at")
    after_s: float = number(0.28, "s", (0, 1.12), "around a note's onset, where its start is looked at")
    longest_s: float = number(0.27, "s", (0, 1.08), "longer is a note")
    least_s: float = number(0.025, "s", (0, 0.1), "a shorter sound in the beginning of a note is not told")
    clear: float = number(0.86, "periodicity", (0, 1), "periodicity of such a sound")
    below_db: float = number(16.0, "dB", (0, 64), "softer than the note by more is room")
    settle_s: float = number(0.11, "s", (0, 0.44), "the note speaks at most so long after it")
    half_full: float = number(
        0.8,
        "periodicity",
        (0, 1),
        "periodicity at half the period, from which a tone may be heard an octave up anyway",
    )
    ornament_steps: tuple[float, ...] = number(
        (-2.0, -1.0, 1.0, 2.0), "semitones", (-8, 8), "semitones from a note to those its ornament may touch"
    )
    trill_steps: tuple[float, ...] = number((0.0, 1.0, 2.0), "ratio", (0, 8), "and a trill")
    folded: tuple[float, ...] = number(
        (0.0, 12.0, 19.0, 24.0, 28.0), "semitones", (0, 112), "semitones: periods of the same tone"
    )
    squeaks: tuple[float, ...] = number(
        (12.0, 19.0, 7.0, 24.0, 28.0),
        "ratio",
        (0, 112),
        (
            "Semitones to the tones that a crack catches: on reeds and flutes those they overblow to or "
            "squeak on, on brass the neighbouring partials too."
        ),
    )
    caught: tuple[float, ...] = number(
        (12.0, 19.0, 7.0, 5.0, -5.0, 24.0, 4.0, 3.0, -7.0, -12.0),
        "ratio",
        (-48, 96),
        "what a brass note may catch before it speaks",
    )
    from_s: float = number(
        0.09, "s", (0, 0.36), "before and after the onset: the frames whose make-up is looked at"
    )
    until_s: float = number(
        0.16, "s", (0, 0.64), "before and after the onset: the frames whose make-up is looked at"
    )
    speaks_s: float = number(0.12, "s", (0, 0.48), "a start is in doubt if, so soon after the onset,")
    doubtful: int = number(1, "count", (0, 4), "so many frames of the pitch grid are not clearly the note")
    surely_the_note: float = number(
        0.96, "periodicity", (0, 1), "periodicity: a room or another tone makes it less"
    )
    sounding_db: float = number(14.0, "dB", (0, 56), "below the note: what is softer is no start")
    silent_from_s: float = number(
        0.12, "s", (0, 0.48), "before a note out of silence the level was lower by so much"
    )
    silent_to_s: float = number(
        0.02, "s", (0, 0.08), "before a note out of silence the level was lower by so much"
    )
    silent_db: float = number(
        30.0, "dB", (0, 120), "before a note out of silence the level was lower by so much"
    )
    room_s: float = number(1.0, "s", (0, 4), "the room carries a note on for so long at most")
    hardly_heard: float = number(
        1.5, "semitones", (0, 6), "semitones: a note of a few hundredths of a second is heard no more exactly"
    )
    tried: int = number(
        2, "count", (0, 8), "tones that are tried, those most like what nothing else explains"
    )
    like: float = number(0.3, "cosine", (0, 1), "so like a tone must be to what nothing else explains")
    part: float = number(
        0.3,
        "share",
        (0, 1),
        "a frame holds another tone if that makes up so much of it, and explains so much more",
    )
    gain: float = number(
        0.08,
        "share",
        (0, 1),
        "a frame holds another tone if that makes up so much of it, and explains so much more",
    )


NOTE_STARTS = NoteStartsSettings()


@dataclass(frozen=True, kw_only=True)
class OrnamentsSettings:
    """`notes.ornaments`."""

    grace_before_s: float = number(
        0.26, "s", (0, 1.04), "around the main note's onset, where a grace note may sound"
    )
    grace_after_s: float = number(
        0.2, "s", (0, 0.8), "around the main note's onset, where a grace note may sound"
    )
    after_share: float = number(
        0.6, "share", (0, 1), "of the main note: so late it may come when it slips behind it"
    )
    grace_part: float = number(
        0.25,
        "share",
        (0, 1),
        "a frame holds a tone if that makes up so much of it, and explains so much more",
    )
    grace_gain: float = number(
        0.04,
        "share",
        (0, 1),
        "a frame holds a tone if that makes up so much of it, and explains so much more",
    )
    grace_below_db: float = number(16.0, "dB", (0, 64), "softer than the main note by more is room")
    grace_needed: float = number(
        0.5, "share", (0, 1), "sum of what it explains: from here it was there; below, nothing speaks for it"
    )
    grace_none: float = number(
        0.05, "share", (0, 1), "sum of what it explains: from here it was there; below, nothing speaks for it"
    )
    own_attack: float = number(
        0.3, "share", (0, 1), "of the player's usual attack, and at least: an attack of its own"
    )
    least_attack: float = number(
        0.35, "share", (0, 1), "of the player's usual attack, and at least: an attack of its own"
    )
    earlier_s: float = number(
        0.2, "s", (0, 0.8), "before a note, where an earlier attack may be, away from the notes' own"
    )
    attack_room_s: float = number(
        0.08, "s", (0, 0.32), "before a note, where an earlier attack may be, away from the notes' own"
    )
    unexplained: float = number(
        0.3,
        "share",
        (0, 1),
        "something else sounded too in so many frames, more than an attack has: that may have been it",
    )
    unexplained_frames: int = number(
        4,
        "count",
        (0, 16),
        "something else sounded too in so many frames, more than an attack has: that may have been it",
    )
    gone_s: float = number(
        0.04,
        "s",
        (0, 0.16),
        (
            "a grace note on the pitch of the note before sounds so shortly before its main note, by "
            "more than this share of it"
        ),
    )
    gone: float = number(
        0.2,
        "share",
        (0, 1),
        (
            "a grace note on the pitch of the note before sounds so shortly before its main note, by "
            "more than this share of it"
        ),
    )
    slip_gain: float = number(
        0.8,
        "share",
        (0, 1),
        "another pitch explains so much, and so much more than the written one: it slipped",
    )
    slip_ratio: float = number(
        2.0,
        "ratio",
        (0, 8),
        "another pitch explains so much, and so much more than the written one: it slipped",
    )
    figure_s: float = number(0.36, "s", (0, 1.44), "a turn or mordent is over so soon after the note began")
    risen: float = number(
        0.68,
        "share",
        (0, 1),
        (
            "share of a neighbouring note that the room still has: it was touched if it rises by so "
            "much, and was not if by less than this"
        ),
    )
    still: float = number(
        0.3,
        "share",
        (0, 1),
        (
            "share of a neighbouring note that the room still has: it was touched if it rises by so "
            "much, and was not if by less than this"
        ),
    )
    room_s: float = number(1.0, "s", (0, 4), "the room carries a note on for so long at most")
    trill_lean: float = number(
        0.03, "periodicity", (0, 1), "periodicity: one of the two notes is heard before the other by so much"
    )
    trill_dwell_s: float = number(0.03, "s", (0, 0.12), "one note of a trill lasts at least this long")
    turn_attack: float = number(
        0.25, "share", (0, 1), "growth of the spectrum from which something begins inside a trill"
    )
    plain_depth: float = number(
        0.22,
        "share",
        (0, 1),
        "a plain note's evidence sways by less than this between the two notes of a trill",
    )
    last_turn_s: float = number(
        0.16,
        "s",
        (0, 0.64),
        "the last note of an ornament is no longer, unless it goes on without such a gap",
    )
    turn_gap_s: float = number(
        0.04,
        "s",
        (0, 0.16),
        "the last note of an ornament is no longer, unless it goes on without such a gap",
    )
    longest_ornament_s: float = number(
        0.4, "s", (0, 1.6), "a longer sound beside an ornament is a note of its own"
    )


ORNAMENTS = OrnamentsSettings()


@dataclass(frozen=True, kw_only=True)
class RepairSettings:
    """`notes.repair`."""

    blink_s: float = number(
        0.03, "s", (0, 0.12), "shorter, and without a pitch shorter, nothing of a note was heard"
    )
    unpitched_s: float = number(
        0.1, "s", (0, 0.4), "shorter, and without a pitch shorter, nothing of a note was heard"
    )
    faint_clarity: float = number(
        0.3, "share", (0, 1), "no pitch, no attack, and softer than the others by so much: nothing"
    )
    faint_attack: float = number(
        0.3, "share", (0, 1), "no pitch, no attack, and softer than the others by so much: nothing"
    )
    faint_db: float = number(
        12.0, "dB", (0, 48), "no pitch, no attack, and softer than the others by so much: nothing"
    )
    same: float = number(0.6, "semitones", (0, 2.4), "semitones: the same pitch, and another")
    other: float = number(0.7, "semitones", (0, 2.8), "semitones: the same pitch, and another")
    at_most: float = number(
        0.35, "share", (0, 1), "of the time of the bars left out may have passed where they were skipped"
    )
    blur_s: float = number(
        0.5, "s", (0, 2), "two tones in a room have a common period: so far below one of them, for no longer"
    )
    below: tuple[int, ...] = number(
        (12, 19, 24, 28),
        "ratio",
        (0, 112),
        "two tones in a room have a common period: so far below one of them, for no longer",
    )
    neighbour: float = number(
        1.3,
        "semitones",
        (0, 5.2),
        "semitones; of the length of a note, and seconds: so near its time; so much of it sounds",
    )
    soon: float = number(
        0.2,
        "semitones",
        (0, 0.8),
        "semitones; of the length of a note, and seconds: so near its time; so much of it sounds",
    )
    soon_s: float = number(
        0.08,
        "s",
        (0, 0.32),
        "semitones; of the length of a note, and seconds: so near its time; so much of it sounds",
    )
    enough: float = number(
        0.9,
        "semitones",
        (0, 3.6),
        "semitones; of the length of a note, and seconds: so near its time; so much of it sounds",
    )
    near_due: float = number(
        0.4, "share", (0, 1), "of the length of a note: so near its time, a sound is that note"
    )
    last_of_trill: float = number(
        0.3,
        "share",
        (0, 1),
        "a trill that ends after so much of its time began, so soon after, with such an attack",
    )
    next_trill_s: float = number(
        0.6,
        "s",
        (0, 2.4),
        "a trill that ends after so much of its time began, so soon after, with such an attack",
    )
    trill_attack: float = number(
        0.5,
        "share",
        (0, 1),
        "a trill that ends after so much of its time began, so soon after, with such an attack",
    )
    figure_gap_s: float = number(
        0.1, "s", (0, 0.4), "a turn or mordent began where, after so long a gap, there is such an attack"
    )
    figure_attack: float = number(
        0.3, "share", (0, 1), "a turn or mordent began where, after so long a gap, there is such an attack"
    )


REPAIR = RepairSettings()


@dataclass(frozen=True, kw_only=True)
class RestartsSettings:
    """`notes.restarts`."""

    false_start_notes: int = number(
        4, "notes", (0, 16), "a beginning broken off within so many notes is a false start"
    )
    spoken: float = number(
        0.9,
        "periodicity",
        (0, 1),
        "periodicity of most of its sounds at the written pitches, below which a first try was none",
    )
    blink_s: float = number(0.08, "s", (0, 0.32), "a sound that holds its pitch for less is hardly a note")
    surely_a_note: float = number(
        -3.0, "log odds", (-12, 12), "log odds of being no note, below which one note alone may be a restart"
    )
    unclear: float = number(
        0.7,
        "periodicity",
        (0, 1),
        (
            "periodicity below which, if it is softer by so much too, another pitch before the music is "
            "no first note"
        ),
    )
    unclear_db: float = number(
        6.0,
        "dB",
        (0, 24),
        (
            "periodicity below which, if it is softer by so much too, another pitch before the music is "
            "no first note"
        ),
    )
    pause_s: float = number(0.2, "s", (0, 0.8), "a taken-again note comes after at least such a silence")


RESTARTS = RestartsSettings()


@dataclass(frozen=True, kw_only=True)
class TransitionsSettings:
    """`notes.transitions`."""

    before_s: float = number(
        0.15, "s", (0, 0.6), "where the first note is measured, the join, and the second note"
    )
    near_s: float = number(
        0.08, "s", (0, 0.32), "where the first note is measured, the join, and the second note"
    )
    after_s: float = number(
        0.12, "s", (0, 0.48), "where the first note is measured, the join, and the second note"
    )
    course_step_s: float = number(
        0.005,
        "s",
        (0, 0.02),
        (
            "The course of a join: partials of the one note that the other does not share, in windows "
            "just long enough to keep the two apart. steps on each side; between which steps the notes "
            "before and after are steady"
        ),
    )
    course_reach: int = number(
        32,
        "count",
        (0, 128),
        (
            "The course of a join: partials of the one note that the other does not share, in windows "
            "just long enough to keep the two apart. steps on each side; between which steps the notes "
            "before and after are steady"
        ),
    )
    steady: tuple[int, ...] = number(
        (4, 16, 44, 60),
        "ratio",
        (0, 240),
        (
            "The course of a join: partials of the one note that the other does not share, in windows "
            "just long enough to keep the two apart. steps on each side; between which steps the notes "
            "before and after are steady"
        ),
    )
    window_s: tuple[float, float] = number(
        (0.02, 0.05),
        "s",
        (0, 0.2),
        "shortest and longest window; periods of the difference of the two pitches",
    )
    window_periods: float = number(
        2.5, "ratio", (0, 10), "shortest and longest window; periods of the difference of the two pitches"
    )
    partials: int = number(
        12,
        "count",
        (0, 48),
        "how many, up to where; a partial within so many window bandwidths of the other note's is shared",
    )
    highest_hz: float = number(
        4000.0,
        "Hz",
        (0, 16000),
        "how many, up to where; a partial within so many window bandwidths of the other note's is shared",
    )
    band: float = number(
        1.6,
        "ratio",
        (0, 6.4),
        "how many, up to where; a partial within so many window bandwidths of the other note's is shared",
    )
    seen: tuple[int, ...] = number(
        (-12, -9, -6, -3, 0, 3, 6), "steps", (-48, 48), "steps from the crossing at which both are told"
    )
    course_db: tuple[float, float] = number(
        (-20.0, 3.0), "dB", (-80, 80), "how far the course of a join may go down and up"
    )
    flat_db: float = number(2.0, "dB", (0, 8), "a slur whose dip is shallower is not listened to again")
    deep_db: float = number(
        6.0,
        "dB",
        (0, 24),
        (
            "where the dip is so much deeper than the setting's, no more is asked of notes that each "
            "have a tongue"
        ),
    )


TRANSITIONS = TransitionsSettings()
