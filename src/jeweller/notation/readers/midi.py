"""Standard MIDI files → `Score`: every track or channel a part in sounding pitch, its times drawn to a grid,
notes spelled by key and by where they lead.

Runs only in the child process of `jeweller.notation.readers.sandbox`. A MIDI file holds no note values: the
grid of each beat is the coarsest that its notes fit.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import mido

from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.barring import BarAttributes, UnbarredNote, add_marks, lay_out_bars
from jeweller.notation.drums import DRUM_SET
from jeweller.notation.model import Mark, Part, Score
from jeweller.notation.pitch import Pitch, in_key, spell
from jeweller.notation.readers.musicxml import MAX_BARS, MAX_NOTES

# Grids that a beat may have, in quarters, each with what it must fit better by than a coarser one (quarters,
# mean over the notes of the beat).
GRIDS = (
    (Fraction(1), 0.0),
    (Fraction(1, 2), 0.01),
    (Fraction(1, 4), 0.02),
    (Fraction(1, 3), 0.025),
    (Fraction(1, 6), 0.045),
    (Fraction(1, 8), 0.045),
)
# quarters, and share of the time to the next note: a shorter gap is a tongue, not a rest
LEGATO_GAP, LEGATO_SHARE = Fraction(1, 4), Fraction(3, 10)
MOST_TEMPOS = 40
DRUMS = 9  # the channel of percussion
# General MIDI's further keys for what the drum set has, by the key it is written with.
ALSO = {35: 36, 40: 38, 57: 49, 55: 49, 46: 42, 59: 51, 53: 51, 43: 41, 45: 47, 48: 50}
PERCUSSION = {v.midi: v for v in DRUM_SET.values()}
FIRST_CLEF_BELOW = 57  # a part whose middle lies lower is written in bass clef
NAMES = {
    9: "Glockenspiel",
    11: "Vibraphone",
    12: "Marimba",
    13: "Xylophone",
    56: "Trumpet in B♭",
    57: "Trombone",
    58: "Tuba",
    59: "Trumpet in B♭",
    60: "Horn in F",
    64: "Soprano saxophone",
    65: "Alto saxophone",
    66: "Tenor saxophone",
    67: "Baritone saxophone",
    68: "Oboe",
    69: "English horn",
    70: "Bassoon",
    71: "Clarinet in B♭",
    72: "Piccolo",
    73: "Flute",
    74: "Soprano recorder",
}


@dataclass
class _Track:
    """The notes of one track and channel: (on, off) in ticks, pitch."""

    name: str
    program: int | None
    channel: int
    notes: list[tuple[int, int, int]]


def read_midi(data: bytes, grid: Fraction | None = None) -> Score:
    """The bytes of a MIDI file → Score, in sounding pitch. `grid` in quarters (None: chosen beat by beat).
    Raises ScoreError.

    >>> from fractions import Fraction
    >>> on, off = mido.Message("note_on", note=60), mido.Message("note_off", note=60, time=480)
    >>> data = io.BytesIO()
    >>> mido.MidiFile(tracks=[mido.MidiTrack([on, off])]).save(file=data)
    >>> [n.pitch.letter for n in read_midi(data.getvalue()).parts[0].bars[0].notes if n.pitch]
    ['C']
    """
    start = data.find(b"MThd")
    try:
        file = mido.MidiFile(file=io.BytesIO(data[max(start, 0) :]), clip=True)
    except (OSError, EOFError, ValueError, IndexError, KeyError, TypeError, mido.KeySignatureError) as error:
        raise ScoreError(
            _("This MIDI file is damaged and cannot be read ({value}). Export it again.").format(
                value=error or type(error).__name__
            )
        ) from error
    if file.ticks_per_beat <= 0 or file.ticks_per_beat >= 0x8000:
        raise ScoreError(
            _("This MIDI file counts time in film frames, not in beats; export it again with beats.")
        )
    tracks = _tracks(file)
    if not tracks:
        raise ScoreError(_("This MIDI file holds no notes."))
    if sum(len(t.notes) for t in tracks) > MAX_NOTES:
        raise ScoreError(
            _("This MIDI file has more than {max_notes} notes and is not opened.").format(max_notes=MAX_NOTES)
        )
    per_quarter = file.ticks_per_beat
    end = max(off for t in tracks for _unused, off, _unused in t.notes)
    signatures = _signatures(file, Fraction(end, per_quarter))
    tempos = _tempos(file)
    warnings = [_("A MIDI file holds no note values, slurs or ornaments: look over the rhythm.")]
    parts = []
    for k, track in enumerate(tracks):
        parts.append(_part(track, k, per_quarter, signatures, tempos, grid, warnings))
    title = next((t.name.strip() for t in file.tracks if t.name.strip()), "")
    return Score(_clean(title), tuple(parts), "", tuple(dict.fromkeys(warnings)))


def _clean(text: str) -> str:
    return "".join(c for c in " ".join(text.split()) if c.isprintable())[:80]


def _tracks(file: mido.MidiFile) -> list[_Track]:
    found: dict[tuple[int, int], _Track] = {}
    for t, track in enumerate(file.tracks):
        now, programs = 0, {}
        sounding: dict[tuple[int, int], list[int]] = {}
        for message in track:
            now += message.time
            if message.type == "program_change":
                programs[message.channel] = message.program
            if message.type not in ("note_on", "note_off"):
                continue
            key = (message.channel, message.note)
            if message.type == "note_on" and message.velocity:
                sounding.setdefault(key, []).append(now)
            elif sounding.get(key):
                on = sounding[key].pop(0)
                entry = found.setdefault(
                    (t, message.channel), _Track(_clean(track.name), None, message.channel, [])
                )
                entry.program = programs.get(message.channel, entry.program)
                entry.notes.append((on, max(now, on + 1), message.note))
    return [found[k] for k in sorted(found) if found[k].notes]


def _signatures(file: mido.MidiFile, end: Fraction) -> list[BarAttributes]:
    """What holds in each bar up to the end."""
    changes: dict[Fraction, dict[str, Any]] = {}
    for track in file.tracks:
        now = 0
        for m in track:
            now += m.time
            at = Fraction(now, file.ticks_per_beat)
            if m.type == "time_signature" and 0 < m.numerator <= 64 and m.denominator in (1, 2, 4, 8, 16, 32):
                changes.setdefault(at, {}).update(beats=m.numerator, beat_type=m.denominator)
            elif m.type == "key_signature":
                minor = m.key.endswith("m")
                tonic = m.key.rstrip("m")
                fifths = (
                    "FCGDAEB".index(tonic[0]) - 1 + {"#": 7, "b": -7}.get(tonic[1:], 0) - (3 if minor else 0)
                )
                if -7 <= fifths <= 7:
                    changes.setdefault(at, {}).update(fifths=fifths, mode="minor" if minor else "major")
    out: list[BarAttributes] = []
    now_q = Fraction(0)
    state: dict[str, Any] = {}
    waiting: list[Fraction] = sorted(changes)
    while now_q < end or not out:
        while waiting and waiting[0] <= now_q:
            state.update(changes[waiting.pop(0)])
        out.append(BarAttributes(**state))
        now_q += out[-1].metre.length
        if len(out) > MAX_BARS:
            raise ScoreError(
                _("This MIDI file lasts more than {max_bars} bars and is not opened.").format(
                    max_bars=MAX_BARS
                )
            )
    return out


def _row(
    placed: Sequence[tuple[Fraction, Fraction, list[int]]],
    key_at: Callable[[Fraction], int],
    *,
    drums: bool,
) -> tuple[list[UnbarredNote], bool]:
    """One voice of notes (begin, end, pitches), and whether some were cut short for it."""
    row: list[UnbarredNote] = []
    now = Fraction(0)
    cut = False
    for k, (on, off, pitches) in enumerate(placed):
        after = placed[k + 1][0] if k + 1 < len(placed) else None
        if after is not None and off > after:
            cut = cut or off - after > LEGATO_GAP
            off = after
        elif after is not None and after - off <= LEGATO_GAP and after - off <= LEGATO_SHARE * (after - on):
            off = after
        if on > now:
            row.append(UnbarredNote(on - now))
        if drums:
            known = PERCUSSION.get(ALSO.get(pitches[-1], pitches[-1]))
            row.append(
                UnbarredNote(
                    off - on,
                    (spell(60),),
                    {"strokes": ((known.name, known.place, known.head) if known else ("", "C5", ""),)},
                )
            )
        else:
            ahead = next(
                (max(ps) for _unused, _unused, ps in placed[k + 1 : k + 5] if max(ps) != max(pitches)), None
            )
            row.append(
                UnbarredNote(
                    off - on,
                    tuple(_spelled(p, key_at(on), ahead) for p in sorted(set(pitches), reverse=True)),
                )
            )
        now = off
    return row, cut


def _part(
    track: _Track,
    index: int,
    per_quarter: int,
    signatures: list[BarAttributes],
    tempos: Sequence[tuple[Fraction, float]],
    grid: Fraction | None,
    warnings: list[str],
) -> Part:
    drums = track.channel == DRUMS
    name = (
        track.name
        or ("Percussion" if drums else NAMES.get(track.program or -1, ""))
        or _("Part {index}").format(index=index + 1)
    )
    instrument = (
        "Percussion" if drums else NAMES.get(track.program if track.program is not None else -1, track.name)
    )
    placed = quantise(
        [(Fraction(a, per_quarter), Fraction(b, per_quarter), p) for a, b, p in track.notes], grid
    )
    middle = sorted(p for _unused, _unused, ps in placed for p in ps)[len(placed) // 2] if placed else 60
    clef = ("percussion", 2, 0) if drums else ("F", 4, 0) if middle < FIRST_CLEF_BELOW else ("G", 2, 0)
    mine = [
        BarAttributes(beats=s.beats, beat_type=s.beat_type, fifths=s.fifths, mode=s.mode, clef=clef)
        for s in signatures
    ]
    row, cut = _row(placed, _keys(mine), drums=drums)
    if cut:
        warnings.append(
            _("{name}: notes that sound together with later ones were cut short").format(name=name)
        )
    short = len(mine) > 1 and mine[0].metre.length < mine[1].metre.length
    begins_short = short and mine[0].metre != mine[1].metre
    # A first bar that is shorter than those behind it is their pickup.
    pickup = mine[0].metre.length if begins_short else Fraction(0)
    signed = [mine[1], *mine[1:]] if begins_short else mine
    bars = lay_out_bars(row, signed, pickup=pickup, prefix=f"p{index + 1}")
    bars = add_marks(bars, [(at, mark) for at, bpm in tempos if (mark := _tempo_mark(bpm)) is not None])
    return Part(
        id=f"P{index + 1}",
        name=name,
        instrument=instrument,
        diatonic=0,
        chromatic=0,
        bars=bars,
        percussion=drums,
    )


def _spelled(pitch: int, fifths: int, ahead: int | None) -> Pitch:
    """By the key; outside it raised where the next other pitch lies a semitone above, lowered where it lies
    one below.
    """
    if ahead is None or abs(ahead - pitch) != 1 or in_key(pitch, fifths):
        return spell(pitch, fifths)
    return spell(pitch, 0 if ahead > pitch else -1)


def _tempos(file: mido.MidiFile) -> list[tuple[Fraction, float]]:
    """The speeds, quarters a minute, each with where it begins; where none is given it is MIDI's own."""
    found: dict[Fraction, float] = {}
    for track in file.tracks:
        now = 0
        for m in track:
            now += m.time
            if m.type == "set_tempo":
                found[Fraction(now, file.ticks_per_beat)] = mido.tempo2bpm(m.tempo)
    found.setdefault(Fraction(0), 120.0)
    rows: list[tuple[Fraction, float]] = []
    for at, bpm in sorted(found.items()):
        if not rows or round(bpm, 1) != round(rows[-1][1], 1):
            rows.append((at, bpm))
    # A file that was played, with a speed for every beat, is written at the first.
    return rows if len(rows) <= MOST_TEMPOS else rows[:1]


