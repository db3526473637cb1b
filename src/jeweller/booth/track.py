"""What the loudspeaker plays for a take: the count-in, clicks, and what the player is helped with."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from jeweller.audio.clicks import ClickTrack, TrackClick, click_hz, click_wave
from jeweller.audio.decode import decode
from jeweller.audio.encode import write_sound
from jeweller.booth.plan import ClickKind, CountKind, Help, Music, TakePlan
from jeweller.booth.settings import TRACK
from jeweller.documents.parts import instrument_of
from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.synthesis.model import play_model
from jeweller.synthesis.sampler import RATE

Samples = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Cue:
    """A count before the music: when (seconds of the track), what is shown, whether it is the first of a bar,
    and whether one breathes on it.
    """

    at_s: float
    said: str
    first: bool
    breath: bool


@dataclass(frozen=True)
class Beat:
    """A beat of the music: when (seconds of the track), its place in quarters, its number in the bar."""

    at_s: float
    quarters: float
    number: int


@dataclass(frozen=True, kw_only=True)
class Track:
    """`samples` at `rate`; the music begins at `downbeat_s` and ends at `end_s`."""

    samples: Samples
    rate: int
    cues: tuple[Cue, ...]
    beats: tuple[Beat, ...]
    clicks: tuple[TrackClick, ...]  # that sound while somebody plays
    downbeat_s: float
    end_s: float
    spq: float  # seconds a quarter
    sounds_along: bool  # whether more than clicks sounds while the player plays

    @property
    def clicks_s(self) -> tuple[float, ...]:
        return tuple(c.at_s for c in self.clicks)

    def click_track(self, before: Path) -> ClickTrack | None:
        """What is known of its clicks, where nothing else sounds while somebody plays; `before` is the
        recording of the count-in.
        """
        count = tuple(TrackClick(c.at_s, click_hz(c.first)) for c in self.cues)
        return ClickTrack(str(before), count, self.clicks) if self.clicks and not self.sounds_along else None


def count_in(line: PerformedPart, plan: TakePlan) -> tuple[list[Cue], float]:
    """(the counts, the second at which the music is due). Before a pickup the counts go on to where it
    begins; the last count is for the breath.
    """
    spq = 60.0 / plan.bpm
    bar = line.bars[0]
    beat = float(bar.beat) * spq
    in_bar = max(1, round(float(bar.bar.metre.length / bar.beat)))
    full = bar.bar.metre.length
    lead = float(full - bar.length) * spq if bar.bar.implicit and bar.length < full else 0.0
    begin = TRACK.least_lead_s
    total = plan.count_bars * in_bar + int(lead / beat + 1e-6)
    words = plan.words.split()
    cues = []
    for k in range(total):
        number = k % in_bar + 1
        said = str(number)
        if plan.count == CountKind.WORDS and words:
            at = k - (total - len(words))
            said = words[at] if at >= 0 else ""
        elif plan.count == CountKind.CLICKS:
            said = "·"
        cues.append(Cue(begin + k * beat, said, number == 1, k == total - 1))
    return cues, begin + plan.count_bars * in_bar * beat + lead


def beats_of(line: PerformedPart, downbeat_s: float, spq: float) -> list[Beat]:
    """The beats of the music, each bar counted by its own metre."""
    out = []
    for k, bar in enumerate(line.bars):
        shift = line.beat_in_bar(k, bar.onset - bar.onset) - 1.0
        count = int(np.ceil(float(bar.length / bar.beat) - 1e-6))
        offset = np.ceil(shift - 1e-6) - shift  # a pickup may begin between two beats
        for b in range(count):
            quarters = float(bar.onset) + (b + offset) * float(bar.beat)
            if quarters < float(bar.onset + bar.length) - 1e-6:
                out.append(Beat(downbeat_s + quarters * spq, quarters, round(b + offset + shift) + 1))
    return out


def _click_gain(plan: TakePlan, line: PerformedPart, beat: Beat, length: float) -> float:
    match plan.click:
        case ClickKind.ON:
            return 1.0
        case ClickKind.FIRST:
            return 1.0 if beat.number == 1 else 0.0
        case ClickKind.START:
            index = min(TRACK.start_bars, len(line.bars)) - 1
            until = line.bars[index].onset + line.bars[index].length
            return 1.0 if beat.quarters < float(until) and TRACK.start_bars < len(line.bars) else 0.0
        case ClickKind.FADING:
            left = 1.0 - beat.quarters / (TRACK.fade_until * length)
            return max(0.0, left) ** 2
    return 0.0


def click_sound(first: bool) -> Samples:
    return np.float32(TRACK.click_gain) * click_wave(click_hz(first), RATE)


def render_track(music: Music, plan: TakePlan) -> Track:
    """The track of a take. Raises ScoreError, TakeError."""
    line = music.line(plan)
    cues, downbeat = count_in(line, plan)
    spq = 60.0 / plan.bpm
    length = float(line.bars[-1].onset + line.bars[-1].length)
    end = downbeat + length * spq
    beats = beats_of(line, downbeat, spq)
    out = np.zeros(round((end + 1.0) * RATE), np.float32)
    clicks = []
    for cue in cues:
        add_sound(out, click_sound(cue.first), cue.at_s)
    for beat in beats:
        gain = _click_gain(plan, line, beat, length)
        if gain > 0.0:
            clicks.append(TrackClick(beat.at_s, click_hz(beat.number == 1), gain))
            add_sound(out, np.float32(gain) * click_sound(beat.number == 1), beat.at_s)
    along = _along(music, plan, line, spq)
    if along is not None:
        add_sound(out, along, downbeat)
    return Track(
        samples=np.clip(out, -1.0, 1.0),
        rate=RATE,
        cues=tuple(cues),
        beats=tuple(beats),
        clicks=tuple(clicks),
        downbeat_s=downbeat,
        end_s=end,
        spq=spq,
        sounds_along=along is not None,
    )


def _along(music: Music, plan: TakePlan, line: PerformedPart, spq: float) -> Samples | None:
    """What sounds with the player, from the first beat on; None where nothing does."""
    if plan.help == Help.TOGETHER:
        sound = instrument_of(music.part).sound or "flute"
        return TRACK.model_gain * play_model(line, sound, lambda q: q * spq).samples
    if plan.help == Help.OTHERS:
        lines = []
        for part in music.score.parts:
            if part.name != music.part.name and part.note_count:
                try:
                    other = Music(title=music.title, part=part, score=music.score).line(plan)
                except ScoreError:  # it rests there
                    continue
                lines.append(play_model(other, instrument_of(part).sound or "flute", lambda q: q * spq))
        if not lines:
            raise ScoreError(_("This piece has no other part to play with."))
        mixed = np.zeros(max(len(m.samples) for m in lines), np.float32)
        for m in lines:
            mixed[: len(m.samples)] += m.samples
        return TRACK.model_gain * mixed / max(1e-6, float(np.abs(mixed).max()))
    if plan.help == Help.OWN:
        own = decode(plan.backing, RATE).samples
        loud = np.flatnonzero(np.abs(own) > 0.05 * float(np.abs(own).max(initial=1e-6)))
        begin = int(loud[0]) if len(loud) else 0  # its first sound falls on the first note
        at = float(line.main_notes[0].onset) * spq
        placed = np.zeros(round(at * RATE) + len(own) - begin, np.float32)
        placed[round(at * RATE) :] = own[begin:]
        return TRACK.model_gain * placed / max(1e-6, float(np.abs(placed).max()))
    return None


def add_sound(out: Samples, sound: Samples, at_s: float) -> None:
    first = round(at_s * RATE)
    end = min(len(out), first + len(sound))
    out[first:end] += sound[: end - first]


def model_of(music: Music, plan: TakePlan) -> Samples:
    """The model of the bars of a take at its speed, to listen to first; at `RATE`."""
    line = perform_part(music.title, music.line(plan).part, rhythm_only=music.part.percussion)
    spq = 60.0 / plan.bpm
    return play_model(line, instrument_of(music.part).sound or "flute", lambda q: q * spq).samples


@dataclass(frozen=True)
class Prepared:
    """What a take needs before it begins: what sounds, the notation file of its bars, and, where more than
    clicks sounds, the recording of it, which is taken out of the take before it is heard.
    """

    track: Track
    score: Path
    track_path: Path


def prepare(music: Music, plan: TakePlan, folder: Path, made: Callable[[], Track] | None = None) -> Prepared:
    """Renders the track of a take and writes what it is checked by. Raises ScoreError, TakeError."""
    track = made() if made is not None else render_track(music, plan)
    path = folder / "track.wav"
    if track.sounds_along or made is not None:
        write_sound(path, track.samples, track.rate)
    return Prepared(track, music.write(plan, folder), path)
