"""Numbers of what is told of many notes together, habits and changes of tempo: unit, bounds and reason."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.setting import number


@dataclass(frozen=True, kw_only=True)
class HabitsLimits:
    """`assessment.habits`."""

    log_prior: float = number(-4.0, "log odds", (-16, 0), "one player in fifty has any certain habit")
    kept: float = number(0.85, "share", (0.5, 1), "of the places that ask for it show a habit")
    slip: float = number(0.04, "share", (0, 0.5), "of such places show the same slip by chance")
    one_length: float = number(0.01, "beats", (0, 0.1), "lengths so near are one")
    grave: float = number(0.9, "share", (0, 1), "severity of another metre, and of a lost register")
    heavy: float = number(0.8, "share", (0, 1), "of long notes or rests that are not counted")
    detached: int = number(4, "notes", (2, 24), "parted in slurs are a way of playing, not slips")
    airless: int = number(
        3, "notes", (1, 12), "that stop early tell air where breath is taken after every note as well"
    )
    paced: int = number(6, "intervals", (2, 32), "inside bars tell the pace that bars are measured by")
    near_a_beat: float = number(
        0.35, "beats", (0, 0.5), "a bar longer or shorter by a beat is so by this much"
    )
    apart_s: float = number(0.05, "s", (0, 0.5), "later than a sound by more is another")
    plain: float = number(0.7, "share", (0, 1), "of long notes that stop early")


HABITS_LIMITS = HabitsLimits()


@dataclass(frozen=True, kw_only=True)
class TrendLimits:
    """`assessment.trends`."""

    least_intervals: int = number(4, "intervals", (2, 16), "fewer tell no change of tempo")
    most: float = number(0.6, "log ratio", (0.1, 2), "no interval counts as farther from the take's tempo")
    wander_quarters: float = number(
        6.0, "quarters", (1, 32), "over so many the tempo of a player stays alike"
    )
    wanders: tuple[float, ...] = number(
        (0.006, 0.012, 0.02, 0.03, 0.045, 0.065),
        "log ratio",
        (0, 0.3),
        "how far a player may wander: the take tells which",
    )
    ending_quarters: tuple[float, ...] = number(
        (8.0, 4.0), "quarters", (1, 32), "at the end a take may slow down, which is no dragging"
    )
    ending_share: float = number(0.25, "share", (0, 1), "of a line, no more than which its end is")
    beside: int = number(2, "intervals", (1, 8), "on each side tell what is usual around one")
    farthest_spreads: float = number(
        3.0, "spreads", (1, 10), "of single onsets, no farther from it than this"
    )
    places: int = number(60, "places", (8, 400), "where a change may begin, at most")
    lengths_bars: tuple[int, ...] = number(
        (1, 2, 3, 4, 6, 8, 12, 0), "bars", (0, 64), "how long it lasts; 0: to the end"
    )
    sets_in_quarters: tuple[float, ...] = number(
        (1.0, 4.0, 8.0), "quarters", (0.25, 32), "within how long it has set in"
    )
    longest_share: float = number(
        0.75, "share", (0, 1), "a longer stretch is the take's tempo, and leaves none"
    )
    noticed: float = number(0.3, "share", (0, 1), "of a change has come where it is told to begin")
    most_changes: int = number(3, "count", (1, 12), "in one take: who changes oftener has no tempo")
    least_gain: float = number(7.0, "nats", (0, 32), "by which a change must explain the take better")
    even_gain: float = number(
        7.0, "nats", (0, 32), "where a change is as likely as none: it may lie anywhere"
    )
    sure_at: float = number(
        0.5, "ratio", (0, 6.4), "standard errors beyond the threshold from where it is sure"
    )
    heaviest: float = number(2.0, "quarters", (0.5, 8), "no interval counts for more in a stretch")
    severity: float = number(0.6, "share", (0, 1), "of rushing and dragging")


TREND_LIMITS = TrendLimits()


@dataclass(frozen=True, kw_only=True)
class CredenceLimits:
    """`assessment.credence`."""

    surest: float = number(0.002, "share", (0, 0.1), "no story is taken to be surer, or less sure, than this")
    sure_from: float = number(
        0.6, "share", (0.5, 1), "chance of being right from which a finding is said surely"
    )
    unsure_to: float = number(0.499, "share", (0, 0.5), "what is less likely is told with less than this")
    nowhere: float = number(0.01, "share", (0.001, 0.1), "so little of the ways is none, in logs")
    least_spread: float = number(0.005, "beats", (0.0005, 0.1), "as is a smaller spread of a beginning")
    spread: tuple[float, float] = number((-6.0, 1.0), "log beats", (-8, 4), "and it counts between these")
    soft_db: float = number(6.0, "dB", (1, 24), "softer than the notes around it by this is soft")
    clearest: float = number(0.02, "periodicity", (0.001, 0.1), "no tone is clearer than but for this")
    noise: tuple[float, float] = number(
        (-4.0, 0.5), "10 dB", (-8, 2), "noise against the music between these"
    )
    noise_before_s: float = number(0.12, "s", (0, 1), "noise is looked for from so long before a place")
    noise_after_s: float = number(0.2, "s", (0, 1), "to so long after it")
    least_share: float = number(0.005, "share", (0, 0.1), "a rival with a smaller share is not told")
    odds: tuple[float, float] = number(
        (-6.0, 4.6), "nats", (-12, 12), "no finding is told with odds beyond these"
    )


CREDENCE = CredenceLimits()
