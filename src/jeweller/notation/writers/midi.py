"""`Score` → a MIDI file: every part played out as written, a track each, with keys, metres and speeds."""

from __future__ import annotations

import io
from collections.abc import Callable
from fractions import Fraction

import mido

from jeweller.notation.drums import DRUM_SET
from jeweller.notation.model import Bar, Part, Score
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notation.transposition import diatonic_of, fifths_of

TICKS = 480
GENERAL_MIDI = {
    "flute": 73,
    "oboe": 68,
    "clarinet": 71,
    "bassoon": 70,
    "recorder": 74,
    "alto-saxophone": 65,
    "tenor-saxophone": 66,
    "trumpet": 56,
    "horn": 60,
    "trombone": 57,
    "euphonium": 58,
    "tuba": 58,
}
USUAL_BPM = 90.0
DRUM_CHANNEL = 9
OTHER_DRUM = 38  # the snare drum, for what the drum set has not
DETACHED = 0.92  # of its value that a note sounds where none is slurred to it
MAJOR = ("Cb", "Gb", "Db", "Ab", "Eb", "Bb", "F", "C", "G", "D", "A", "E", "B", "F#", "C#")
MINOR = ("Abm", "Ebm", "Bbm", "Fm", "Cm", "Gm", "Dm", "Am", "Em", "Bm", "F#m", "C#m", "G#m", "D#m", "A#m")


def write_midi(score: Score, sound_of: Callable[[Part], str]) -> bytes:
    """The file, format 1. `sound_of` names the sound of a part. The first track holds metres, keys (the
    sounding ones) and speeds.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> score = read_abc("T:A line\\nM:3/4\\nL:1/4\\nK:F\\nF G A|")[0]
    >>> file = mido.MidiFile(file=io.BytesIO(write_midi(score, lambda part: "flute")))
    >>> [m.key for m in file.tracks[0] if m.type == "key_signature"]
    ['F']
    """
    file = mido.MidiFile(ticks_per_beat=TICKS)
    lines = [
        perform_part(score.title, p, rhythm_only=p.percussion) if p.note_count else None for p in score.parts
    ]
    first = next((line for line in lines if line is not None and not line.part.percussion), None)
    first = first or next((line for line in lines if line is not None), None)
    head = mido.MidiTrack()
    file.tracks.append(head)
    head.append(mido.MetaMessage("track_name", name=_latin(score.title), time=0))
    if first is not None:
        _append(head, _signs(first))
    for k, (part, line) in enumerate(zip(score.parts, lines, strict=True)):
        track = mido.MidiTrack()
        file.tracks.append(track)
        track.append(mido.MetaMessage("track_name", name=_latin(part.name), time=0))
        if line is None:
            continue
        others = [c for c in range(16) if c != DRUM_CHANNEL]
        channel = DRUM_CHANNEL if part.percussion else others[k % len(others)]
        program = 0 if part.percussion else GENERAL_MIDI.get(sound_of(part), GENERAL_MIDI["flute"])
        track.append(mido.Message("program_change", program=program, channel=channel, time=0))
        _append(track, _strokes(line, channel))
    buffer = io.BytesIO()
    file.save(file=buffer)
    return buffer.getvalue()


def _latin(text: str) -> str:
    """MIDI's text is Latin-1."""
    return text.replace("♭", "b").replace("♯", "#").encode("latin-1", "replace").decode("latin-1")


Moments = list[tuple[int, int, "mido.Message | mido.MetaMessage"]]


def _append(track: mido.MidiTrack, moments: Moments) -> None:
    """Messages at ticks, those of one tick by their rank, each with the time since the one before."""
    now = 0
    for tick, _rank, message in sorted(moments, key=lambda m: m[:2]):
        track.append(message.copy(time=tick - now))
        now = tick


def _signs(line: PerformedPart) -> Moments:
    out: Moments = []
    metre: tuple[int, int] = (0, 0)
    key = ""
    for bar in line.bars:
        tick = round(TICKS * bar.onset)
        here = _metre(bar.bar)
        if here != metre:
            metre = here
            out.append((tick, 0, mido.MetaMessage("time_signature", numerator=here[0], denominator=here[1])))
        named = _key(bar.bar, line.part)
        if named != key:
            key = named
            out.append((tick, 1, mido.MetaMessage("key_signature", key=named)))
    speeds = dict(line.tempo_marks)
    speeds.setdefault(Fraction(0), line.written_bpm or USUAL_BPM)
    for at, bpm in speeds.items():
        tempo = mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm))
        out.append((round(TICKS * at), 2, tempo))
    return out


def _metre(bar: Bar) -> tuple[int, int]:
    """The metre of a bar; of a pickup as many beats as it holds."""
    if not bar.implicit or bar.length == bar.metre.length:
        return bar.beats, bar.beat_type
    for beat_type in (bar.beat_type, 8, 16, 32):
        beats = bar.length * beat_type / 4
        if beats.denominator == 1 and 0 < beats < 64:
            return int(beats), beat_type
    return bar.beats, bar.beat_type


def _key(bar: Bar, part: Part) -> str:
    """The key a bar sounds in."""
    if part.percussion:
        return "C"
    fifths = bar.fifths + fifths_of(part.chromatic, part.diatonic or diatonic_of(part.chromatic))
    while not -7 <= fifths <= 7:
        fifths += -12 if fifths > 7 else 12
    return (MINOR if bar.mode == "minor" else MAJOR)[fifths + 7]


def _strokes(line: PerformedPart, channel: int) -> Moments:
    out: Moments = []
    struck = _struck_together(line.part)
    for n in line.main_notes:
        pitches = [n.sounding_midi]
        if line.part.percussion:
            pitches = [DRUM_SET[s].midi if s in DRUM_SET else OTHER_DRUM for s in struck[n.written.id]]
        on, length = round(TICKS * n.onset), 1.0 if n.slurred_to_next else DETACHED
        off = max(on + 1, round(TICKS * (n.onset + n.duration * Fraction(length).limit_denominator(100))))
        for pitch in pitches:
            note = max(0, min(127, pitch))
            out.append((on, 1, mido.Message("note_on", note=note, velocity=80, channel=channel)))
            out.append((off, 0, mido.Message("note_off", note=note, velocity=0, channel=channel)))
    return out


def _struck_together(part: Part) -> dict[str, list[str]]:
    """Everything that is struck with a note without pitch, by the id of the first of them."""
    out: dict[str, list[str]] = {}
    for bar in part.bars:
        for n in bar.notes:
            if n.chord and out:
                out[next(reversed(out))].append(n.stroke)
            elif n.unpitched:
                out[n.id] = [n.stroke]
    return out
