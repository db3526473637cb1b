#!/usr/bin/env python3
"""Composes the demo band's music and plays its takes: writes src/jeweller/assets/demo (scores, recordings,
band.json with what was planned).

All music, names and places are made up here. Run again after a change of the simulated player:
    .venv/bin/python tools/make_demo.py
"""

from __future__ import annotations

import json
import re
from fractions import Fraction
from pathlib import Path

from jeweller.audio.encode import write_sound
from jeweller.instruments.table import require_instrument
from jeweller.notation.model import Bar, Mark, Note, Part, Score
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notation.pitch import Pitch, key_alter
from jeweller.notation.values import guess_type
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.simulator.perform import Manner, Plan, perform
from jeweller.simulator.room import Room, put_in_room
from jeweller.synthesis.sampler import RATE, render

OUT = Path(__file__).parent.parent / "src" / "jeweller" / "assets" / "demo"
STEPS = "CDEFGAB"
# part name, instrument id, clef, semitones the concert line is moved for this instrument's register
PARTS = [
    ("Flute", "flute", ("G", 2, 0), 0),
    ("Oboe", "oboe", ("G", 2, 0), 0),
    ("Clarinet in B♭", "clarinet", ("G", 2, 0), 0),
    ("Alto Saxophone", "alto-saxophone", ("G", 2, 0), 0),
    ("Tenor Saxophone", "tenor-saxophone", ("G", 2, 0), -12),
    ("Trumpet in B♭", "trumpet", ("G", 2, 0), 0),
    ("Horn in F", "horn", ("G", 2, 0), -12),
    ("Trombone", "trombone", ("F", 4, 0), -12),
    ("Euphonium", "euphonium", ("F", 4, 0), -12),
    ("Bassoon", "bassoon", ("F", 4, 0), -12),
    ("Tuba", "tuba", ("F", 4, 0), -24),
]

