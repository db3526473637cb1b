"""What worker processes run for the booth: a recording checked while it grows, echoes, what was made up."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence
from pathlib import Path

from jeweller.audio.decode import decode
from jeweller.audio.recorder import Dropout, snapshot
from jeweller.booth.echo import Answer, Phrase, check_answers
from jeweller.booth.made_up import MadeUp, look_at_made_up
from jeweller.booth.plan import Help, Music, TakePlan
from jeweller.booth.session import WantedCheck
from jeweller.booth.track import Track
from jeweller.errors import TakeError
from jeweller.features.settings import DEFAULT as HEAR
from jeweller.i18n import _
from jeweller.pipeline.check import Checked, Options, check

Progress = Callable[[float, str], None]


def options_for(
    plan: TakePlan,
    track: Track,
    wanted: WantedCheck,
    track_path: Path | None,
    *,
    timed: bool,
    instrument: str = "",
) -> Options:
    """How a take is checked; `timed` where the delay of the devices is known, `track_path` where what sounded
    is written.
    """
    sounded = track_path if track.sounds_along or track.clicks_s else None
    options = plan.options(wanted.downbeat_s if timed else None, sounded, instrument)
    return dataclasses.replace(options, backing_from_s=wanted.track_from_s if sounded else None)


def check_attempt(
    score: str,
    wanted: WantedCheck,
    lost: Sequence[Dropout],
    options: Options,
    progress: Progress = lambda share, what: None,
) -> Checked:
    """Checks a take, or what there is of one that is still recorded, by a copy of it. Raises as `check`."""
    if wanted.part != wanted.path:
        try:
            snapshot(wanted.part, wanted.path, lost)
        except OSError as error:
            raise TakeError(_("The recording cannot be read: {error}.").format(error=error)) from error
    options = dataclasses.replace(options, lost=tuple((gap.at_s, gap.seconds) for gap in lost))
    return check(score, wanted.path, options, progress=progress)


def warm_worker(score: str, options: Options, progress: Progress) -> None:
    """Loads what a check needs before the first is asked for, by looking at the part."""
    from jeweller.pipeline.check import open_line

    open_line(score, options)
    progress(1.0, "")


def check_echo(
    music: Music,
    plan: TakePlan,
    phrases: Sequence[Phrase],
    take: Path,
    track_from_s: float,
    track_path: Path,
    progress: Progress,
) -> list[Answer]:
    """The answers of an echo."""
    return check_answers(music, plan, phrases, take, track_from_s, take.parent, track_path, progress=progress)


def check_made_up(
    take: Path, chosen: Sequence[int], bpm: float, beat_at_s: float, progress: Progress
) -> MadeUp:
    """What was made up on chosen notes."""
    progress(0.1, "")
    return look_at_made_up(decode(take, HEAR.rate).samples, chosen, bpm, beat_at_s)


def help_said(plan: TakePlan) -> str:
    """What one does before a take with this help; "" where there is nothing to do.

    >>> help_said(TakePlan())
    ''
    """
    return _("Listen first; then it is your turn.") if plan.help == Help.LISTEN else ""
