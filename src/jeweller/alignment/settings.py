"""Every number of following, with unit and reason. Costs and rewards are in nats: log odds of how bands play,
chosen on the tuning set.
"""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.setting import number


@dataclass(frozen=True, kw_only=True)
class AlignmentSettings:
    # Candidate boundaries
    flux_min: float = number(
        0.22, "share", (0, 1), "attack strength below which a peak is no candidate by itself"
    )
    flux_gap_s: float = number(0.045, "s", (0, 0.18), "two attacks closer than this are one")
    stroke_gap_s: float = number(0.07, "s", (0, 0.28), "and two strokes without pitch")
    novelty_span: int = number(5, "count", (0, 20), "pitch frames on each side that are compared")
    novelty_min: float = number(0.12, "share", (0, 1), "change of the pitch evidence that makes a candidate")
    fill_s: float = number(0.35, "s", (0, 1.4), "at least one candidate in so many seconds")
    # Evidence
    near_semitones: float = number(
        0.65, "share", (0, 1), "a pitch so near a written one, in the take's own tuning, may be it"
    )
    match_width: float = number(
        0.07, "periodicity", (0, 1), "how far below the best periodicity a pitch may be and still be heard"
    )
    frame_weight: float = number(20.0, "nats per second", (0, 80), "nats per second of clear evidence")
    quiet_db: float = number(34.0, "dB", (0, 136), "below the loud level by this: silence")
    silence_rate: float = number(
        4.0, "nats per second", (0, 16), "nats per second that silence counts against a written note"
    )
    rest_discount: float = number(
        0.15,
        "share",
        (0, 1),
        "how much sound counts against a written rest (room, next entry's breath, speech)",
    )
    held_discount: float = number(
        0.82, "share", (0, 1), "how much the written pitch held on into the rest counts for it"
    )
    trill_share: float = number(
        0.85, "share", (0, 1), "how much the notes of a trill in turn count, against one note held"
    )
    extra_share: float = number(
        0.72, "share", (0, 1), "how much clear evidence speaks for a note that is not written"
    )
    subharmonic_discount: float = number(
        0.8, "share", (0, 1), "evidence of a pitch an octave or twelfth below what the frame itself says"
    )
    # Attacks
    repeat_reward: float = number(
        5.0, "ratio", (0, 20), "an attack where a note is written, where attacks are all there is"
    )
    tongue_weight: float = number(
        1.0, "share", (0, 4), "of the nats for a tongue, where the same pitch is written again"
    )
    change_reward: float = number(
        2.5, "ratio", (0, 10), "an attack or a change of pitch where another note begins"
    )
    attack_pivot: float = number(0.3, "share", (0, 1), "the strength at which an attack counts neither way")
    inside_cost: float = number(1.0, "ratio", (0, 4), "an attack with no note to it")
    rhythm_inside_cost: float = number(
        5.0, "ratio", (0, 20), "an attack with no note to it, where attacks are all there is"
    )
    fresh_cost: float = number(2.5, "ratio", (0, 10), "one out of silence costs so much more")
    rest_inside_share: float = number(
        0.4, "share", (0, 1), "of these costs, in a written rest: speech, breath and keys sound there too"
    )
    # Time
    ioi_spread: float = number(
        0.18, "log ratio", (0, 0.72), "log ratio: spread of one inter-onset interval around the local tempo"
    )
    carried_spreads: tuple[float, ...] = number(
        (0.55, 0.26, 0.22, 0.2),
        "ratio",
        (0, 2.2),
        "the same for a way that has learnt its tempo from 0, 1, 2, 3 or more intervals",
    )
    carried_gains: tuple[float, ...] = number(
        (1.0, 0.5, 0.35, 0.25), "ratio", (0, 4), "how far it then moves its tempo to the next interval"
    )
    carried_step: tuple[float, float] = number(
        (0.9, 0.25), "log ratio", (0, 3.6), "log ratio: no interval moves it further, at first and later"
    )
    ioi_cap: float = number(4.5, "nats", (0, 18), "what beats lost or added cost at most")
    ioi_tail: float = number(
        0.4, "share", (0, 1), "of what a duration would cost beyond that: so far off it is no count at all"
    )
    longest_spq: float = number(
        2.6,
        "s",
        (0, 10.4),
        "seconds per quarter: 23 to the minute; no note is searched longer than it lasts at that speed",
    )
    pace_limits: tuple[float, float] = number(
        (0.6, 1.05),
        "log ratio",
        (0, 4.2),
        "log ratio: nobody plays faster or slower than written by more (1.8 times, 0.35 times)",
    )
    settled: float = number(
        0.06,
        "log ratio",
        (0, 0.24),
        "log ratio: the local tempo moved by less, and the way is not searched again",
    )
    passes: int = number(2, "count", (0, 8), "searches with the tempo known from the one before")
    default_bpm: float = number(
        92.0, "quarters a minute", (0, 368), "quarters a minute where nothing is written"
    )
    # What may go wrong
    wrong_cost: float = number(3.5, "ratio", (0, 14), "another pitch than the written one")
    missed_cost: float = number(4.0, "ratio", (0, 16), "the note's time passes in silence")
    deleted_cost: float = number(6.5, "ratio", (0, 26), "the note is left out, with its time")
    extra_cost: float = number(4.0, "ratio", (0, 16), "a note that is not written")
    junk_cost: float = number(5.5, "ratio", (0, 22), "a stretch that is no music")
    junk_rate: float = number(0.6, "nats per second", (0, 2.4), "nats per second of sound in it")
    pause_cost: float = number(3.5, "ratio", (0, 14), "a stretch of silence that is not written")
    pause_rate: float = number(8.0, "nats per second", (0, 32), "nats per second of sound in it")
    jump_cost: float = number(9.0, "ratio", (0, 36), "going on from a later bar")
    back_cost: float = number(
        6.5, "ratio", (0, 26), "going back to the beginning of this bar or one of the last"
    )
    phrase_notes: int = number(
        6, "notes", (1, 24), "notes after a jump that are compared with those gone on to"
    )
    alike_from: float = number(0.5, "share", (0, 1), "share of them alike from which a jump costs more")
    alike_cost: float = number(
        12.0, "nats", (0, 48), "what a jump costs more where its pitches are those of going on"
    )
    back_bars: int = number(
        3, "count", (0, 12), "how far back that is; from farther it is as dear as going ahead"
    )
    broken_cost: float = number(
        1.0, "ratio", (0, 4), "a note broken off before a jump costs no more than this for its length"
    )
    jump_ahead_s: float = number(
        0.2,
        "s",
        (0, 0.8),
        "so much of what follows a jump must not clearly be another pitch than the one gone to",
    )
    jump_against: float = number(0.3, "share", (0, 1), "share of clear evidence against that pitch")
    jump_bars: int = number(32, "count", (0, 128), "how far a jump may go")
    lead_rate: float = number(
        2.0, "nats per second", (0, 8), "nats per second of sound before the first note or after the last"
    )
    late_start_cost: float = number(7.0, "ratio", (0, 28), "beginning at a later bar")
    early_end_cost: float = number(5.0, "ratio", (0, 20), "ending before the end")
    near_notes: int = number(24, "notes", (0, 96), "how far from the way found before the next search looks")
    beam: float = number(24.0, "nats", (0, 96), "nats behind the best way from which a place is given up")
    window_notes: int = number(400, "notes", (0, 1600), "notes around the current place that are searched")
    # Not followed at all
    shift_probe_s: float = number(
        25.0, "s", (0, 100), "how much of the take decides whether it is transposed"
    )
    shift_most: int = number(14, "semitones", (0, 56), "a take further away is not thought of as transposed")
    shift_tries: int = number(
        4, "count", (0, 16), "shifts that are tried, chosen by the time spent on each pitch"
    )
    shift_higher: float = number(
        0.85, "share", (0, 1), "of the best score, for a shift an octave or twelfth higher to be taken"
    )
    shift_gain: float = number(25.0, "nats", (0, 100), "nats by which a shifted line must fit better")
    clef_gain: float = number(
        8.0,
        "nats",
        (0, 32),
        "nats by which a reading in another clef must fit better than a shift: only a few notes differ",
    )
    shifted_min: float = number(
        0.7,
        "share",
        (0, 1),
        "a transposed take must fit this well: the chance of some shift fitting is greater",
    )
    in_time: float = number(
        0.3, "log ratio", (0, 1.2), "log ratio: an interval within this of the local tempo is in time"
    )
    followed_min: float = number(
        0.6,
        "share",
        (0, 1),
        "share of the notes reached that must have sounded as written, times the share of those in time",
    )