PIECES = {
    "first-light": dict(
        title="First Light",
        beats=4,
        beat_type=4,
        fifths=-2,
        bpm=72,
        unit="quarter",
        music="""
        Bb4/2 C5/2 | D5/4 | Eb5/2 F5/2 | F5/2 r/2 | Eb5/2 D5/2 | C5/4 | Bb4/2 C5/2 | Bb4/4""",
    ),
    "weir-steps": dict(
        title="Up the Weir Steps",
        beats=4,
        beat_type=4,
        fifths=-3,
        bpm=84,
        unit="quarter",
        music="""
        Eb4/.5 F4/.5 G4/.5 Ab4/.5 Bb4/.5 C5/.5 D5/.5 Eb5/.5 | Eb5/.5 D5/.5 C5/.5 Bb4/.5 Ab4/.5 G4/.5 F4/.5 Eb4/.5 |
        Eb4/.5 G4/.5 F4/.5 Ab4/.5 G4/.5 Bb4/.5 Ab4/.5 C5/.5 | Bb4/.5 D5/.5 C5/.5 Eb5/.5 D5/1 r/1 |
        Eb5/.5 C5/.5 D5/.5 Bb4/.5 C5/.5 Ab4/.5 Bb4/.5 G4/.5 | Ab4/.5 F4/.5 G4/.5 Eb4/.5 F4/1 r/1 |
        Eb4/.5 G4/.5 Bb4/.5 Eb5/.5 Bb4/.5 G4/.5 Eb4/1 | Eb4/4""",
    ),
    "lockkeepers-march": dict(
        title="The Lockkeeper's March",
        beats=4,
        beat_type=4,
        fifths=-3,
        bpm=96,
        unit="quarter",
        pickup=True,
        music="""
        Bb4/1 | Eb5/1 D5/.5 Eb5/.5 F5/1 Bb4/1 | G5/1.5 F5/.5 Eb5/1 Bb4/1 | C5/1 D5/1 Eb5/2 | F5/2 r/1 Bb4/1 |
        Eb5/1 D5/.5 Eb5/.5 F5/1 Bb4/1 | G5/1.5 Ab5/.5 G5/1 F5/1 | Eb5/1 C5/1 D5/1 F5/1 | Eb5/2 r/2 |
        Ab4/1 C5/1 Eb5/1 C5/1 | Bb4/1 D5/1 F5/2 | r/2 Bb4/1 C5/1 | D5/.5 Eb5/.5 F5/.5 D5/.5 Bb4/2 |
        Ab4/1 C5/1 Eb5/1 Ab5/1 | G5/1 E5/1 F5/2 | D5/1.5 Eb5/.5 F5/1 Bb4/1 | Eb5/3""",
        words={1: "Alla marcia"},
        dynamics={0: "mf", 9: "p", 13: "f"},
    ),
    "canal-lanterns": dict(
        title="Lanterns on the Canal",
        beats=6,
        beat_type=8,
        fifths=-1,
        bpm=84,
        unit="quarter.",
        music="""
        C5/.75( D5/.25) C5/.5 A4/1.5 | Bb4/.75( C5/.25) Bb4/.5 G4/1.5 | A4/.5( Bb4/.5 C5/.5) D5/1 C5/.5 | C5/1.5 r/1.5 |
        F5/.75( E5/.25) D5/.5 C5/1.5 | D5/.75( C5/.25) Bb4/.5 A4/1.5 | G4/.5( A4/.5 Bb4/.5) C5/1 E4/.5 | F4/1.5 r/1.5 |
        A4/1( G4/.5) F4/1( A4/.5) | C5/1( Bb4/.5) A4/1( C5/.5) | D5/.75( C5/.25) Bb4/.5 G4/1 E4/.5 | F4/3""",
        words={0: "Gently rocking"},
        dynamics={0: "p"},
    ),
    "fernhollow-air": dict(
        title="Fernhollow Air",
        beats=3,
        beat_type=4,
        fifths=-2,
        bpm=80,
        unit="quarter",
        fine=7,
        dacapo=11,
        music="""
        F4/1 Bb4/1 C5/1 | {C5}D5/2 C5/1 | Bb4/1 A4/.5 Bb4/.5 G4/1 | F4/3 | F4/1 Bb4/1 D5/1 | {F5}Eb5/2 D5/1 | C5/2t Bb4/1 | Bb4/3 |
        D5/1.5 Eb5/.5 F5/1 | {G5}F5/2 D5/1 | C5/1 B4/1 C5/1 | C5/2t F4/1""",
        words={0: "Simply"},
        dynamics={0: "mp"},
    ),
}

SIGNS = {-2: "flat-flat", -1: "flat", 0: "natural", 1: "sharp", 2: "double-sharp"}


def transpose(pitch: Pitch, chromatic: int, fifths_shift: int) -> Pitch:
    """A concert pitch as written for an instrument: `chromatic` semitones up, spelled by the shift of the
    key.
    """
    diatonic = round((chromatic * 7 - 0.01) / 12)
    index = pitch.diatonic + diatonic
    step, octave = STEPS[index % 7], index // 7
    natural = Pitch(step, 0, octave).midi
    return Pitch(step, pitch.midi + chromatic - natural, octave)


