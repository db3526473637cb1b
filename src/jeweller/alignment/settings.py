"""Every number of following, with unit and reason. Costs and rewards are in nats: log odds of how bands play,
chosen on the tuning set.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class AlignmentSettings:
    # Candidate boundaries
    flux_min: float = 0.22  # attack strength below which a peak is no candidate by itself
    flux_gap_s: float = 0.045  # two attacks closer than this are one
    stroke_gap_s: float = 0.07  # and two strokes without pitch
    novelty_span: int = 5  # pitch frames on each side that are compared
    novelty_min: float = 0.12  # change of the pitch evidence that makes a candidate
    fill_s: float = 0.35  # at least one candidate in so many seconds
    # Evidence
    near_semitones: float = 0.65  # a pitch so near a written one, in the take's own tuning, may be it
    match_width: float = 0.07  # how far below the best periodicity a pitch may be and still be heard
    frame_weight: float = 20.0  # nats per second of clear evidence
    quiet_db: float = 34.0  # below the loud level by this: silence
    silence_rate: float = 4.0  # nats per second that silence counts against a written note
    # how much sound counts against a written rest (room, next entry's breath, speech)
    rest_discount: float = 0.15
    held_discount: float = 0.82  # how much the written pitch held on into the rest counts for it
    trill_share: float = 0.85  # how much the notes of a trill in turn count, against one note held
    extra_share: float = 0.72  # how much clear evidence speaks for a note that is not written
    # evidence of a pitch an octave or twelfth below what the frame itself says
    subharmonic_discount: float = 0.8
    # Attacks
    repeat_reward: float = 5.0  # an attack where the same pitch is written again
    change_reward: float = 2.5  # an attack or a change of pitch where another note begins
    attack_pivot: float = 0.3  # the strength at which an attack counts neither way
    inside_cost: float = 1.0  # an attack with no note to it
    rhythm_inside_cost: float = 5.0  # an attack with no note to it, where attacks are all there is
    fresh_cost: float = 2.5  # one out of silence costs so much more
    # of these costs, in a written rest: speech, breath and keys sound there too
    rest_inside_share: float = 0.4
    # Time
    ioi_spread: float = 0.18  # log ratio: spread of one inter-onset interval around the local tempo
    # the same for a way that has learnt its tempo from 0, 1, 2, 3 or more intervals
    carried_spreads: tuple[float, ...] = (0.55, 0.26, 0.22, 0.20)
    # how far it then moves its tempo to the next interval
    carried_gains: tuple[float, ...] = (1.0, 0.5, 0.35, 0.25)
    # log ratio: no interval moves it further, at first and later
    carried_step: tuple[float, float] = (0.9, 0.25)
    ioi_cap: float = 4.5  # no wrong duration costs more than this
    # seconds per quarter: 23 to the minute; no note is searched longer than it lasts at that speed
    longest_spq: float = 2.6
    # log ratio: nobody plays faster or slower than written by more (1.8 times, 0.35 times)
    pace_limits: tuple[float, float] = (0.6, 1.05)
    settled: float = 0.06  # log ratio: the local tempo moved by less, and the way is not searched again
    passes: int = 2  # searches with the tempo known from the one before
    default_bpm: float = 92.0  # quarters a minute where nothing is written
    # What may go wrong
    wrong_cost: float = 3.5  # another pitch than the written one
    missed_cost: float = 4.0  # the note's time passes in silence
    deleted_cost: float = 6.5  # the note is left out, with its time
    extra_cost: float = 4.0  # a note that is not written
    junk_cost: float = 5.5  # a stretch that is no music
    junk_rate: float = 0.6  # nats per second of sound in it
    pause_cost: float = 3.5  # a stretch of silence that is not written
    pause_rate: float = 8.0  # nats per second of sound in it
    jump_cost: float = 9.0  # going on from a later bar
    back_cost: float = 6.5  # going back to the beginning of this bar or one of the last
    back_bars: int = 3  # how far back that is; from farther it is as dear as going ahead
    broken_cost: float = 1.0  # a note broken off before a jump costs no more than this for its length
    # so much of what follows a jump must not clearly be another pitch than the one gone to
    jump_ahead_s: float = 0.2
    jump_against: float = 0.3  # share of clear evidence against that pitch
    jump_bars: int = 32  # how far a jump may go
    lead_rate: float = 2.0  # nats per second of sound before the first note or after the last
    late_start_cost: float = 7.0  # beginning at a later bar
    early_end_cost: float = 5.0  # ending before the end
    near_notes: int = 24  # how far from the way found before the next search looks
    beam: float = 24.0  # nats behind the best way from which a place is given up
    window_notes: int = 400  # notes around the current place that are searched
    # Not followed at all
    shift_probe_s: float = 25.0  # how much of the take decides whether it is transposed
    shift_most: int = 14  # semitones
    shift_tries: int = 4  # shifts that are tried, chosen by the time spent on each pitch
    shift_higher: float = 0.85  # of the best score, for a shift an octave or twelfth higher to be taken
    shift_gain: float = 25.0  # nats by which a shifted line must fit better
    # nats by which a reading in another clef must fit better than a shift: only a few notes differ
    clef_gain: float = 8.0
    # a transposed take must fit this well: the chance of some shift fitting is greater
    shifted_min: float = 0.7
    in_time: float = 0.30  # log ratio: an interval within this of the local tempo is in time
    # share of the notes reached that must have sounded as written, times the share of those in time
    followed_min: float = 0.6


DEFAULT = AlignmentSettings()