DEFAULT = AlignmentSettings()


@dataclass(frozen=True, kw_only=True)
class AlignSettings:
    """`alignment.align`."""

    squeezed: float = number(
        0.3, "share", (0, 1), "of the time a note is written for: what is heard of it there is not all of it,"
    )
    begins_s: float = number(0.12, "s", (0, 0.48), "if it sounds before: seconds looked at, periodicity")
    begins_clear: float = number(
        0.8, "periodicity", (0, 1), "if it sounds before: seconds looked at, periodicity"
    )
    past_fine_notes: int = number(3, "notes", (1, 12), "as written behind the Fine: the take goes on past it")
    past_fine_gain: float = number(6.0, "nats", (0, 48), "by which going on must fit better")
    own_share: float = number(
        0.75, "share", (0, 1), "of what sounds before the beginning or behind the end is as written, in a try"
    )
    silent_share: float = number(0.2, "share", (0, 1), "of a stretch in which less sounds is silence")
    settled_tail_s: float = number(
        8.0,
        "s",
        (4, 60),
        "that must have followed where two searches agree, for a way not to be searched again",
    )
    moved_s: float = number(0.05, "s", (0, 0.2), "by which a boundary may move as more of a take is heard")
    excursion_notes: int = number(
        4, "notes", (0, 16), "played elsewhere, and on from the very place that was left: not this player"
    )
    whole: float = number(0.8, "share", (0, 1), "of the line: who came so far made a complete attempt")


ALIGN = AlignSettings()