def make_part(
    name: str, instrument_id: str, clef: tuple[str, int, int], shift: int, piece: dict, number: int
) -> Part:
    instrument = require_instrument(instrument_id)
    up = -instrument.chromatic
    fifths = piece["fifths"] + (7 * up) % 12 - (12 if (7 * up) % 12 > 6 else 0)
    bars = []
    texts = [b.split() for b in re.sub(r"\s+", " ", piece["music"]).strip().split("|")]
    metre = Fraction(4 * piece["beats"], piece["beat_type"])
    for k, tokens in enumerate(texts):
        notes: list[Note] = []
        at = Fraction(0)
        state = {s: key_alter(s, fifths) for s in STEPS}
        label = str(k if piece.get("pickup") else k + 1)
        for token in tokens:
            match = re.fullmatch(r"(?:\{(\w+)\})?([A-G](?:b|#)?\d|r)/([\d.]+)([()tfv.]*)", token)
            assert match, token
            grace, head, length, flags = match.groups()
            duration = Fraction(length)
            for text, is_grace in ((grace, True), (head, False)):
                if not text:
                    continue
                pitch, accidental = None, None
                if text != "r":
                    concert = Pitch(text[0], {"b": -1, "#": 1}.get(text[1], 0), int(text[-1]))
                    pitch = transpose(concert, up + shift, fifths)
                    if state[pitch.step] != pitch.alter:
                        accidental = SIGNS[pitch.alter]
                        state[pitch.step] = pitch.alter
                kind, dots, tuplet = guess_type(Fraction(1, 2) if is_grace else duration)
                place = f"{at.numerator}" + (f"-{at.denominator}" if at.denominator > 1 else "")
                notes.append(
                    Note(
                        id=f"p{number}.b{label}.q{place}{'.g' if is_grace else ''}",
                        offset=at,
                        duration=Fraction(0) if is_grace else duration,
                        pitch=pitch,
                        type=kind,
                        dots=dots,
                        tuplet=tuplet,
                        grace=is_grace,
                        slash=is_grace,
                        accidental=accidental,
                        ornament="trill" if "t" in flags and not is_grace else None,
                        slur_starts=("1",) if "(" in flags and not is_grace else (),
                        slur_stops=("1",) if ")" in flags and not is_grace else (),
                        articulations=("staccato",) if "." in flags and not is_grace else (),
                        fermata="f" in flags,
                        breath_after="v" in flags,
                        whole_bar=text == "r" and duration == metre,
                    )
                )
            at += duration
        marks = []
        if k == 0:
            quarter = piece["bpm"] / (1.5 if piece["unit"].endswith(".") else 1)
            marks.append(
                Mark(
                    kind="tempo",
                    offset=Fraction(0),
                    value=float(piece["bpm"]),
                    beat_unit=piece["unit"],
                    per_minute=f"{quarter:g}",
                )
            )
        if k in piece.get("words", {}):
            marks.append(Mark(kind="words", offset=Fraction(0), text=piece["words"][k]))
        if k in piece.get("dynamics", {}):
            marks.append(Mark(kind="dynamics", offset=Fraction(0), text=piece["dynamics"][k], above=False))
        if piece.get("dacapo") == k:
            marks.append(Mark(kind="words", offset=Fraction(0), text="D.C. al Fine"))
        last = k == len(texts) - 1
        bars.append(
            Bar(
                number=label,
                length=at,
                beats=piece["beats"],
                beat_type=piece["beat_type"],
                fifths=fifths,
                mode="major",
                clef=clef,
                notes=tuple(notes),
                marks=tuple(marks),
                implicit=at < metre,
                fine=piece.get("fine") == k,
                dacapo=piece.get("dacapo") == k,
                double_bar=piece.get("fine") == k,
                final_bar=last,
            )
        )
        if not piece.get("pickup"):
            assert at == metre, (piece["title"], label, at)
    octave = 0
    return Part(
        id=f"P{number}",
        name=name,
        instrument=name,
        diatonic=-round((up * 7 - 0.01) / 12) + 7 * octave,
        chromatic=-up,
        bars=tuple(bars),
    )


def find(line: PerformedPart, bar: str, q: float, passing: int = 1) -> int:
    return next(
        i
        for i, n in enumerate(line.main_notes)
        if n.bar == bar and float(n.offset) == q and n.passing == passing
    )


