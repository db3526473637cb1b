"""What worker processes run for the booth: a recording checked while it grows, echoes, what was made up."""

from __future__ import annotations

import contextlib
import dataclasses
import json
import os
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from jeweller.alignment.decoder import PathStep
from jeweller.alignment.segments import StepKind
from jeweller.alignment.settings import ALIGN
from jeweller.audio.clicks import ClickTrack
from jeweller.audio.decode import decode
from jeweller.audio.recorder import PART, Dropout, seconds_at, snapshot
from jeweller.booth.echo import Answer, EchoPhrase, check_answers
from jeweller.booth.made_up import MadeUp, look_at_made_up
from jeweller.booth.plan import Music, TakePlan
from jeweller.booth.session import WantedCheck, is_whole
from jeweller.booth.settings import STOP
from jeweller.errors import Cancelled, JewellerError, TakeError
from jeweller.features.settings import DEFAULT as HEAR
from jeweller.files import parse_json
from jeweller.i18n import _
from jeweller.notation.performance import PerformedPart
from jeweller.pipeline.ahead import KnownAhead, know_ahead
from jeweller.pipeline.check import Checked, Options, check, open_line, without_clicks

Progress = Callable[[float, str], None]
AHEAD_BYTES = 4 * 44100 * 2  # new sound from which it is worth listening to
LOOK_S = 0.01
NOT_OVER = -1.0  # as progress


@dataclass(frozen=True, kw_only=True)
class Terms:
    """What a take is checked by: how it was to be made, and, where something sounded from the loudspeaker,
    the recording of it. `timed`: the delay of the devices is known.
    """

    plan: TakePlan
    track: Path | None = None
    clicks: ClickTrack | None = None  # where only those sounded from the loudspeaker
    timed: bool = False
    instrument: str = ""

    def options(self, wanted: WantedCheck, lost: Sequence[Dropout] = ()) -> Options:
        """How one check of the take is done."""
        made = self.plan.options(wanted.downbeat_s if self.timed else None, self.track, self.instrument)
        return dataclasses.replace(
            made,
            backing_from_s=wanted.track_from_s if self.track is not None else None,
            clicks=self.clicks,
            lost=tuple((gap.at_s, gap.seconds) for gap in lost),
        )


WRITTEN_S = 3.0  # a disk that is slower is not waited for
GIVEN_UP = "[]"


def ask(asking: Path, wanted: WantedCheck, lost: Sequence[Dropout]) -> None:
    """Asks whoever listens along for a check, by a file. Raises OSError."""
    told = [
        str(wanted.part),
        str(wanted.path),
        wanted.downbeat_s,
        wanted.track_from_s,
        wanted.size,
        [[gap.at_s, gap.seconds] for gap in lost],
    ]
    _write(asking, json.dumps(told))


def give_up(asking: Path) -> None:
    """Tells whoever listens along that the take was given up. Raises OSError."""
    _write(asking, GIVEN_UP)


def _write(asking: Path, text: str) -> None:
    part = asking.with_suffix(".new")
    part.write_text(text, encoding="utf-8")
    part.replace(asking)


def _asked(asking: Path) -> tuple[WantedCheck, list[Dropout]] | None:
    """What is asked for; None where the take was given up."""
    taken = asking.with_suffix(".taken")
    asking.replace(taken)  # at once: what is asked for while this is read is not lost
    told = parse_json(taken.read_text(encoding="utf-8"))
    taken.unlink()
    if not told:
        return None
    part, path, downbeat_s, track_from_s, size, lost = told
    return WantedCheck(Path(part), Path(path), downbeat_s, track_from_s, size), [
        Dropout(*gap) for gap in lost
    ]


