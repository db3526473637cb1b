"""The numbers of practising, each with unit, bounds and reason."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.setting import number


@dataclass(frozen=True, kw_only=True)
class PolishLimits:
    """`practice.polish`: how the minutes are shared out."""

    warm_share: float = number(0.15, "share", (0, 0.5), "of the minutes, to warm up")
    fun_share: float = number(0.15, "share", (0, 0.5), "of the minutes, for something enjoyed, at the end")
    least_min: int = number(2, "minutes", (1, 10), "of a drill: less is no practice")
    most_min: int = number(6, "minutes", (2, 20), "of a drill: more tires, and is not better")
    most_things: int = number(4, "things", (1, 10), "to work at in one go")
    lips_min: int = number(8, "minutes", (3, 20), "of playing, then the lips rest")
    perhaps: float = number(0.25, "confidence", (0, 1), "of a doubtful finding that is worth a listen")
    tries: int = number(1, "sessions", (1, 5), "without help, then something else is tried")
    slowest_bpm: float = number(40.0, "beats a minute", (20, 60), "slower falls apart")


POLISH = PolishLimits()


@dataclass(frozen=True, kw_only=True)
class SpacingLimits:
    """`practice.spacing`: when something that was worked at comes back. Source: practice spread over days
    keeps what the same minutes in one go lose, and the gap may grow with the time it is to be kept (a review
    of 317 experiments, Psychological Bulletin 132, 2006, 354 to 380); that the gap doubles is our choice.
    """

    first_days: int = number(1, "days", (1, 7), "until it comes back the first time: a night between")
    factor: float = number(2.0, "times", (1, 4), "longer is the next wait, where it stayed mended")
    most_days: int = number(32, "days", (7, 365), "a longer wait is none: it is known")
    most_things: int = number(2, "things", (1, 6), "that come back in one session, the longest due first")
    minutes: int = number(2, "minutes", (1, 10), "of each: it is tried, not learned anew")


SPACING = SpacingLimits()


@dataclass(frozen=True, kw_only=True)
class FitLimits:
    """`practice.fit`: the same tune, made easier."""

    most_shift: int = number(7, "semitones", (1, 12), "up or down: farther it is another tune to the hands")
    unknown_sure: float = number(0.6, "share", (0, 1), "right of a note that this player never played")
    sign_cost: float = number(0.03, "share", (0, 0.2), "of sureness that a sign of the key costs")
    far_cost: float = number(0.01, "share", (0, 0.1), "of sureness that a semitone away costs")
    leap_semitones: int = number(7, "semitones", (4, 12), "a wider step is a leap: more than a fifth")


FIT = FitLimits()


@dataclass(frozen=True, kw_only=True)
class LogLimits:
    """`practice.log`: the rule of a week until another is agreed on, and the timer."""

    minutes: int = number(15, "minutes", (1, 180), "of a day that counts; fewer are kept apart")
    days: int = number(5, "days", (1, 7), "a week: two free days let lips and hands recover")
    pause_s: float = number(20.0, "s", (2, 120), "without a sound that still belong to practising")


LOG = LogLimits()


@dataclass(frozen=True, kw_only=True)
class WallLimits:
    """`practice.wall`: how many stones, how often tested."""

    new_a_day: int = number(3, "scales", (1, 12), "first set in a day: more are forgotten by the next")
    old_days: int = number(14, "days", (2, 120), "since it was heard: then a stone may be tested again")
    speed_share: float = number(0.94, "share", (0.7, 1), "of the speed asked for, at which it passed")


WALL = WallLimits()


@dataclass(frozen=True, kw_only=True)
class SoftLimits:
    """`practice.loudness`: softer by habit than is usual for a player in one set-up."""

    by_db: float = number(6.0, "dB", (3, 20), "softer: less comes with another piece (`bench/setups.py`)")
    days: int = number(3, "days", (2, 10), "running: fewer are a soft piece or a tired day")
    usual_days: int = number(4, "days", (2, 30), "before them at least: else nothing is known to be usual")
    again_days: int = number(60, "days", (7, 365), "until it may be said again: once is enough")


SOFT = SoftLimits()