# player, part, piece, manner, seed, room, faults as (kind, bar, quarter, amount, count, pass, cause)
TAKES = [
    (
        "Ilse",
        "Flute",
        "fernhollow-air",
        dict(bpm=76, tuning_cents=18),
        Room(0.5, 0.22, 40),
        [("grace_missed", "6", 0, 0, 1, 1, None), ("trill_missed", "12", 0, 0, 1, 1, None)],
    ),
    (
        "Bram",
        "Trumpet in B♭",
        "lockkeepers-march",
        dict(bpm=92),
        Room(0.35, 0.18, 42),
        [
            ("missed_accidental", "6", 1.5, 1, 1, 1, "forgot_key_signature"),
            ("missed_accidental", "9", 0, 1, 1, 1, "forgot_key_signature"),
            ("missed_accidental", "13", 0, 1, 1, 1, "forgot_key_signature"),
            ("rest_short", "10", 2, -1, 1, 1, "rest_miscounted"),
            ("dynamics_flat", "1", 0, 0, 1, 1, None),
        ],
    ),
    (
        "Noor",
        "Clarinet in B♭",
        "lockkeepers-march",
        dict(bpm=88),
        Room(0.4, 0.2, 38),
        [
            ("added_accidental", "7", 1, 1, 1, 1, None),
            ("restart", "12", 0, 0, 3, 1, None),
            ("dynamics_flat", "1", 0, 0, 1, 1, None),
        ],
    ),
    (
        "Juno",
        "Tenor Saxophone",
        "canal-lanterns",
        dict(bpm=78, drift=0.02),
        Room(0.3, 0.15, 40),
        [
            ("dot_lost", "1", 0, 0, 1, 1, None),
            ("dot_lost", "2", 0, 0, 1, 1, None),
            ("dot_lost", "5", 0, 0, 1, 1, None),
            ("dot_lost", "6", 0, 0, 1, 1, None),
            ("dot_lost", "11", 0, 0, 1, 1, None),
            ("dragging", "9", 0, 1.35, 12, 1, "too_fast_for_now"),
        ],
    ),
    (
        "Pip",
        "Alto Saxophone",
        "weir-steps",
        dict(bpm=80),
        Room(0.35, 0.2, 36),
        [("uneven", "5", 0, 2.0, 8, 1, None)],
    ),
    (
        "Tove",
        "Horn in F",
        "first-light",
        dict(bpm=70),
        Room(0.6, 0.25, 40),
        [
            ("wrong_octave", "3", 2, -12, 1, 1, "partial_same_fingering"),
            ("cut_short", "6", 0, 0.45, 1, 1, None),
        ],
    ),
    (
        "Edda",
        "Trombone",
        "lockkeepers-march",
        dict(bpm=94),
        Room(0.35, 0.18, 40),
        [("bar_skipped", "9", 0, 0, 4, 1, None), ("wrong_note", "14", 2, -2, 1, 1, None)],
    ),
    (
        "Kit",
        "Euphonium",
        "weir-steps",
        dict(bpm=84),
        Room(0.4, 0.2, 38),
        [
            ("hesitation", "3", 3, 1.6, 1, 1, None),
            ("wrong_partial", "5", 2, 3, 1, 1, "partial_same_fingering"),
        ],
    ),
    (
        "Wren",
        "Tuba",
        "first-light",
        dict(bpm=72),
        Room(0.5, 0.2, 36),
        [("rest_filled", "4", 0, 0, 1, 1, None)],
    ),
    (
        "Ansel",
        "Oboe",
        "fernhollow-air",
        dict(bpm=82),
        Room(0.4, 0.2, 42),
        [("missed_note", "9", 1.5, 0, 1, 1, None), ("rushing", "1", 0, 0.74, 13, 2, None)],
    ),
    (
        "Mabel",
        "Bassoon",
        "canal-lanterns",
        dict(bpm=84),
        Room(0.5, 0.22, 40),
        [("extra_note", "4", 0, 2, 1, 1, None), ("late", "10", 1.5, 0.42, 1, 1, None)],
    ),
    ("Rafi", "Trumpet in B♭", "weir-steps", dict(bpm=86), Room(0.3, 0.15, 42), []),
    (
        "Oda",
        "Clarinet in B♭",
        "first-light",
        dict(bpm=66),
        Room(0.35, 0.18, 34),
        [("rest_long", "4", 0, 1, 1, 1, "rest_miscounted"), ("out_of_tune", "6", 0, -42, 1, 1, None)],
    ),
    (
        "Fenn",
        "Flute",
        "lockkeepers-march",
        dict(bpm=100),
        Room(0.4, 0.2, 40),
        [
            ("missed_accidental", "14", 1, -1, 1, 1, "forgot_printed_accidental"),
            ("held_over", "10", 2, 1, 1, 1, "long_note_miscounted"),
        ],
    ),
]