def _tempo_mark(bpm: float) -> Mark | None:
    if not 10 <= bpm <= 600:
        return None
    return Mark(
        kind="tempo",
        offset=Fraction(0),
        value=round(bpm, 2),
        beat_unit="quarter",
        per_minute=f"{round(bpm)}",
    )


def _keys(signatures: list[BarAttributes]) -> Callable[[Fraction], int]:
    starts: list[tuple[Fraction, int]] = []
    now = Fraction(0)
    for s in signatures:
        starts.append((now, s.fifths))
        now += s.metre.length

    def key_at(at: Fraction) -> int:
        return max((x for x in starts if x[0] <= at), default=(Fraction(0), 0))[1]

    return key_at


def quantise(
    notes: Iterable[tuple[Fraction, Fraction, int]], grid: Fraction | None
) -> list[tuple[Fraction, Fraction, list[int]]]:
    """(onset, end, pitches) in order, drawn to a grid (quarters); None: to the coarsest that fits in each
    beat. Notes that begin together are a chord.

    >>> from fractions import Fraction as F
    >>> played = [(F(1, 50), F(95, 100), 60), (F(51, 50), F(3, 2), 62), (F(29, 20), F(2), 64)]
    >>> [(str(on), str(end), pitches) for on, end, pitches in quantise(played, None)]
    [('0', '1', [60]), ('1', '3/2', [62]), ('3/2', '2', [64])]
    """
    ordered = sorted(notes)
    beats: dict[int, list[Fraction]] = {}
    for on, *_unused in ordered:
        beats.setdefault(int(on + Fraction(1, 16)), []).append(on)
    chosen = {beat: grid or _best_grid(onsets) for beat, onsets in beats.items()}
    out: dict[Fraction, tuple[Fraction, list[int]]] = {}
    for on, off, pitch in ordered:
        step = chosen[int(on + Fraction(1, 16))]
        at = _to(on, step)
        end = max(
            _to(off, chosen.get(int(off), step) if step.denominator % 3 else step),
            at + min(step, _to_finest(off - on, step)),
        )
        before = out.get(at)
        out[at] = (max(end, before[0]) if before else end, [*(before[1] if before else []), pitch])
    return [(at, end, pitches) for at, (end, pitches) in sorted(out.items())]


def _to(value: Fraction, step: Fraction) -> Fraction:
    return round(value / step) * step


def _to_finest(length: Fraction, step: Fraction) -> Fraction:
    """The shortest a note of this length may become."""
    return max(
        _to(length, Fraction(1, 4) if step.denominator % 3 else Fraction(1, 6)),
        Fraction(1, 8) if step.denominator % 3 else Fraction(1, 6),
    )


def _best_grid(onsets: list[Fraction]) -> Fraction:
    def cost(grid: tuple[Fraction, float]) -> float:
        step, dearer = grid
        return (
            float(sum(abs(o - _to(o, step)) for o in onsets)) / len(onsets)
            + dearer
            + (len(onsets) - len({_to(o, step) for o in onsets})) * 0.2
        )

    # Notes that begin together are no reason for a finer grid.
    apart = [o for k, o in enumerate(onsets) if not k or o - onsets[k - 1] > Fraction(1, 24)]
    onsets = apart
    return min(GRIDS, key=cost)[0]
