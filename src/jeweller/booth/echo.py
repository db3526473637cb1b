"""Echo: the program plays a phrase, the player answers in the gap, and each answer is checked."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from jeweller.audio.decode import decode
from jeweller.audio.encode import write_sound
from jeweller.booth.attempts import sure_findings
from jeweller.booth.plan import Music, TakePlan, cut_bars
from jeweller.booth.settings import ECHO, TRACK
from jeweller.booth.track import Beat, Cue, Track, add_sound, click_sound, count_in
from jeweller.documents.parts import instrument_of
from jeweller.errors import JewellerError, ScoreError
from jeweller.i18n import N_, _
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.pipeline.check import check, remove_known_backing
from jeweller.report.heard import heard_of
from jeweller.synthesis.model import play_model
from jeweller.synthesis.sampler import RATE

Samples = npt.NDArray[np.float32]
# My turn, your turn, three times: by ear, by the fingers, played; the words, and the layer it is.
ROUNDS = {
    "ears": (N_("Listen and sing it back"), "sing"),
    "fingers": (N_("Finger it back, silently"), "fingers"),
    "song": (N_("Play it back"), "play"),
}


@dataclass(frozen=True, kw_only=True)
class EchoPhrase:
    """A phrase: its bars "3-4", when it is played to the player, when the answer is due, how long it is
    (seconds of the track).
    """

    bars: str
    call_s: float
    answer_s: float
    seconds: float


@dataclass(frozen=True, kw_only=True)
class EchoTrack:
    """What sounds, and the phrases in it."""

    track: Track
    phrases: tuple[EchoPhrase, ...]


@dataclass(frozen=True)
class Answer:
    """What became of one answer. `clean` None where nothing was heard in the gap."""

    bars: str
    clean: bool | None
    sentence: str


def phrase_bars(music: Music, plan: TakePlan, bars: int = ECHO.bars) -> list[str]:
    """The music in phrases of so many bars; bars of rest alone are left out."""
    part = cut_bars(music.part, plan.bars)
    out = []
    for k in range(0, len(part.bars), bars):
        some = part.bars[k : k + bars]
        if any(not n.is_rest and not n.cue for b in some for n in b.notes):
            out.append(f"{some[0].number}-{some[-1].number}" if len(some) > 1 else some[0].number)
    return out


def echo_track(music: Music, plan: TakePlan, bars: int = ECHO.bars) -> EchoTrack:
    """The track of an echo: counted in, then phrase and gap in turn, in one time. Raises ScoreError."""
    whole = music.line(plan)
    cues, at = count_in(whole, plan)
    downbeat = at
    spq = 60.0 / plan.bpm
    sound = instrument_of(music.part).sound or "flute"
    phrases: list[EchoPhrase] = []
    pieces: list[tuple[Samples, float]] = []
    beats: list[Beat] = []
    shown: list[Cue] = list(cues)
    for span in phrase_bars(music, plan, bars):
        line = _line(music, plan, span)
        full = sum(float(b.bar.metre.length) for b in line.bars) * spq
        lead = full - float(sum(b.length for b in line.bars)) * spq
        beat = float(line.beat) * spq
        phrases.append(EchoPhrase(bars=span, call_s=at, answer_s=at + full + lead, seconds=full - lead))
        model = play_model(line, sound, lambda q: q * spq).samples
        pieces.append((TRACK.model_gain * model, at + lead))
        shown.append(Cue(at, _("listen"), True, False))
        shown.append(Cue(at + full, _("your turn"), True, False))
        for k in range(round(2 * full / beat)):
            in_bar = max(1, round(float(line.bars[0].bar.metre.length / line.beat)))
            beats.append(Beat(at + k * beat, 0.0, k % in_bar + 1))
        at += 2 * full
    if not phrases:
        raise ScoreError(_("There is nothing to answer in these bars."))
    out = np.zeros(round((at + 1.0) * RATE), np.float32)
    for cue in cues:
        add_sound(out, click_sound(cue.first), cue.at_s)
    for b in beats:
        add_sound(out, np.float32(0.5) * click_sound(b.number == 1), b.at_s)
    for piece, begin in pieces:
        add_sound(out, piece, begin)
    track = Track(
        samples=np.clip(out, -1.0, 1.0),
        rate=RATE,
        cues=tuple(shown),
        beats=tuple(beats),
        clicks=(),
        downbeat_s=downbeat,
        end_s=at,
        spq=spq,
        sounds_along=True,
    )
    return EchoTrack(track=track, phrases=tuple(phrases))


def _line(music: Music, plan: TakePlan, bars: str) -> PerformedPart:
    part = cut_bars(music.part, bars)
    return perform_part(music.title, part, rhythm_only=plan.rhythm_only or part.percussion)


def check_answers(
    music: Music,
    plan: TakePlan,
    phrases: Sequence[EchoPhrase],
    take: Path,
    track_from_s: float,
    folder: Path,
    backing: Path | None = None,
    instrument: str = "",
    progress: Callable[[float, str], None] = lambda share, what: None,
) -> list[Answer]:
    """Each answer held against its phrase. `track_from_s`: when the track began in the take; `backing`: the
    track, to be taken out of it. Raises TakeError.
    """
    recording = decode(take, RATE)
    if backing is not None:
        recording = remove_known_backing(recording, str(backing), track_from_s)
    answers = []
    for k, phrase in enumerate(phrases):
        progress(k / len(phrases), phrase.bars)
        begin = track_from_s + phrase.answer_s - ECHO.early_s
        end = track_from_s + phrase.answer_s + phrase.seconds + ECHO.late_s
        sound = recording.samples[max(0, round(begin * RATE)) : max(0, round(end * RATE))]
        answers.append(_check_answer(music, plan, phrase, sound, folder, instrument))
    return answers


def _check_answer(
    music: Music, plan: TakePlan, phrase: EchoPhrase, sound: Samples, folder: Path, instrument: str
) -> Answer:
    quiet = np.zeros(round(0.3 * RATE), np.float32)
    path = folder / "answer.wav"
    write_sound(path, np.concatenate([quiet, sound, quiet]), RATE)
    asked = dataclasses.replace(plan, bars=phrase.bars)
    try:
        options = dataclasses.replace(
            asked.options(None, None, instrument), tempo_bpm=plan.bpm, support="alone"
        )
        report = check(music.write(asked, folder), path, options).report
    except JewellerError:
        return Answer(phrase.bars, None, _("nothing was heard"))
    finally:
        path.unlink(missing_ok=True)
    if not report["followed"]:
        return Answer(phrase.bars, False, _("something else was played"))
    found = sure_findings(report)
    if not found and not heard_of(report)["whole"]:
        return Answer(phrase.bars, False, _("not all of it was answered"))
    return Answer(phrase.bars, not found, found[0]["text"] if found else _("right"))