# The whole band on one line, a week later: the rest in bar 4 is the place that many miss.
WEEK = "Second week: First Light"
SHORT, LONG = (
    ("rest_short", "4", 0, -1, 1, 1, "rest_miscounted"),
    ("rest_long", "4", 0, 1, 1, 1, "rest_miscounted"),
)
FLAT = ("missed_accidental", "3", 0, 1, 1, 1, "forgot_key_signature")
SECOND = [
    ("Ilse", "Flute", "first-light", dict(bpm=72, tuning_cents=16), Room(0.5, 0.22, 40), []),
    ("Ansel", "Oboe", "first-light", dict(bpm=70), Room(0.4, 0.2, 42), [SHORT]),
    (
        "Oda",
        "Clarinet in B♭",
        "first-light",
        dict(bpm=70),
        Room(0.35, 0.18, 34),
        [("out_of_tune", "6", 0, -42, 1, 1, None)],
    ),
    (
        "Pip",
        "Alto Saxophone",
        "first-light",
        dict(bpm=74),
        Room(0.35, 0.2, 36),
        [SHORT, ("added_accidental", "3", 0, 1, 1, 1, None)],
    ),
    ("Juno", "Tenor Saxophone", "first-light", dict(bpm=69), Room(0.3, 0.15, 40), [LONG]),
    ("Rafi", "Trumpet in B♭", "first-light", dict(bpm=74), Room(0.3, 0.15, 42), []),
    (
        "Tove",
        "Horn in F",
        "first-light",
        dict(bpm=70),
        Room(0.6, 0.25, 40),
        [("wrong_octave", "3", 2, -12, 1, 1, "partial_same_fingering")],
    ),
    ("Edda", "Trombone", "first-light", dict(bpm=76), Room(0.35, 0.18, 40), [FLAT, SHORT]),
    (
        "Kit",
        "Euphonium",
        "first-light",
        dict(bpm=72),
        Room(0.4, 0.2, 38),
        [("cut_short", "6", 0, 0.45, 1, 1, None)],
    ),
    (
        "Mabel",
        "Bassoon",
        "first-light",
        dict(bpm=71),
        Room(0.5, 0.22, 40),
        [("wrong_note", "7", 2, 2, 1, 1, None)],
    ),
    ("Wren", "Tuba", "first-light", dict(bpm=73), Room(0.5, 0.2, 36), []),
]


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    lines: dict[tuple[str, str], PerformedPart] = {}
    for key, piece in PIECES.items():
        parts = tuple(make_part(n, i, c, s, piece, k + 1) for k, (n, i, c, s) in enumerate(PARTS))
        score = Score(piece["title"], parts, "The Fernhollow Band")
        (OUT / f"{key}.musicxml").write_bytes(write_musicxml(score))
        for part in parts:
            lines[key, part.name] = perform_part(score.title, part)
    takes = []
    for k, (player, part, piece, manner, room, faults) in enumerate(TAKES + SECOND):
        line = lines[piece, part]
        plans = tuple(
            Plan(kind=kind, at=find(line, bar, q, passing), amount=amount, count=count, cause=cause)
            for kind, bar, q, amount, count, passing, cause in faults
        )
        played = perform(line, Manner(**manner), plans, seed=100 + k)
        instrument = require_instrument(part)
        dry = render(list(played.tones), instrument.sound, played.seconds)
        name = f"{k + 1:02d}-{player.lower()}-{instrument.id}.ogg"
        write_sound(OUT / name, put_in_room(dry, RATE, room, seed=k), RATE)
        planted = [
            {"kind": f.kind, "bar": f.bar, "at_s": f.at_s, "until_s": f.until_s, "cause": f.cause}
            for f in played.faults
        ]
        takes.append(
            {
                "file": name,
                "player": player,
                "title": PIECES[piece]["title"],
                "score": f"{piece}.musicxml",
                "part": part,
                "planned": planted,
                **({"tray": WEEK} if k >= len(TAKES) else {}),
            }
        )
        print(name, f"{played.seconds:.1f} s", [(f["kind"], f["bar"]) for f in planted])
    band = {"band": "The Fernhollow Band", "place": "Fernhollow", "takes": takes}
    (OUT / "band.json").write_text(json.dumps(band, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