@dataclass(frozen=True, kw_only=True)
class CandidatesSettings:
    """`alignment.candidates`."""

    fresh_s: float = number(
        0.1, "s", (0, 0.4), "an attack is out of silence if there is silence so shortly before"
    )
    fresh_below_db: float = number(24.0, "dB", (0, 96), "below the loud level: silence")
    fresh_rise_db: float = number(14.0, "dB", (0, 56), "so much louder soon after")
    fresh_attack: float = number(
        0.6, "share", (0, 1), "strength of an attack that begins after silence, at least"
    )
    sound_reach_s: float = number(0.12, "s", (0, 0.48), "after an attack there is sound within so long")


CANDIDATES = CandidatesSettings()


@dataclass(frozen=True, kw_only=True)
class DecoderSettings:
    """`alignment.decoder`."""

    slack: float = number(
        8.0,
        "ratio",
        (0, 32),
        (
            "nats that a segment may be worth above the evidence for its likeliest pitch, the attack at "
            "its beginning included"
        ),
    )


DECODER = DecoderSettings()


@dataclass(frozen=True, kw_only=True)
class ReadingsSettings:
    """`alignment.readings`."""

    registers: tuple[int, ...] = number(
        (12, 19), "semitones", (1, 36), "by which a register that is lost is low"
    )
    trill_reach: int = number(2, "semitones", (0, 8), "semitones above a note to which its trill may go")


READINGS = ReadingsSettings()


@dataclass(frozen=True, kw_only=True)
class SegmentsSettings:
    """`alignment.segments`."""

    shortest_s: float = number(0.02, "s", (0.001, 0.08), "no note is expected to be shorter")
    free_share: float = number(
        0.4, "share", (0, 1), "of a longer time counts where a note may be held as long as liked"
    )
    longest_note_s: float = number(60.0, "s", (0, 240), "no segment is longer")
    longest_extra_s: float = number(2.5, "s", (0, 10), "nor a note that is not written")
    plain: float = number(0.98, "share", (0, 1), "a note's own share of its time from which no rest follows")
    clear: float = number(0.9, "periodicity", (0, 1), "periodicity of frames that tell the tuning")


SEGMENTS = SegmentsSettings()


@dataclass(frozen=True, kw_only=True)
class TempoSettings:
    """`alignment.tempo`."""

    step_beside: int = number(4, "intervals", (0, 16), "intervals on each side that say what is usual there")
    step_steady: float = number(
        0.15, "log ratio", (0, 0.6), "log ratio: how far half of them may be from that"
    )
    step_quarters: float = number(
        0.6,
        "quarters",
        (0, 2.4),
        "out by so much, and by such a log ratio, an interval is a step in the count",
    )
    step_share: float = number(
        0.15, "share", (0, 1), "out by so much, and by such a log ratio, an interval is a step in the count"
    )


TEMPO = TempoSettings()


@dataclass(frozen=True, kw_only=True)
class TonguesSettings:
    """`alignment.tongues`."""

    dip_before_s: float = number(0.1, "s", (0, 0.4), "before an attack its dip is looked for")
    dip_after_s: float = number(0.03, "s", (0, 0.12), "and after it")
    before_s: float = number(0.25, "s", (0, 1), "before it the loudness of the note before is looked for")
    apart_s: float = number(0.02, "s", (0, 0.08), "up to so shortly before it")
    after_s: float = number(0.15, "s", (0, 0.6), "after it that of the note itself")
    near_s: float = number(0.03, "s", (0, 0.12), "on both sides the growth of the spectrum")
    growth: tuple[float, float] = number(
        (0.05, 3.0), "share", (0, 12), "growth of the spectrum counts between these"
    )
    dip_most_db: float = number(30.0, "dB", (0, 120), "no dip counts for more")
    rise_most_db: float = number(40.0, "dB", (0, 160), "nor a rise")
    lost_least: float = number(0.003, "periodicity", (0, 1), "a lower loss of periodicity is none")
    one_s: float = number(0.09, "s", (0, 0.36), "attacks closer than this have one tongue between them")
    beside: float = number(1.5, "nats", (0, 8), "against a beginning where a stronger one is so near")
    most: float = number(4.0, "nats", (0, 16), "no tongue counts for more")
    least: float = number(1.5, "nats", (0, 16), "nor the lack of one: a room fills the dips")


TONGUES = TonguesSettings()


@dataclass(frozen=True, kw_only=True)
class PosteriorSettings:
    """`alignment.posterior`."""

    temper: float = number(1.0, "ratio", (0.1, 8), "nats of the search that are worth one of real odds")
    places: int = number(3, "notes", (1, 12), "places on each side of the way found that are weighed")
    around_s: float = number(3.0, "s", (0, 12), "before its beginning and behind its end as well")
    least_reach_s: float = number(0.6, "s", (0, 2.4), "segments at least so long are weighed")
    longest: float = number(
        2.2, "ratio", (1, 8), "and those up to so many times what a note is expected to last"
    )
    same_s: float = number(0.05, "s", (0, 0.2), "two beginnings so near are one")


POSTERIOR = PosteriorSettings()
