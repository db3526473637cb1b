"""Made exercises: by property for every instrument and key, and by hand for each kind; printing them with
lines under the notes; the commands.
"""

from __future__ import annotations

import contextlib
import io
import itertools
import unittest
from dataclasses import replace
from fractions import Fraction

import mido
import numpy as np

from jeweller.assessment.finding import SURE
from jeweller.audio.decode import decode
from jeweller.audio.encode import write_sound
from jeweller.cli.main import main
from jeweller.documents.engraving import engrave
from jeweller.documents.parts import SheetSettings, drum_legend, parts_page
from jeweller.documents.text_lines import TextLineSettings, list_texts
from jeweller.errors import DrillError
from jeweller.exercises.harmony import VOICES, voice_line, voice_of
from jeweller.exercises.make import make_exercise, written_tonic
from jeweller.exercises.pages import make_page
from jeweller.exercises.request import (
    ARTICULATIONS,
    CHOICES,
    INTERVALS,
    KINDS,
    METRES,
    USES,
    ExerciseRequest,
    apply_choices,
)
from jeweller.exercises.rhythms import ROWS
from jeweller.exercises.scales import SCALES, read_tonic
from jeweller.instruments.table import find_instrument, instruments, require_instrument
from jeweller.notation.model import Mark, Part, Score
from jeweller.notation.performance import perform_part
from jeweller.notation.readers.musicxml import read
from jeweller.notation.readers.sandbox import load_score
from jeweller.notation.swing import swung
from jeweller.notation.values import TYPE_QUARTERS
from jeweller.notation.writers.midi import write_midi
from jeweller.notation.writers.musicxml import compute_beams, rest_blocks, write_musicxml
from jeweller.pipeline.check import check
from jeweller.synthesis.model import play_model, sounded
from tests.support import TempCase, part_of

KEYS = ("C", "G", "D", "A", "E", "B", "F#", "F", "Bb", "Eb", "Ab", "Db")
EVERYBODY = list(instruments())
DRILL = ExerciseRequest()


def one(drill: ExerciseRequest, name: str = "flute") -> Part:
    return make_exercise(drill, [require_instrument(name)]).score.parts[0]


def names(part: Part) -> str:
    return " ".join(n.pitch.name if n.pitch else "r" for b in part.bars for n in b.notes)


