"""Numbers of each judge that are no teacher's choice, with unit, bounds and reason."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.setting import number


@dataclass(frozen=True, kw_only=True)
class ArticulationLimits:
    """`assessment.articulation`."""

    deepest_share: float = number(
        75.0, "percent", (50, 100), "of the joins of a take dip less than its deeper ones"
    )
    slurred_dip_db: float = number(
        4.2, "dB", (0, 16), "where all is slurred even those dip less (3.4 at most of 18)"
    )
    slurred_dip_error_db: float = number(
        0.5, "dB", (0.05, 4), "and where all is tongued more (5.1 at least of 58)"
    )
    slurred_drop_db: float = number(5.0, "dB", (0, 20), "the middle join sinks by less where all is slurred")
    slurred_drop_error_db: float = number(2.0, "dB", (0.1, 8), "how much that scatters")
    slurred_gap_s: float = number(0.02, "s", (0, 0.2), "no longer gap lies between slurred notes")
    slurred_least_odds: float = number(-1.4, "log odds", (-8, 8), "from where all slurred is thought of")
    least_joins: int = number(4, "count", (0, 16), "a habit is told from so many")
    habit_share: float = number(0.6, "share", (0, 1), "of the joins must be so, to be a habit")
    breaths_share: float = number(
        0.5,
        "share",
        (0, 1),
        "of the notes; of the time to the next note that a plain gap takes; that a note sounds at least",
    )
    plain_gap: float = number(
        0.28,
        "notes",
        (0, 1.12),
        "of the notes; of the time to the next note that a plain gap takes; that a note sounds at least",
    )
    much_left: float = number(
        0.75,
        "notes",
        (0, 3),
        "of the notes; of the time to the next note that a plain gap takes; that a note sounds at least",
    )
    slow_ioi_s: float = number(
        1.1, "s", (0, 4.4), "slower notes leave room for either; times the setting: a breath that is a habit"
    )
    breath_for: float = number(
        1.4,
        "ratio",
        (0, 5.6),
        "slower notes leave room for either; times the setting: a breath that is a habit",
    )
    silent_db: float = number(6.0, "dB", (0, 24), "so much softer it gets where one breathes, in a room too")
    dry_tail_s: float = number(
        0.03, "s", (0, 0.12), "before rests, notes sound no longer than written by more than this"
    )
    tongue_db: float = number(
        9.5,
        "dB",
        (0, 38),
        "the setting that the regression stands for; log odds for each factor e by which it is raised",
    )
    tongue_depth: float = number(
        7.7,
        "log odds",
        (0, 30.8),
        "the setting that the regression stands for; log odds for each factor e by which it is raised",
    )
    run_on_least: float = number(0.3, "share", (0, 1), "less likely, nothing is said of notes run together")
    run_on_db: float = number(
        0.8,
        "dB",
        (0, 3.2),
        "the setting that the regression stands for; log odds for each factor e by which it is raised",
    )
    run_on_tilt: float = number(
        3.1,
        "log odds",
        (0, 12.4),
        "the setting that the regression stands for; log odds for each factor e by which it is raised",
    )
    plain_ioi_s: float = number(0.3, "s", (0, 1.2), "shorter notes leave no room to hear how they were begun")


ARTICULATION_LIMITS = ArticulationLimits()


@dataclass(frozen=True, kw_only=True)
class AssessLimits:
    """`assessment.assess`."""

    same_slip: int = number(
        2,
        "count",
        (0, 8),
        (
            "so often the same wrong note, and in so many of its soundings, speaks for a fingering that "
            "is not known"
        ),
    )
    always: float = number(
        0.75,
        "share",
        (0, 1),
        (
            "so often the same wrong note, and in so many of its soundings, speaks for a fingering that "
            "is not known"
        ),
    )
    octave_habit: int = number(
        4, "count", (0, 16), "so many slips to the same octave are one habit, fewer are single slips"
    )
    crack_room_s: float = number(0.08, "s", (0, 0.32), "how exactly the time of a short sound is known")
    longest_crack_s: float = number(0.24, "s", (0, 0.96), "a longer sound is a note of its own")
    least_said: float = number(
        0.2, "share", (0, 1), 'raw confidence below which nothing is said, not even "listen here"'
    )


ASSESS_LIMITS = AssessLimits()


@dataclass(frozen=True, kw_only=True)
class ClickLimits:
    """`assessment.click`."""

    least_notes: int = number(8, "notes", (0, 32), "fewer notes tell no lag")
    together: float = number(0.85, "share", (0, 1), "length of the mean phase: the lag is constant")


CLICK_LIMITS = ClickLimits()


@dataclass(frozen=True, kw_only=True)
class CountingLimits:
    """`assessment.counting`."""

    road: float = number(0.9, "confidence", (0, 1), "of a road through the part that was not taken")
    road_severity: float = number(0.7, "share", (0, 1), "of playing on past the Fine")
    tie_least: float = number(0.2, "confidence", (0, 1), "from where a tie struck again is thought of")
    tie_severity: float = number(0.4, "share", (0, 1), "of a tie struck again")
    tie_nats: float = number(
        2.5, "nats", (0, 10), "for a tongue at a tie, from where it is said: few tied notes are struck again"
    )
    stopped_beats: float = number(
        2.5, "beats", (0, 10), "a rest too long by more than this, and by a share of it, was no rest: a stop"
    )
    stopped_share: float = number(1.2, "share", (0, 5), "the share of it")
    held_share: float = number(
        0.6,
        "share",
        (0, 1),
        "of the excess of a note and its rest: if the note itself was held by so much, it was miscounted",
    )
    compensated: float = number(
        0.55,
        "share",
        (0, 1),
        "an interval made good by the next one to this share is a note out of place, no step",
    )
    shortest_figure: int = number(
        3, "intervals", (0, 12), "intervals of a squeezed figure before the one that makes it good"
    )
    longest_figure: int = number(
        11, "intervals", (0, 44), "intervals of a squeezed figure before the one that makes it good"
    )
    whole_beats: float = number(
        0.15, "beats", (0, 0.6), "beats: so near a whole number, a pause is a miscount"
    )
    moves_beats: float = number(
        1.5, "beats", (0, 6), "from here a tempo that moves, or has moved just before, may look like a step"
    )
    own_tempo: float = number(
        0.5,
        "share",
        (0, 1),
        'of the threshold must be there by the take\'s own tempo too, else it is only "listen here"',
    )
    listen: float = number(
        0.45,
        "share",
        (0, 1),
        'of the threshold must be there by the take\'s own tempo too, else it is only "listen here"',
    )
    held_on: float = number(0.4, "share", (0, 1), "of the excess: the note itself went on for so much of it")


COUNTING_LIMITS = CountingLimits()


@dataclass(frozen=True, kw_only=True)
class NoteStartsLimits:
    """`assessment.note_starts`."""

    longest_crack_s: float = number(0.24, "s", (0, 1), "longer is a note of its own, if it is near")
    wavers: float = number(
        0.7, "semitones", (0, 2.8), "nearer to its note, and to how far that wavers, a sound is that note"
    )
    near_steps: float = number(8.5, "semitones", (0, 34), "what fingers may let slip in between")
    whole: float = number(0.8, "share", (0, 1), "of the note: what sounds so long is the note")
    near_last: float = number(5.0, "semitones", (0, 20), "semitones to the note before: fingers on their way")
    in_time_s: float = number(
        0.035, "s", (0, 0.14), "the note came in time, and the sound before it did not, if by so much"
    )
    held_s: float = number(0.045, "s", (0, 0.18), "from here a tone in the start of a note is a crack")
    usual_gain: float = number(0.8, "share", (0, 1), "what it usually explains")
    least_gain: float = number(
        0.2, "log odds", (0, 0.8), "log odds lost by what the pitch line hears and the spectrum does not need"
    )
    unseen: float = number(
        0.8, "log odds", (0, 3.2), "log odds lost by what the pitch line hears and the spectrum does not need"
    )
    graced: float = number(
        1.5, "log odds", (0, 6), "log odds lost where a grace note is written: one that slipped looks alike"
    )
    alike_gain: float = number(
        0.5,
        "share",
        (0, 1),
        "another note begins alike if what is heard there explains so much of what this one does",
    )


NOTE_STARTS_LIMITS = NoteStartsLimits()


@dataclass(frozen=True, kw_only=True)
class OrnamentsLimits:
    """`assessment.ornaments`."""

    min_turns: int = number(3, "count", (0, 12), "alternations of a trill")
    turns_unheard: int = number(
        3, "count", (0, 12), "more beginnings inside a trill than turns: some of its turns were not heard"
    )
    turns_a_second: float = number(
        5.0,
        "turns per second",
        (0, 20),
        "of the slowest trill: beginnings farther apart are none of its turns",
    )
    plain_trill_s: float = number(
        0.6, "s", (0, 2.4), "in a shorter note few turns may be all there is room for"
    )
    min_trill_share: float = number(0.5, "share", (0, 1), "of the note")
    goes_on: float = number(0.6, "share", (0, 1), "of the note: where the last of too few turns was heard")
    at_once: float = number(0.05, "share", (0, 1), "of the note: where the last of too few turns was heard")
    share_error: float = number(0.03, "share", (0, 1), "how exactly its last turn is placed")
    grace_longest_s: float = number(0.18, "s", (0, 0.72), "a grace note is no longer,")
    after_s: float = number(
        0.07,
        "s",
        (0, 0.28),
        "one that begins so long after its main note slipped behind it; those in their place begin before it",
    )
    grace_beat_share: float = number(0.33, "share", (0, 1), "or no longer than so much of a beat")


ORNAMENTS_LIMITS = OrnamentsLimits()


@dataclass(frozen=True, kw_only=True)
class PitchesLimits:
    """`assessment.pitches`."""

    blurred_apart: float = number(
        0.7, "semitones", (0, 2.8), "a note heard so far aside, and clearly behind, was blurred at first"
    )
    octave_odds: float = number(
        1.0, "nats", (0, 4), "taken off what the regression says of an octave above: few notes are one"
    )
    octave_asked: float = number(-1.5, "nats", (-8, 4), "log odds from which an octave above is said at all")
    evenness_error: float = number(0.02, "share", (0, 1), "spread of the periodicity at half the period")
    fullest: float = number(
        0.995, "periodicity", (0, 1), "at half the period: from here the neighbours' partials are asked too"
    )
    neighbours: int = number(
        16, "notes", (0, 64), "notes of about the same height whose partials say what is usual"
    )
    usual_slope: float = number(4.0, "dB per dB", (1, 16), "so many dB more raise it by one")
    usual_most_db: float = number(4.0, "dB", (0, 16), "and by no more than this")
    usual_db: float = number(
        25.0, "dB", (0, 100), "partials that usually stand out by more than this raise the limit"
    )
    tendency_cents: float = number(18.0, "cents", (0, 72), "so near its other soundings: a tendency, no slip")
    plainly_low_share: float = number(
        0.6, "share", (0, 1), "of the clearness that the written pitch may have where the low one sounded"
    )
    plainly_low_odds: float = number(
        -2.0, "nats", (-12, 0), "for the octave above what was heard: below, the low note itself sounded"
    )
    plainly_low: float = number(0.9, "confidence", (0, 1), "of a note that plainly came an octave low")
    beside_music: float = number(
        0.4, "confidence", (0, 1), "no sound before the first or after the last written note is said surer"
    )
    near_the_bar: float = number(0.2, "beats", (0, 0.5), "before a bar begins, a sound belongs to it")
    min_extra_s: float = number(0.07, "s", (0, 0.28), "a note that is not written lasts at least this long")
    attack: float = number(0.3, "share", (0, 1), "strength of an attack that is a stroke")
    slide_cents: float = number(
        18.0, "cents", (0, 72), "so far from the nearest semitone, a wrong pitch is one of the slide"
    )
    sounds_on: float = number(
        0.4,
        "share",
        (0, 1),
        "of the time of a note not begun: the same pitch before it sounds on; how sure it then was left out",
    )
    joined: float = number(
        0.35,
        "share",
        (0, 1),
        "of the time of a note not begun: the same pitch before it sounds on; how sure it then was left out",
    )
    alike_db: float = number(
        5.0,
        "dB",
        (0, 20),
        (
            "The partials of 38 planted slips stood out by 6 dB less than those of the right notes of "
            "their pitch, the least tenth; of 5 of 8 false ones by less than 4 dB."
        ),
    )
    alike_share: float = number(
        10.0,
        "share",
        (0, 40),
        (
            "The partials of 38 planted slips stood out by 6 dB less than those of the right notes of "
            "their pitch, the least tenth; of 5 of 8 false ones by less than 4 dB."
        ),
    )
    listen: float = number(0.45, "share", (0, 1), 'so sure at most: "listen here"')
    partials_error_db: float = number(
        0.8, "dB", (0, 3.2), "how exactly it is known how far a partial stands out"
    )
    unasked_db: float = number(
        99.0, "dB", (0, 396), "as if all partials were there: no octave is in question"
    )
    short_s: float = number(0.1, "s", (0, 0.4), "a shorter note shows too little of its partials")


PITCHES_LIMITS = PitchesLimits()


@dataclass(frozen=True, kw_only=True)
class SoundLimits:
    """`assessment.sound`."""

    least_steps: int = number(2, "count", (0, 8), "a change of fewer steps may be too small to hear")
    least_clear: int = number(6, "notes", (0, 24), "notes from which the player's usual clearness is known")
    ordinary: float = number(
        2.0,
        "ratio",
        (0, 16),
        "times the third largest excess of the take is what its room and its player do by themselves",
    )
    listen: float = number(0.45, "share", (0, 1), "of the confidence: however plain, it is not said as sure")
    unheard_share: float = number(
        0.01, "share", (0.001, 0.1), "beside the tone, 20 dB below it: less is not heard"
    )
    fuzzy_error_db: float = number(
        1.0, "dB", (0.1, 6), "how exactly it is known what is beside a note's tone"
    )
    above_room_db: float = number(12.0, "dB", (0, 40), "louder than the room alone: it comes with the tones")
    breath_error_db: float = number(1.5, "dB", (0.1, 6), "how exactly it is known")
    change_notes: int = number(3, "notes", (0, 12), "notes on each side of a change that are compared")
    single_change: float = number(
        0.45,
        "share",
        (0, 1),
        (
            "of the confidence: the notes of an instrument differ in loudness by themselves, one change "
            "alone is only worth listening to"
        ),
    )
    flat_share: float = number(0.6, "share", (0, 1), "of the written changes")


SOUND_LIMITS = SoundLimits()


@dataclass(frozen=True, kw_only=True)
class StrokesLimits:
    """`assessment.strokes`."""

    least_strokes: int = number(4, "count", (0, 16), "of a line, to know how it sounds")
    apart: float = number(
        0.85,
        "share",
        (0, 1),
        (
            "of all strokes must be nearer to their own line's sound than to another's, each left out "
            "of it: else nothing is told by sound"
        ),
    )
    spread_floor: float = number(0.3, "log energy", (0, 1.2), "log energy: no two strokes are more alike")


STROKES_LIMITS = StrokesLimits()


@dataclass(frozen=True, kw_only=True)
class TimingLimits:
    """`assessment.timing`."""

    even_ratio: float = number(1.5, "ratio", (1, 2), "of a dotted pair below which it is called even")
    double_dotted: float = number(
        7.0, "ratio", (3, 15), "to 1: how a double-dotted pair divides its beat, where that is asked for"
    )
    squeezed_share: float = number(
        0.75, "share", (0, 1), "of the notes of a squeezed figure must be shorter than they are written"
    )
    neighbour_beats: float = number(
        4.0, "beats", (0, 16), "the local beat is fitted over so many beats on each side"
    )
    grace_room_s: float = number(0.12, "s", (0, 0.48), "what a grace note may move its main note by")
    pair_spread_floor: float = number(
        0.1,
        "log ratio",
        (0, 0.4),
        "log ratio: nobody's pairs are steadier than this after our listening error",
    )
    shared_onset: float = number(
        1.3,
        "ratio",
        (0, 5.2),
        (
            "times the spread of one interval: the spread of the ratio of two neighbours (root of 3, "
            "less what the beat's own drift adds)"
        ),
    )
    hardly: float = number(
        0.2, "share", (0, 1), "a figure less sure than this keeps no single note from being late"
    )
    softly: float = number(
        0.45,
        "share",
        (0, 1),
        (
            "strength of an attack from which it is known where a note begins: of 34 notes called early "
            "or late rightly one began softer, of 13 wrongly 7"
        ),
    )
    unclear: float = number(
        0.4, "share", (0, 1), "how sure a note with no clear beginning is said to be early or late, at most"
    )
    made_good: float = number(
        0.35,
        "share",
        (0, 1),
        (
            "of a single note's deviation: the next interval makes good so much of it, else all that "
            "follows moved along"
        ),
    )
    sure_single: float = number(
        1.05, "ratio", (0, 4.2), "deviations beyond the threshold at which a single note is said"
    )
    in_figure: float = number(0.4, "share", (0, 1), "of a beat")
    clearly: float = number(
        0.25, "share", (0, 1), "of the squared error: what explains so much better is preferred"
    )
    figure_notes: int = number(12, "notes", (0, 48), "no figure is longer")
    still_the_beat: float = number(
        0.3, "log ratio", (0, 1.2), "a dotted pair longer or shorter than its beat by more is no lost dot"
    )
    back_on_the_beat: float = number(
        0.12,
        "log ratio",
        (0, 0.48),
        "log ratio: a squeezed or overdone figure takes its written time within this",
    )


TIMING_LIMITS = TimingLimits()
