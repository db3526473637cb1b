"""The numbers of the booth, each with unit, bounds and reason."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.setting import number


@dataclass(frozen=True, kw_only=True)
class TrackLimits:
    """`booth.track`: what the loudspeaker plays."""

    click_gain: float = number(0.15, "share", (0.01, 0.5), "of full scale: clicks begin low, for the ears")
    model_gain: float = number(0.35, "share", (0.05, 0.7), "of full scale: below the player")
    start_bars: int = number(2, "bars", (1, 8), "a click only at the start sounds for so long")
    fade_until: float = number(0.67, "share", (0.2, 1), "of the music, by which a fading click is gone")
    least_lead_s: float = number(0.4, "s", (0, 2), "before the first count: the eyes find the place")


TRACK = TrackLimits()


@dataclass(frozen=True, kw_only=True)
class StopLimits:
    """`booth.stopping`: when a take is over."""

    above_floor_db: float = number(10.0, "dB", (3, 30), "over the quiet of the room: somebody plays")
    below_loud_db: float = number(32.0, "dB", (15, 60), "under the loudest: an echo in the room, no note")
    silent_db: float = number(-58.0, "dB", (-90, -30), "nothing is softer and still heard")
    ends_s: float = number(0.08, "s", (0.03, 1), "of quiet: the last note may be over, a check begins")
    near_end: float = number(0.75, "share", (0.2, 1), "of the music's time: before it no last note can be")
    hurries: float = number(
        0.5, "share", (0.1, 1), "of the time that the rest of the music takes: nobody plays it in less"
    )
    stale_s: float = number(
        10.0,
        "s",
        (0, 20),
        "of new sound, after which the way so far is looked for before a check",
    )
    rests_slack: float = number(1.5, "ratio", (1, 3), "rests are counted slower than written")
    stopped_s: float = number(3.0, "s", (1, 20), "of quiet beyond the longest rest: the player has stopped")
    waits_s: float = number(12.0, "s", (3, 60), "for a first note; then nobody plays")
    settle_s: float = number(0.6, "s", (0.1, 3), "after the end of what sounds from the loudspeaker")
    stroke_db: float = number(9.0, "dB", (3, 30), "louder than just before: something is struck or begun")
    stroke_apart_s: float = number(0.08, "s", (0.02, 0.3), "between two strokes")
    masked_s: float = number(0.09, "s", (0.02, 0.3), "of a click in the room: loud, but no player")


STOP = StopLimits()


@dataclass(frozen=True, kw_only=True)
class LevelLimits:
    """`booth.stopping`: how loud is well."""

    clipped: float = number(0.98, "share", (0.8, 1), "of full scale: more is cut off")
    quiet_db: float = number(-34.0, "dB", (-60, -20), "playing that is softer drowns in the room")


LEVEL = LevelLimits()


@dataclass(frozen=True, kw_only=True)
class LadderLimits:
    """`booth.ladder`: the way up to the speed that is asked for."""

    clean_needed: int = number(3, "takes", (1, 10), "clean running before the speed goes up")
    bad_needed: int = number(2, "takes", (1, 10), "bad ones running before it goes down")
    up: float = number(1.06, "ratio", (1.01, 1.3), "a step up: hardly felt, four or five to a third faster")
    down: float = number(0.9, "ratio", (0.5, 0.99), "a step down")
    slower: float = number(0.85, "ratio", (0.5, 0.99), "what the key for slower does: it has to be felt")
    first: float = number(0.75, "ratio", (0.3, 1), "of the speed at which every fourth note goes wrong")
    slowest_bpm: float = number(40.0, "quarters a minute", (20, 80), "slower falls apart into single notes")


LADDER = LadderLimits()


@dataclass(frozen=True, kw_only=True)
class EchoLimits:
    """`booth.echo` and `booth.made_up`."""

    bars: int = number(1, "bars", (1, 4), "of a phrase: what is kept in the ear at once")
    early_s: float = number(0.25, "s", (0, 1), "before an answer is due, it may begin")
    late_s: float = number(0.45, "s", (0, 2), "after its time it may still sound")
    onset: float = number(0.35, "strength", (0.05, 1), "of an attack, against a clear tongued one")
    near_cents: float = number(60.0, "cents", (20, 90), "from a chosen note: it is that note")
    in_time: float = number(0.2, "beats", (0.05, 0.5), "from a beat or half a beat: in time")
    rise_s: float = number(0.03, "s", (0.005, 0.1), "after an attack it is loud; after an end it is not")
    held_s: float = number(0.12, "s", (0.05, 0.5), "a shorter pitch is a slide between two notes")


ECHO = EchoLimits()


@dataclass(frozen=True, kw_only=True)
class SightLimits:
    """`booth.first_sight`."""

    look_s: float = number(20.0, "s", (5, 120), "to look a line over before playing it")
    bar_s: float = number(2.0, "s", (0, 10), "more for each bar")
    most_s: float = number(60.0, "s", (10, 300), "longer is studying it")
    easy: int = number(1, "findings", (0, 10), "as many or fewer: something harder next")
    hard: int = number(4, "findings", (1, 20), "as many or more: something easier next")


SIGHT = SightLimits()