def check_attempt(
    score: str,
    terms: Terms,
    wanted: WantedCheck,
    lost: Sequence[Dropout],
    ahead: KnownAhead | None = None,
    progress: Progress = lambda share, what: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Checked:
    """Checks a take, or what there is of one that is still recorded, by a copy of it. Raises as `check`."""
    if wanted.part != wanted.path:
        try:
            _wait_for(wanted.part, wanted.size)
            # What came since is none of it: the beginning of a last note would be a note cut short.
            snapshot(wanted.part, wanted.path, lost, wanted.size or None)
        except OSError as error:
            raise TakeError(_("The recording cannot be read: {error}.").format(error=error)) from error
    return check(
        score, wanted.path, terms.options(wanted, lost), cancelled=cancelled, progress=progress, ahead=ahead
    )


def _wait_for(part: Path, size: int) -> None:
    """Waits until a file that grows has so many bytes: else the last note would seem to be cut short. Raises
    OSError where there is none.
    """
    until = time.monotonic() + WRITTEN_S
    while part.stat().st_size < size and time.monotonic() < until:
        time.sleep(LOOK_S)


def listen_along(
    score: str, part: Path, asking: Path, terms: Terms, progress: Progress
) -> tuple[Checked, str] | None:
    """Listens to a take while it is recorded, so that its verdict is there soon after its last note. Each
    check that is asked for by the file `asking` is done; the first that finds the whole music, or the last
    one asked for, is the result, with the name of the file that was checked; None where the take was given
    up. Progress of -1 says that the music is not over yet by the file that is named. Raises as `check`.
    """
    try:
        return _listen(score, part, asking, terms, progress)
    finally:
        if terms.clicks is not None:  # the room before the take is of no more use
            Path(terms.clicks.before).unlink(missing_ok=True)


def _listen(
    score: str, part: Path, asking: Path, terms: Terms, progress: Progress
) -> tuple[Checked, str] | None:
    options = terms.plan.options(None, None, terms.instrument)
    _score, line, _instrument = open_line(score, options)
    ahead: KnownAhead | None = None
    known_bytes, parent = 0, os.getppid()
    checked: Checked | None = None
    rehearsed = False
    while os.getppid() == parent:
        if asking.exists():
            asked = _asked(asking)
            if asked is None:
                return None
            now_s = seconds_at(asked[0].part, asked[0].size)
            final = asked[0].part == asked[0].path
            if not final and terms.track is None and now_s - _known_s(ahead) > STOP.stale_s:
                known_bytes = asked[0].size
                with contextlib.suppress(TakeError):
                    ahead = _know_more(part, line, terms, options, ahead, asking.exists)
            if not final and is_too_early(ahead, line, now_s):
                progress(NOT_OVER, asked[0].path.name)
                continue
            try:
                checked = _check_so_far(score, terms, *asked, ahead, progress, asking.exists)
            except Cancelled:  # more was heard since
                continue
            finally:
                if asked[0].part != asked[0].path and checked is None:
                    asked[0].path.unlink(missing_ok=True)
            if checked is not None:
                return checked, asked[0].path.name
            progress(NOT_OVER, asked[0].path.name)
            continue
        size = part.stat().st_size if part.exists() else 0
        # what sounds along is taken out of the whole take: nothing is known of the rest before
        if terms.track is None and size - known_bytes > AHEAD_BYTES:
            with contextlib.suppress(TakeError):
                ahead = _know_more(part, line, terms, options, ahead, asking.exists)
            if not asking.exists():  # else it was broken off, and is done again after the answer
                known_bytes = size
            if not rehearsed and _known_s(ahead) > 0.0:
                # A first check loads what later ones have: a part of a second that nobody is to wait for.
                rehearsed = True
                with contextlib.suppress(JewellerError, Cancelled):
                    check(score, part, options, ahead=ahead, cancelled=asking.exists)
            continue
        time.sleep(LOOK_S)
    return None


def _known_s(ahead: KnownAhead | None) -> float:
    """Until when the way through a take is known; 0 where it is not."""
    return float(ahead.way.at_s[-1]) if ahead is not None and ahead.way is not None else 0.0


def is_too_early(ahead: KnownAhead | None, line: PerformedPart, now_s: float) -> bool:
    """Whether the music cannot be over yet by what is known of the way so far: more of it was left than can
    have been played since, much faster than before. The last seconds of a way may turn out otherwise: where
    they go back to an earlier bar, the player may as well have gone on from where that was.
    """
    way = ahead.way if ahead is not None else None
    sounded = [step for step in way.path.steps if step.kind == StepKind.NOTE] if way is not None else []
    if way is None or not sounded:
        return False
    notes, settled_s = line.main_notes, float(way.at_s[sounded[-1].start]) - ALIGN.settled_tail_s
    late = [step for step in sounded if way.at_s[step.start] >= settled_s]

    def left_s(step: PathStep) -> float:
        left = float(notes[-1].onset - notes[step.item].onset)
        return left * float(way.seconds_per_quarter[step.item])

    may_be_last = (late[-1], max(late, key=lambda step: step.item))
    return all(STOP.hurries * left_s(s) > now_s - float(way.at_s[s.start]) for s in may_be_last)


def _know_more(
    part: Path,
    line: PerformedPart,
    terms: Terms,
    options: Options,
    ahead: KnownAhead | None,
    cancelled: Callable[[], bool],
) -> KnownAhead | None:
    """What is known of a take by what there is of it now. Raises TakeError."""
    recording = decode(part, HEAR.rate, known=ahead.decoded if ahead is not None else None)
    decoded = recording.samples[: -HEAR.rate // 2]
    if terms.clicks is not None:
        recording = without_clicks(recording, terms.clicks)
    known = know_ahead(
        recording.samples[: -HEAR.rate // 2],
        line,
        ahead,
        tempo_bpm=options.tempo_bpm,
        rhythm_only=options.rhythm_only,
        reference_shift=options.settings.reference_shift,
        cancelled=cancelled,
    )
    return None if known is None else dataclasses.replace(known, decoded=decoded)


def _check_so_far(
    score: str,
    terms: Terms,
    wanted: WantedCheck,
    lost: Sequence[Dropout],
    ahead: KnownAhead | None,
    progress: Progress,
    cancelled: Callable[[], bool],
) -> Checked | None:
    """The check of what there is so far where the music is over by it, or the one of a finished take."""
    final = wanted.part == wanted.path
    try:
        checked = check_attempt(score, terms, wanted, lost, ahead, progress, cancelled)
    except JewellerError:
        if final:
            raise
        return None
    if not final and not is_whole(checked.report):
        return None
    checked.report["take"]["file"] = wanted.part.name.replace(PART, ".wav")
    return checked


def check_echo(
    music: Music,
    plan: TakePlan,
    phrases: Sequence[EchoPhrase],
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