class Property(unittest.TestCase):
    """Each exercise for a third of the instruments, the next for the next third."""

    turn = 0

    def check(self, drill: ExerciseRequest) -> None:
        Property.turn += 1
        third = (Property.turn + Property.turn // 3) % 3  # no metre or key always meets the same third
        with self.subTest(drill):
            for part in make_exercise(drill, EVERYBODY[third::3]).score.parts:
                instrument = find_instrument(part.name)
                assert instrument is not None
                limits = instrument.written_range("advanced") or (0, 127)
                for bar in part.bars:
                    self.assertEqual(sum(n.duration for n in bar.notes if not n.chord), bar.length)
                    self.assertTrue(bar.length == bar.metre.length or bar.implicit)
                    for n in bar.notes:
                        self.assertTrue(
                            n.pitch is None or limits[0] <= n.pitch.midi <= limits[1], (part.name, n.pitch)
                        )
                        dots = (Fraction(1), Fraction(3, 2), Fraction(7, 4))[n.dots]
                        printed = (
                            TYPE_QUARTERS[n.type]
                            * dots
                            * (Fraction(n.tuplet[1], n.tuplet[0]) if n.tuplet else 1)
                        )
                        self.assertTrue(printed == n.duration or n.whole_bar)
                        self.assertFalse(n.unpitched and (n.tie_start or n.tie_stop))

    def test_every_kind_in_every_key(self) -> None:
        for key in KEYS:
            self.check(replace(DRILL, tonic=key))
        for k, kind in enumerate(KINDS):
            self.check(replace(DRILL, kind=kind, tonic=KEYS[(7 * k) % 12]))

    def test_every_scale_over_the_whole_range(self) -> None:
        for k, scale in enumerate(CHOICES["scale"]):
            self.check(
                replace(DRILL, scale=scale, tonic=KEYS[(5 * k) % 12], span="full range", level="advanced")
            )

    def test_every_rhythm_and_metre(self) -> None:
        for k, rhythm in enumerate(ROWS):
            self.check(replace(DRILL, rhythm=rhythm, metre=METRES[k % len(METRES)]))
        for k, (kind, metre) in enumerate(
            itertools.product(("rhythm", "echo", "drums", "shrinking"), METRES)
        ):
            self.check(
                replace(
                    DRILL,
                    kind=kind,
                    metre=metre,
                    uses=("dots", "rests", "ties", "fast"),
                    pickup=True,
                    on="the scale",
                    seed=k,
                )
            )


class EveryChoice(unittest.TestCase):
    def test_no_choice_ends_in_anything_but_music_or_a_sentence(self) -> None:
        rng = np.random.default_rng(11)
        tonics = [letter + sign for letter in "CDEFGAB" for sign in ("", "♭", "♯")]
        spans = ("five notes", "tetrachord", "one octave", "two octaves", "full range", "register throat")
        figures = ("1 2 3 1", "1 2 3 4 5 4 3 2", "1 8 1", "1", "3 1 2")
        players, made = instruments(), 0
        for _ in range(800):
            chosen = {name: str(rng.choice(choices)) for name, choices in CHOICES.items()}
            request = ExerciseRequest(
                **chosen,  # type: ignore[arg-type]
                tonic=str(rng.choice(tonics)),
                concert=bool(rng.integers(2)),
                span=str(rng.choice(spans)),
                figure=str(rng.choice(figures)),
                degree=int(rng.integers(1, 8)),
                counts=int(rng.choice([1, 2, 7, 32])),
                rest=int(rng.choice([0, 1, 16])),
                bars=int(rng.choice([1, 2, 8])),
                progression=str(rng.choice(["1 4 5 1", "1", "2 7 3", "8", "x"])),
                uses=tuple(u for u in USES if rng.random() < 0.3),
                pickup=bool(rng.integers(2)),
                seed=int(rng.integers(99)),
            )
            with self.subTest(request), contextlib.suppress(DrillError):
                make_exercise(request, [players[int(rng.integers(len(players)))]])
                made += 1
        self.assertGreater(made, 300)

    def test_keys_of_seven_signs_and_a_chromatic_scale_that_comes_down_in_flats(self) -> None:
        def made(tonic: str, scale: str) -> Part:
            request = ExerciseRequest(tonic=tonic, scale=scale, concert=False)
            return make_exercise(request, [require_instrument("flute")]).score.parts[0]

        self.assertEqual([made(t, "major").bars[0].fifths for t in ("C♯", "C♭")], [7, -7])
        band = make_exercise(
            ExerciseRequest(tonic="C♯"), [require_instrument(n) for n in ("flute", "clarinet")]
        )
        self.assertEqual([p.bars[0].fifths for p in band.score.parts], [-5, -3])
        self.assertEqual(band.told, ("Flute: C♯ is written as D♭, with fewer signs.",))
        letters = [n.known_pitch.letter for b in made("F♯", "chromatic").bars for n in b.notes]
        self.assertIn("D♯", letters[:12])
        self.assertEqual(
            letters[12:25], ["F♯", "F", "E", "E♭", "D", "D♭", "C", "B", "B♭", "A", "A♭", "G", "F♯"]
        )

    def test_what_does_not_fit_is_said(self) -> None:
        for request, words in (
            (ExerciseRequest(kind="intervals", interval="sixths", span="five notes"), "Sixths do not fit"),
            (
                ExerciseRequest(kind="pattern", figure="1 2 3 4 5", span="tetrachord"),
                "1 2 3 4 5 does not fit",
            ),
        ):
            with self.assertRaisesRegex(DrillError, words):
                make_exercise(request, [require_instrument("flute")])


class ByHand(unittest.TestCase):
    def test_the_same_sound_for_everybody_or_the_same_written_key(self) -> None:
        together = make_exercise(
            DRILL, [require_instrument(n) for n in ("flute", "clarinet", "alto-saxophone", "horn", "tuba")]
        )
        sounding = {
            (n.sounding_midi - p.bars[0].notes[0].pitch.midi - p.chromatic) % 12
            for p in together.score.parts
            for n in perform_part("", p).notes[:1]
            if p.bars[0].notes[0].pitch
        }
        self.assertEqual(sounding, {0})
        self.assertEqual(
            {
                (p.bars[0].notes[0].pitch.midi + p.chromatic) % 12
                for p in together.score.parts
                if p.bars[0].notes[0].pitch
            },
            {10},
        )
        self.assertEqual([p.bars[0].fifths for p in together.score.parts], [-2, 0, 1, -1, -2])
        alike = make_exercise(
            replace(DRILL, concert=False), [require_instrument(n) for n in ("flute", "clarinet")]
        )
        self.assertEqual([p.bars[0].fifths for p in alike.score.parts], [-2, -2])

    def test_scales_are_spelled_and_altered_as_they_go(self) -> None:
        for scale, tonic, expected in (
            ("harmonic minor", "G", "G4 A4 B♭4 C5 D5 E♭5 F♯5 G5 F♯5 E♭5 D5 C5 B♭4 A4 G4"),
            ("melodic minor", "G", "G4 A4 B♭4 C5 D5 E5 F♯5 G5 F5 E♭5 D5 C5 B♭4 A4 G4"),
            (
                "chromatic",
                "F",
                "F4 F♯4 G4 G♯4 A4 B♭4 B4 C5 C♯5 D5 D♯5 E5 F5 E5 E♭5 D5 D♭5 C5 B4 B♭4 A4 A♭4 G4 G♭4 F4",
            ),
            ("whole-tone", "F", "F4 G4 A4 B4 C♯5 D♯5 F5 D♯5 C♯5 B4 A4 G4 F4"),
            ("major pentatonic", "F", "F4 G4 A4 C5 D5 F5 D5 C5 A4 G4 F4"),
            ("dorian", "D", "D4 E4 F4 G4 A4 B4 C5 D5 C5 B4 A4 G4 F4 E4 D4"),
            ("blues", "F", "F4 A♭4 B♭4 B4 C5 E♭5 F5 E♭5 C5 C♭5 B♭4 A♭4 F4"),
        ):
            with self.subTest(scale):
                self.assertEqual(names(one(replace(DRILL, scale=scale, tonic=tonic))), expected)

    def test_each_kind(self) -> None:
        for changes, expected in (
            ({"kind": "arpeggio", "chord": "dominant seventh"}, "F4 A4 C5 E♭5 F5 E♭5 C5 A4 F4"),
            (
                {"kind": "arpeggio", "chord": "diminished seventh", "tonic": "B"},
                "B4 D5 F5 A♭5 B5 A♭5 F5 D5 B4",
            ),
            (
                {"kind": "inversions", "direction": "up"},
                "F4 A4 C5 A4 C5 F5 C5 F5 A5 F5 A5 C6",
            ),
            ({"kind": "chords", "progression": "1 4 5", "metre": "3/4"}, "F4 A4 C5 F4 B♭4 D5 G4 C5 E5 F4"),
            (
                {"kind": "intervals"},
                "F4 A4 G4 B♭4 A4 C5 B♭4 D5 C5 E5 D5 F5 D5 E5 C5 D5 B♭4 C5 A4 B♭4 G4 A4 F4",
            ),
            (
                {"kind": "pattern", "span": "five notes", "figure": "1 2 3", "direction": "up"},
                "F4 G4 A4 G4 A4 B♭4 A4 B♭4 C5",
            ),
            ({"kind": "arpeggio", "chord": "seventh"}, "F4 A4 C5 E5 F5 E5 C5 A4 F4"),
            ({"kind": "leaps", "span": "five notes"}, "F4 G4 F4 A4 F4 B♭4 F4 C5 F4"),
            (
                {"kind": "leaps", "span": "five notes", "leaps": "inward", "direction": "up"},
                "F4 C5 F4 B♭4 F4 A4 F4 G4 F4",
            ),
            ({"kind": "long tones", "span": "tetrachord", "direction": "up"}, "F4 G4 A4 B♭4"),
            (
                {"kind": "switch", "other": "C", "metre": "2/4"},
                "F5 C5 F5 C5 F5 C5 F5 C5 F5 C5 F5 C5 F5 C5 F5",
            ),
        ):
            with self.subTest(changes):
                part = one(replace(DRILL, **{"tonic": "F", "rhythm": "quarters", **changes}))  # type: ignore[arg-type]
                self.assertEqual(
                    " ".join(n.written.pitch.name for n in perform_part("", part).notes if n.written.pitch),
                    expected,
                )

    def test_counts_and_silent_bars(self) -> None:
        tones = one(replace(DRILL, kind="long tones", span="tetrachord", direction="up", counts=6, rest=2))
        line = perform_part("", tones)
        self.assertEqual([n.duration for n in line.notes], [6, 6, 6, 6])
        self.assertEqual([r.duration for r in line.rests][:3], [2, 2, 2])
        shrinking = one(replace(DRILL, kind="shrinking", span="tetrachord"))
        self.assertEqual([n.duration for n in perform_part("", shrinking).notes][:7], [4, 2, 2, 1, 1, 1, 1])
        self.assertTrue(all(shrinking.bars[k].notes[0].is_rest for k in (1, 3, 5)))

    def test_a_call_is_answered_by_all_the_others(self) -> None:
        request = replace(DRILL, kind="call", bars=4, span="five notes")
        players = [require_instrument(n) for n in ("trumpet", "flute", "tuba")]
        caller, *others = make_exercise(request, players).score.parts
        silent = [[all(n.is_rest for n in b.notes) for b in p.bars] for p in (caller, *others)]
        self.assertEqual(silent, [[False, True] * 2, [True, False] * 2, [True, False] * 2])
        for other in others:
            for call, answer in zip(caller.bars[::2], other.bars[1::2], strict=True):
                self.assertEqual(
                    [((n.known_pitch.midi + caller.chromatic) % 12, n.duration) for n in call.notes],
                    [((n.known_pitch.midi + other.chromatic) % 12, n.duration) for n in answer.notes],
                )

    def test_a_chorale_has_whole_chords_and_no_fifths_side_by_side(self) -> None:
        band = [require_instrument(n) for n in ("flute", "clarinet", "trombone", "tuba")]
        self.assertEqual([voice_of(i) for i in band], ["soprano", "alto", "tenor", "bass"])
        rng = np.random.default_rng(5)
        for _ in range(20):
            degrees = rng.integers(1, 8, 8)
            request = replace(DRILL, kind="chorale", tonic="C", progression=" ".join(map(str, degrees)))
            rows = [[s for s, _length in voice_line(request, v).steps] for v in VOICES]
            chords = list(zip(*rows, strict=True))
            for degree, chord in zip(degrees, chords, strict=True):
                self.assertEqual(
                    {s % 7 for s in chord if s is not None}, {(degree - 1 + t) % 7 for t in (0, 2, 4)}
                )
            for one_voice, other in itertools.combinations(rows, 2):
                for k in range(len(rows[0]) - 1):
                    a, b, c, d = one_voice[k], other[k], one_voice[k + 1], other[k + 1]
                    assert a is not None and b is not None and c is not None and d is not None
                    alike = (a - b) % 7 == (c - d) % 7 and (a - b) % 7 in (0, 4)
                    self.assertFalse(alike and a != c and (c - a) * (d - b) > 0, (degrees, k))
        made = make_exercise(replace(DRILL, kind="tuning chord", progression="1"), band).score.parts
        letters = [[(n.sounding_midi - 10) % 12 for n in perform_part("", p).notes] for p in made]
        self.assertEqual(letters, [[0, 0, 0], [0, 0, 4], [0, 7, 7], [0, 0, 0]])

    def test_metres_that_change_and_rests_of_several_bars(self) -> None:
        part = one(replace(DRILL, kind="rhythm", bars=16, uses=("changes of metre", "long rests"), seed=4))
        self.assertGreater(len({(b.beats, b.beat_type) for b in part.bars}), 1)
        self.assertTrue(rest_blocks(part))
        self.assertFalse(rest_blocks(one(replace(DRILL, kind="two notes"))))  # bars to fill, not to count
        self.assertEqual(part.bars[-1].metre, part.bars[0].metre)
        seven = one(replace(DRILL, kind="rhythm", metre="7/8", bars=4, rhythm="eighths", uses=("fast",)))
        beams = [compute_beams(b) for b in seven.bars]
        starts = {
            seven.bars[i].notes[k].offset
            for i, bar in enumerate(beams)
            for k, v in bar.items()
            if v[0] == "begin"
        }
        self.assertLessEqual(starts, {Fraction(0), Fraction(1), Fraction(2), Fraction(5, 2)})

    def test_a_page_of_exercises_each_under_its_own_key(self) -> None:
        requests = (replace(DRILL, tonic="every key"), replace(DRILL, kind="arpeggio", tonic="F, C"))
        made = make_page(requests, [require_instrument(n) for n in ("flute", "clarinet")])
        flute, clarinet = made.score.parts
        headings = [[b.heading for b in p.bars if b.heading] for p in (flute, clarinet)]
        self.assertEqual([len(h) for h in headings], [14, 14])
        self.assertEqual((headings[0][0], headings[1][0]), ("1. B♭ major", "1. C major"))
        self.assertEqual(headings[0][12], "13. F major, triad")
        self.assertEqual([b.number for b in flute.bars], [str(k + 1) for k in range(len(flute.bars))])
        self.assertEqual(
            len({n.id for b in flute.bars for n in b.notes}), sum(len(b.notes) for b in flute.bars)
        )
        engraved = engrave(flute, rails=False)
        firsts = {b.index for b in engraved.bars if b.left == engraved.systems[b.system].left}
        self.assertLessEqual({k for k, b in enumerate(flute.bars) if b.heading}, firsts)
        self.assertEqual({n.id for b in flute.bars for n in b.notes}, engraved.notes.keys())
        self.assertEqual([b.index for b in engraved.bars], list(range(len(flute.bars))))
        tops = [s.highest for s in engraved.systems]
        self.assertTrue(all(a.lowest < b for a, b in zip(engraved.systems, tops[1:], strict=False)))
        again = read(write_musicxml(made.score))
        self.assertEqual([b.fifths for b in again.parts[0].bars], [b.fifths for b in flute.bars])

    def test_a_groove_on_one_staff(self) -> None:
        part = one(replace(DRILL, kind="drums", bars=5), "drum-set")
        first = part.bars[1].notes
        self.assertEqual((first[0].stroke, first[0].head, first[0].display), ("Hi-hat", "x", "G5"))
        self.assertEqual([(n.stroke, n.chord) for n in first[1:2]], [("Bass drum", True)])
        backbeats = {n.offset for n in first if n.stroke == "Snare drum"}
        self.assertEqual(backbeats, {1, 3})
        self.assertIn("Bass drum in the first space", drum_legend(part))
        back = read(
            write_musicxml(
                make_exercise(replace(DRILL, kind="drums"), [require_instrument("drum-set")]).score
            )
        )
        self.assertEqual(
            {n.stroke for n in back.parts[0].bars[1].notes if n.unpitched}, {n.stroke for n in first}
        )

    def test_an_echo_is_answered_note_for_note(self) -> None:
        part = one(replace(DRILL, kind="echo", bars=6, span="five notes"))
        for call, answer in zip(part.bars[::2], part.bars[1::2], strict=True):
            self.assertEqual(
                [(n.pitch, n.duration) for n in call.notes], [(n.pitch, n.duration) for n in answer.notes]
            )
            self.assertTrue(
                all(n.cue for n in call.notes if n.pitch) and not any(n.cue for n in answer.notes)
            )
        self.assertEqual({n.bar for n in perform_part("", part).notes}, {"2", "4", "6"})

    def test_articulation_and_dynamics(self) -> None:
        slurs = one(replace(DRILL, articulation="slur two tongue two"))
        self.assertEqual([bool(n.slur_starts) for n in slurs.bars[0].notes], [True, False, False, False])
        for way in ARTICULATIONS:
            starts = sum(
                len(n.slur_starts) - len(n.slur_stops)
                for b in one(replace(DRILL, articulation=way)).bars
                for n in b.notes
            )
            self.assertEqual(starts, 0)
        marks = [m for b in one(replace(DRILL, dynamics="swell")).bars for m in b.marks if m.kind != "tempo"]
        self.assertEqual([m.text for m in marks if m.kind == "dynamics"], ["p", "f", "p"])
        self.assertEqual(
            [m.text for m in marks if m.kind == "wedge"], ["crescendo", "stop", "diminuendo", "stop"]
        )

    def test_registers_levels_and_what_cannot_be(self) -> None:
        low = one(replace(DRILL, span="register chalumeau"), "clarinet")
        self.assertTrue(all(n.written_midi < 67 for n in perform_part("", low).notes))
        with self.assertRaisesRegex(DrillError, "chalumeau, throat, clarion, altissimo"):
            one(replace(DRILL, span="register high"), "clarinet")
        with self.assertRaisesRegex(DrillError, "C is not among its notes there"):
            one(replace(DRILL, span="register throat"), "clarinet")
        made = make_exercise(replace(DRILL, level="beginner", tonic="Db"), [require_instrument("oboe")])
        self.assertIn("needs the intermediate range", made.told[0])
        with self.assertRaisesRegex(DrillError, "no pitch"):
            make_exercise(DRILL, [require_instrument("snare-drum")])
        for changes, words in (
            ({"tonic": "H"}, "no key"),
            ({"scale": "mayor"}, "choose major"),
            ({"kind": "arpeggio", "scale": "blues"}, "seven notes"),
            ({"figure": "1 x", "kind": "pattern"}, "A figure is"),
            ({"bpm": "900"}, "between 30 and 240"),
            ({"wrong": "1"}, "has no"),
        ):
            with self.subTest(words), self.assertRaisesRegex(DrillError, words):
                apply_choices(DRILL, changes)

    def test_keys_of_many_signs_are_spelled_with_fewer(self) -> None:
        for instrument in EVERYBODY:
            for key, scale in itertools.product(KEYS, ("major", "natural minor")):
                tonic = written_tonic(replace(DRILL, tonic=key, scale=scale), instrument)
                signs = (
                    (SCALES[scale].key or 0)
                    + {"F": -1, "C": 0, "G": 1, "D": 2, "A": 3, "E": 4, "B": 5}[tonic.step]
                    + 7 * tonic.alter
                )
                self.assertLessEqual(abs(signs), 6, (instrument.id, key, scale))
        self.assertIsNone(read_tonic("H"))
        self.assertGreaterEqual(len(INTERVALS), 6)


class Swung(TempCase):
    def test_swung_eighths_are_played_heard_and_never_held_against_anyone(self) -> None:
        for kind, name in (("rhythm", "flute"), ("scale", "clarinet")):
            asked = replace(DRILL, kind=kind, rhythm="eighths", feel="swing", bpm=92)
            part = one(asked, name)
            printed = perform_part("", part)
            onsets = [n.onset for n in swung(printed).main_notes]
            late = [b - a.onset for a, b in zip(printed.main_notes, onsets, strict=True) if b != a.onset]
            self.assertEqual(set(late), {Fraction(1, 6)})
            self.assertEqual(swung(swung(printed)), swung(printed))
            heard_as = play_model(printed, require_instrument(name).sound, float).onsets  # whoever plays it
            self.assertEqual(heard_as, tuple(map(float, onsets)))
            score = self.folder / "swung.musicxml"
            score.write_bytes(write_musicxml(Score("Swung", (part,))))
            bars = tuple(replace(b, marks=tuple(m for m in b.marks if m.kind != "words")) for b in part.bars)
            for played, swings in ((part, True), (replace(part, bars=bars), False)):
                model = sounded(played, require_instrument(name).sound)
                write_sound(self.folder / "take.wav", model.samples, model.rate)
                heard = check(score, self.folder / "take.wav")
                sure = [f["text"] for f in heard.report["findings"] if f["confidence"] >= SURE]
                self.assertEqual(sure, [], (kind, swings))
                self.assertEqual([n.onset for n in heard.line.main_notes] == onsets, swings)
                told = "The eighths were played even; swing is asked for." in heard.recording.warnings
                self.assertEqual(told, not swings)

    def test_triplets_sixteenths_compound_metres_and_straight_bars_stay(self) -> None:
        for music, at in (
            ("C4/.5 D4/.5 E4/1 F4/2", ["0", "2/3", "1", "2"]),
            ("C4/.5 D4/.25 E4/.25 F4/3", ["0", "1/2", "3/4", "1"]),
            ("C4/1.5 D4/.5 E4/2", ["0", "5/3", "2"]),
        ):
            part = part_of(music)
            word = Mark(kind="words", offset=Fraction(0), text="Swing")
            part = replace(part, bars=(replace(part.bars[0], marks=(*part.bars[0].marks, word)),))
            self.assertEqual([str(n.onset) for n in swung(perform_part("", part)).main_notes], at)
            straight = replace(word, text="straight eighths", offset=Fraction(0))
            bars = (replace(part.bars[0], marks=(word, straight)),)
            line = perform_part("", replace(part, bars=bars))
            self.assertEqual(swung(line).notes, line.notes)


class Printed(TempCase):
    def test_what_stands_under_the_notes(self) -> None:
        part = part_of("Bb4/1.5 C5/.5 r/1 F#5/1 | Bb4/2 Eb5/2", fifths=-2)
        lines = {
            line: list(list_texts(part, line, TextLineSettings(), require_instrument("trumpet")).values())
            for line in ("counts", "names", "solfège", "places", "fingerings")
        }
        self.assertEqual(lines["counts"], ["1-2", "&", "(3)", "4", "1-2", "3-4"])
        self.assertEqual(lines["names"], ["B♭", "C", "F♯", "B♭", "E♭"])
        self.assertEqual(lines["solfège"], ["do", "re", "si", "do", "fa"])
        self.assertEqual(lines["places"], ["L3", "S3", "L5", "L3", "S4"])
        self.assertEqual(lines["fingerings"], ["1", "0", "2", "1", "2"])
        ta = list_texts(part, "counts", TextLineSettings(counting="ta ti-ti"), None)
        self.assertEqual(list(ta.values()), ["tam", "ti", "(sh)", "ta", "ta-a", "ta-a"])

    def test_counts_in_six_eight_and_after_a_pickup(self) -> None:
        six = part_of("C5/.5 D5/.5 E5/.5 F5/1 G5/.5", beats=6, beat_type=8)
        self.assertEqual(
            list(list_texts(six, "counts", TextLineSettings(), None).values()), ["1", "la", "li", "2", "li"]
        )
        short = part_of("C5/.5 D5/.25 E5/.25 F5/.5 G5/1.5", beats=6, beat_type=8)
        self.assertEqual(
            list(list_texts(short, "counts", TextLineSettings(), None).values()), ["1", "la", "ta", "li", "2"]
        )
        for counting, wanted in (
            ("1 2 3 4 5 6", ["1", "2", "&", "3", "4-5-6"]),
            ("du de", ["du", "da", "ta", "di", "du"]),
        ):
            told = list_texts(short, "counts", TextLineSettings(counting=counting), None)
            self.assertEqual(list(told.values()), wanted)
        duple = list_texts(
            part_of("C5/.5 D5/.5 E5/1 F5/2"), "counts", TextLineSettings(counting="du de"), None
        )
        self.assertEqual(list(duple.values()), ["du", "de", "du", "du-u"])
        sixteenths = part_of("C5/.25 D5/.25 E5/.25 F5/.25 G5/.5 r/.5 C5/2")
        ta = list_texts(sixteenths, "counts", TextLineSettings(counting="ta ti-ti"), None)
        self.assertEqual(list(ta.values()), ["ti", "ka", "ti", "ka", "ti", "(s)", "ta-a"])
        pickup = part_of("C5/1 | D5/4")
        self.assertEqual(
            list(list_texts(pickup, "counts", TextLineSettings(), None).values()), ["4", "1-2-3-4"]
        )

    def test_a_band_on_paper_each_on_its_own_page(self) -> None:
        score = make_exercise(DRILL, [require_instrument(n) for n in ("flute", "trombone", "clarinet")]).score
        html = parts_page(
            score,
            SheetSettings(under=TextLineSettings(("counts", "fingerings", "names"), ("names",)), big=True),
        )
        self.assertEqual(html.count("<main>"), 3)
        self.assertIn("Clarinet in B♭", html)
        self.assertGreater(html.count("<circle"), 100)  # the woodwinds' holes
        tracks = mido.MidiFile(file=io.BytesIO(write_midi(score, lambda part: "flute"))).tracks
        self.assertEqual([sum(m.type == "note_on" for m in t) for t in tracks[1:]], [15, 15, 15])

    def test_the_sound_begins_with_a_bar_of_clicks_and_an_echo_leaves_room_to_answer(self) -> None:
        part = one(replace(DRILL, bpm=60))
        model = sounded(part, "flute", count_in=True)
        self.assertEqual([round(t, 2) for t in model.onsets[:3]], [4.0, 5.0, 6.0])
        loud = [
            float(np.abs(model.samples[int((k + 0.0) * model.rate) : int((k + 0.03) * model.rate)]).max())
            for k in range(4)
        ]
        self.assertGreater(min(loud), 0.2)
        self.assertEqual([round(t, 2) for t in sounded(part, "flute", bpm=120).onsets[:3]], [0.0, 0.5, 1.0])
        echo = one(replace(DRILL, kind="echo", bars=2, bpm=60, span="five notes"))
        called = sounded(echo, "flute")
        self.assertEqual(len(called.onsets), sum(n.pitch is not None for n in echo.bars[0].notes))
        self.assertLess(max(called.onsets), 4.0)
        drums = make_exercise(replace(DRILL, kind="drums"), [require_instrument("snare-drum")]).score.parts[0]
        self.assertEqual(len(sounded(drums, "").onsets), drums.note_count)

    def test_the_commands(self) -> None:
        path = self.folder / "scale.musicxml"
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(
                main(
                    [
                        "make",
                        "scale",
                        "--key",
                        "Eb",
                        "--for",
                        "band",
                        "--musicxml",
                        str(path),
                        "--set",
                        "rhythm=eighths",
                    ]
                ),
                0,
            )
            self.assertEqual(
                main(
                    [
                        "sheet",
                        str(path),
                        "--part",
                        "Horn",
                        "--under",
                        "names,counts",
                        "--pdf",
                        str(self.folder / "horn.pdf"),
                    ]
                ),
                0,
            )
            self.assertEqual(
                main(
                    [
                        "sheet",
                        str(path),
                        "--part",
                        "Horn",
                        "--wav",
                        str(self.folder / "horn.wav"),
                        "--speed",
                        "60",
                    ]
                ),
                0,
            )
            self.assertEqual(main(["make", "--list"]), 0)
        self.assertIn("Concert E♭ major", out.getvalue())
        self.assertIn("Snare drum: this has no pitch", out.getvalue())
        score = load_score(path)
        self.assertEqual(len(score.parts), 15)
        self.assertEqual(
            [n.pitch.name for n in score.parts[0].bars[0].notes if n.pitch][:3], ["E♭4", "F4", "G4"]
        )
        self.assertGreater(len(decode(self.folder / "horn.wav", 22050).samples) / 22050, 12.0)
        self.assertTrue((self.folder / "horn.pdf").read_bytes().startswith(b"%PDF"))
        error = io.StringIO()
        with contextlib.redirect_stderr(error):
            self.assertEqual(main(["make", "scale", "--key", "X"]), 2)
            self.assertEqual(main(["sheet", str(path), "--under", "chords", "--pdf", "x.pdf"]), 2)
        self.assertIn("is no key", error.getvalue())


if __name__ == "__main__":
    unittest.main()
