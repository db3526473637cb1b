"""ABC, MEI, Humdrum and MIDI against hand-worked music; bars filled from a row; parts moved to another pitch;
text in any encoding.
"""

from __future__ import annotations

import concurrent.futures
import contextlib
import dataclasses
import io
import random
import re
import unittest
from fractions import Fraction

import mido

from jeweller.documents.engraving import written_mei
from jeweller.errors import ScoreError
from jeweller.notation.barring import BarAttributes, UnbarredNote, lay_out_bars, split
from jeweller.notation.model import Mark, Part, Score
from jeweller.notation.performance import perform_part
from jeweller.notation.pitch import Pitch
from jeweller.notation.readers.abc import parse_tune, read_abc
from jeweller.notation.readers.completion import complete_score
from jeweller.notation.readers.detect import decode
from jeweller.notation.readers.detect import read as open_any
from jeweller.notation.readers.midi import quantise, read_midi
from jeweller.notation.readers.musicxml import read as read_musicxml
from jeweller.notation.readers.sandbox import load_score, load_scores
from jeweller.notation.transposition import diatonic_of, transpose_part, transpose_pitch
from jeweller.notation.writers.midi import write_midi
from jeweller.notation.writers.musicxml import write_musicxml
from tests.support import TempCase, part_of

F = Fraction
HEAD = "X:1\nT:A tune of ours\nM:4/4\nL:1/8\nQ:1/4=96\n"


def abc(music: str, head: str = "K:Bb\n", start: str = HEAD) -> Part:
    return read_abc(start + head + music)[0].parts[0]


def notes(part: Part) -> list[tuple[str, Fraction]]:
    return [(n.pitch.name if n.pitch else "r", n.duration) for b in part.bars for n in b.notes if not n.grace]


class Abc(unittest.TestCase):
    def test_lengths_rests_broken_rhythm_and_tuplets(self) -> None:
        part = abc("B2 c/d/ e>f z2|(3BcB A3/2G/ F4|]")
        self.assertEqual(
            notes(part),
            [
                ("B♭4", F(1)),
                ("C5", F(1, 4)),
                ("D5", F(1, 4)),
                ("E♭5", F(3, 4)),
                ("F5", F(1, 4)),
                ("r", F(1)),
                ("B♭4", F(1, 3)),
                ("C5", F(1, 3)),
                ("B♭4", F(1, 3)),
                ("A4", F(3, 4)),
                ("G4", F(1, 4)),
                ("F4", F(2)),
            ],
        )
        self.assertEqual([n.tuplet_mark for n in part.bars[1].notes[:3]], ["start", "", "stop"])
        self.assertTrue(part.bars[1].final_bar)

    def test_an_accidental_holds_for_its_octave_to_the_bar_line_and_a_tie_carries_it_over(self) -> None:
        part = abc("=B2 B2 b2 ^c2-|c2 c2 B4|")
        self.assertEqual([n for n, _ in notes(part)], ["B4", "B4", "B♭5", "C♯5", "C♯5", "C5", "B♭4"])
        self.assertEqual([n.accidental for n in part.bars[0].notes], ["natural", None, None, "sharp"])
        self.assertEqual([n.duration for n in perform_part("", part).notes], [1, 1, 1, 2, 1, 2])

    def test_keys_modes_and_clefs(self) -> None:
        for key, fifths, mode in (
            ("Ddor", 0, "major"),
            ("Em", 1, "minor"),
            ("A mix", 2, "major"),
            ("F#min", 3, "minor"),
            ("Hp", 2, "major"),
            ("none", 0, "major"),
            ("Bb clef=bass", -2, "major"),
        ):
            with self.subTest(key):
                part = abc("F8|", f"K:{key}\n")
                self.assertEqual((part.bars[0].fifths, part.bars[0].mode), (fifths, mode))
        self.assertEqual(part.bars[0].clef, ("F", 4, 0))
        low = abc("F8|[K:clef=bass]F8|", "K:B♭\n")
        self.assertEqual([(b.fifths, b.clef[0]) for b in low.bars], [(-2, "G"), (-2, "F")])
        self.assertEqual([n for n, _ in notes(abc("F4 B4|", "K:D =c ^g\n"))], ["F♯4", "B4"])
        self.assertEqual([n for n, _ in notes(abc("c4 g4|", "K:D =c ^g\n"))], ["C5", "G♯5"])

    def test_pickup_repeats_and_endings(self) -> None:
        part = abc("FG|:B4 c4|1 d8:|2 e8|]\n")
        self.assertEqual(
            [(b.number, b.implicit) for b in part.bars],
            [("0", True), ("1", False), ("2", False), ("3", False)],
        )
        played = perform_part("", part)
        self.assertEqual([b.number for b in played.bars], ["0", "1", "2", "1", "3"])

    def test_slurs_graces_signs_and_dynamics(self) -> None:
        part = abc('(Bc) {d}c2 .e2 !trill!f2|!f!B4 Hc4|!segno!B8|"D.S. al Fine"B8!fine!|')
        bar = part.bars[0]
        self.assertEqual((bar.notes[0].slur_starts, bar.notes[1].slur_stops), (("1",), ("1",)))
        self.assertEqual([n.grace for n in bar.notes], [False, False, True, False, False, False])
        self.assertEqual((bar.notes[4].articulations, bar.notes[5].ornament), (("staccato",), "trill"))
        self.assertEqual([(m.kind, m.text) for m in part.bars[1].marks], [("dynamics", "f")])
        self.assertTrue(
            part.bars[1].notes[1].fermata
            and part.bars[2].segno
            and part.bars[3].dalsegno
            and part.bars[3].fine
        )

    def test_voices_are_parts_and_change_in_the_line(self) -> None:
        score = read_abc(
            HEAD + 'V:1 name="Flute"\nV:2 name="Tuba" clef=bass\nK:C\nV:1\nc8|d8|\nV:2\nC,8|[V:1]e8|[V:2]Z2|'
        )[0]
        self.assertEqual(
            [(p.name, len(p.bars), p.bars[0].clef[0]) for p in score.parts],
            [("Flute", 3, "G"), ("Tuba", 3, "F")],
        )

    def test_slips_are_told_with_their_cure(self) -> None:
        for music, told in (
            ("C D E H|c4|", "“H” stands before no note; for the note write B."),
            ("F G A|c4|", "is read as a pickup. If a note is missing, add it."),
            ("F G A B-|c4|", "The tie before this note leads to another pitch"),
            ("(F G A B|c4|", "A slur begins that does not end"),
            ("|:F G A B|c4|", "is not ended: write :|."),
            ("F G A B|[2 c4|", "There is a second ending and no first"),
            ("C# D E F|", "as in ^C for C sharp"),
            ("♭B A G F|", "as in _B for B flat"),
            ("F. G A B|", "write F3/2 for a dotted F"),
            ("Fq G A B|", "lengths are numbers"),
            ("r F G A|", "a rest is z"),
            ("Bb A G|c4|", "for B flat write _B"),
            ("!f F G A B|", "“!f” needs its second mark: !f!"),
            ("F G A B|M:3/4 c3|", "within a line is written [M:3/4]"),
            ("F G A B|D.S. al Coda|c4|", 'words stand in quotes, as in "D.S. al Coda"'),
            ("c'''' F G A|", "outside what any instrument plays"),
            ("Berta ate seven small plums", "is words, not music"),
            ("F G A B c|c4|", "Bar 1 has 5 beats; 4/4 needs 4."),
            ("(3F G|A4|", "too few notes"),
        ):
            with self.subTest(music):
                problems = parse_tune("T:A\nM:4/4\nL:1/4\nK:F\n" + music)[1]
                self.assertTrue(any(told in p.text for p in problems), [p.text for p in problems])
        for music in (
            "F G A B|c4|",
            "G E D C|F4|",
            "GEDC|.D.C.D z|",
            "A|F G A B|c3|",
            "uF vG !f!A .B|(3FGA F2 HG|",
            '"D.C."F2 [M:3/4]F2 G|',
        ):
            told = parse_tune("T:A\nM:4/4\nL:1/4\nK:F\n" + music)[1]
            self.assertFalse([p.text for p in told if "bar" not in p.text.casefold()])

    def test_out_as_midi_and_back_in(self) -> None:
        music = (
            "X:1\nT:Out\nM:6/8\nL:1/8\nQ:3/8=60\nK:Bb\nF|B2c d2e|[K:D][M:4/4][Q:1/4=120]"
            "f2a2 d2^g2|[K:Gm]=e2 d2 ^f2 g2|(g4 d4)|]"
        )
        score = parse_tune(music)[0]
        back = read_midi(write_midi(score, lambda part: "flute"))
        self.assertEqual(
            [[(n.pitch, n.offset) for n in b.notes] for b in back.parts[0].bars],
            [[(n.pitch, n.offset) for n in b.notes] for b in score.parts[0].bars],
        )
        self.assertEqual(
            [(b.fifths, b.mode, b.metre, b.implicit) for b in back.parts[0].bars],
            [(b.fifths, b.mode, b.metre, b.implicit) for b in score.parts[0].bars],
        )
        speeds = [[m.value for m in b.marks if m.kind == "tempo"] for b in back.parts[0].bars]
        self.assertEqual(speeds, [[90.0], [], [120.0], [], []])

    def test_a_transposition_that_changes_and_a_chord_from_the_other_staff(self) -> None:
        score = parse_tune("X:1\nM:2/4\nL:1/4\nK:C\nC E|D F|]")[0]
        text = write_musicxml(score).decode()
        transpose = (
            "<attributes><transpose><diatonic>-1</diatonic><chromatic>-2</chromatic></transpose></attributes>"
        )
        changed = re.sub(r'(<measure number="2"[^>]*>)', rf"\1{transpose}", text)
        part = read_musicxml(changed.encode()).parts[0]
        self.assertEqual(part.chromatic, 0)
        names = [n.known_pitch.name for b in part.bars for n in b.notes]
        self.assertEqual(names, ["C4", "E4", "C4", "E♭4"])
        note = "<note>{chord}<pitch><step>{step}</step><octave>{octave}</octave></pitch><duration>1</duration>{staff}</note>"
        low = note.format(chord="", step="C", octave=3, staff="<staff>2</staff>")
        high = note.format(chord="<chord/>", step="G", octave=4, staff="<staff>1</staff>")
        both = re.sub(
            r'(<note id="[^"]*C4[^"]*">.*?</note>)', rf"\1{low}{high}", text, count=1, flags=re.DOTALL
        )
        notes = read_musicxml(both.encode()).parts[0].bars[0].notes
        self.assertEqual(
            [(n.known_pitch.name, n.offset, n.chord) for n in notes],
            [("C4", 0, False), ("G4", 1, False), ("E4", 2, False)],
        )

    def test_mei_ids_that_begin_with_a_digit(self) -> None:
        score = parse_tune("X:1\nM:2/4\nL:1/4\nK:C\n(C E)|!trill!D- D|]")[0]
        text = written_mei(score).decode()
        for k, name in enumerate(re.findall(r'xml:id="([^"]+)"', text)):
            text = text.replace(f'"{name}"', f'"{k}x{name}"').replace(f'#{name}"', f'#{k}x{name}"')
        first, second = open_any(text.encode())[0].parts[0].bars
        self.assertEqual([bool(n.slur_starts) for n in first.notes], [True, False])
        self.assertEqual([(n.ornament, n.tie_start) for n in second.notes], [("trill", True), (None, False)])

    def test_one_note_of_a_chord_is_tied(self) -> None:
        bar, after = parse_tune("M:2/4\nL:1/4\nK:C\n[C-E]2|[CE]2|]")[0].parts[0].bars
        self.assertEqual(
            [(n.known_pitch.letter, n.tie_start) for n in bar.notes], [("C", True), ("E", False)]
        )
        self.assertEqual(
            [(n.known_pitch.letter, n.tie_stop) for n in after.notes], [("C", True), ("E", False)]
        )

    def test_what_is_not_understood_is_told_with_its_place(self) -> None:
        _, problems = parse_tune(HEAD + "K:C\nc8|c4 § !nosuch!d2|\nc2 & e2|c8|")
        told = [(p.line, p.column, p.text[:12]) for p in problems]
        self.assertIn((7, 7, "“§” is not u"), told)
        self.assertIn((7, 9, "The sign !no"), told)
        self.assertIn((7, 4, "Bar 2 has 3 "), told)
        self.assertIn((8, 4, "A second voi"), told)

    def test_a_tunebook_holds_several_and_rubbish_none(self) -> None:
        book = HEAD + "K:C\nc8|\n\nfree text between\n\nX:2\nT:Second\nK:G\ng8|\n"
        self.assertEqual([s.title for s in read_abc(book)], ["A tune of ours", "Second"])
        with self.assertRaisesRegex(ScoreError, "no notes"):
            read_abc("X:1\nT:Nothing\nK:C\n")

    def test_nothing_in_the_text_crashes(self) -> None:
        for text in (
            "K:C\n|:|:|:[1[2::|]",
            "K:C\n(((",
            "K:C\n))) - > <",
            "K:C\n{}[]()c",
            "K:C\n(9:0:0c",
            "K:Q\nc",
            "M:0/0\nL:0/1\nQ:x\nK:C\nc8",
            "K:C\n[CEG]0 c999999",
            "K:C\nZ999999|",
            'K:C\n"unclosed c',
            "K:C\nc,,,,,,,,,,,,c''''''''''",
        ):
            with self.subTest(text):
                parse_tune(text)


MEI = """<?xml version="1.0"?><mei xmlns="http://www.music-encoding.org/ns/mei"><meiHead><fileDesc><titleStmt><title>Ours</title></titleStmt></fileDesc></meiHead>
<music><body><mdiv><score><scoreDef meter.count="3" meter.unit="4" keysig="2f"><staffGrp><staffDef n="1" label="Clarinet" clef.shape="G" clef.line="2" trans.semi="-2"
trans.diat="-1"/></staffGrp></scoreDef><section><measure n="1" left="rptstart"><staff n="1"><layer n="1"><beam><note xml:id="a" pname="b" oct="4" dur="8"/>
<note xml:id="b" pname="c" oct="5" dur="8" accid="s"/></beam><chord dur="4" dots="1"><note pname="c" oct="5"/></chord><tuplet num="3" numbase="2">
<note pname="d" oct="5" dur="16"/><note pname="d" oct="5" dur="16"/><note pname="e" oct="5" dur="16"/></tuplet></layer></staff><slur startid="#a" endid="#b"/></measure>
<ending n="1"><measure n="2" right="rptend"><staff n="1"><layer n="1"><note grace="unacc" pname="c" oct="5" dur="8"/><note xml:id="t" pname="b" oct="4" dur="2" dots="1" tie="i"/>
</layer></staff><trill startid="#t"/><dynam tstamp="2">f</dynam></measure></ending><ending n="2"><measure n="3"><staff n="1"><layer n="1"><mRest/></layer></staff></measure></ending>
<measure n="4" right="end"><staff n="1"><layer n="1"><multiRest num="2"/></layer></staff></measure></section></score></mdiv></body></music></mei>"""

KERN = "!!!OTL: Ours\n**kern\n*clefG2\n*k[b-]\n*M3/4\n4f\n=1\n(4a\n4cc)\n8b-L\n8aJ\n=2\n2.g;\n==\n*-\n"


class MeiAndHumdrum(unittest.TestCase):
    def test_mei(self) -> None:
        score = open_any(MEI.encode())[0]
        part = score.parts[0]
        self.assertEqual(
            (score.title, part.name, part.chromatic, len(part.bars)), ("Ours", "Clarinet", -2, 5)
        )
        self.assertEqual(
            notes(part)[:6],
            [
                ("B♭4", F(1, 2)),
                ("C♯5", F(1, 2)),
                ("C♯5", F(3, 2)),
                ("D5", F(1, 6)),
                ("D5", F(1, 6)),
                ("E♭5", F(1, 6)),
            ],
        )
        self.assertEqual(
            (part.bars[0].notes[0].slur_starts, part.bars[0].notes[1].slur_stops), (("1",), ("1",))
        )
        self.assertEqual([n.ornament for n in part.bars[1].notes], [None, "trill"])
        self.assertEqual((part.bars[1].marks[0].text, part.bars[1].marks[0].offset), ("f", 1))
        self.assertEqual([b.number for b in perform_part("", part).bars], ["1", "2", "1", "3", "4", "4+1"])

    def test_tuplets_by_their_first_and_last_note(self) -> None:
        spanned = MEI.replace('<tuplet num="3" numbase="2">\n<note ', '\n<note xml:id="x" ').replace(
            '<note pname="e" oct="5" dur="16"/></tuplet>', '<note xml:id="y" pname="e" oct="5" dur="16"/>'
        )
        spanned = spanned.replace(
            '<slur startid="#a"',
            '<tupletSpan startid="#x" endid="#y" num="3" numbase="2"/><slur startid="#a"',
        )
        read = open_any(spanned.encode())[0].parts[0]
        self.assertEqual(notes(read), notes(open_any(MEI.encode())[0].parts[0]))
        self.assertEqual([n.tuplet_mark for n in read.bars[0].notes[3:]], ["start", "", "stop"])

    def test_humdrum(self) -> None:
        part = open_any(KERN.encode())[0].parts[0]
        self.assertEqual([n for n, _ in notes(part)], ["F4", "A4", "C5", "B♭4", "A4", "G4"])
        self.assertTrue(part.bars[0].implicit and part.bars[2].notes[0].fermata)
        with concurrent.futures.ThreadPoolExecutor(1) as another:
            self.assertEqual(notes(another.submit(open_any, KERN.encode()).result()[0].parts[0]), notes(part))

    def test_damaged(self) -> None:
        for text, words in (
            (MEI.replace('oct="4"', 'oct="x"'), "cannot be played"),
            (MEI.replace('dur="8"', 'dur="7"'), "duration"),
            ("<mei/>", "holds no score"),
            (MEI[:900], "not a readable MEI"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ScoreError, words):
                open_any(text.encode())


def midi(
    events: list[tuple[float, float, int]],
    *,
    program: int | None = None,
    signatures: tuple[mido.MetaMessage, ...] = (),
    channel: int = 0,
) -> bytes:
    """A file with one track: (on, off in quarters, pitch)."""
    file = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.extend(signatures)
    if program is not None:
        track.append(mido.Message("program_change", program=program, channel=channel))
    moments = sorted(
        [(round(480 * on), 1, p) for on, _, p in events] + [(round(480 * off), 0, p) for _, off, p in events]
    )
    now = 0
    for tick, on, pitch in moments:
        track.append(
            mido.Message(
                "note_on" if on else "note_off",
                note=pitch,
                velocity=64 if on else 0,
                time=tick - now,
                channel=channel,
            )
        )
        now = tick
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


class Midi(unittest.TestCase):
    def test_played_notes_are_drawn_to_the_grid_and_spelled_by_the_key(self) -> None:
        played = [
            (0.01, 0.93, 70),
            (1.02, 1.45, 72),
            (1.49, 1.9, 73),
            (2.0, 3.7, 75),
            (4.03, 4.3, 70),
            (4.34, 4.6, 72),
            (4.66, 4.97, 74),
            (5.0, 6.0, 70),
        ]
        data = midi(
            played,
            program=71,
            signatures=(
                mido.MetaMessage("key_signature", key="Bb"),
                mido.MetaMessage("time_signature", numerator=4, denominator=4),
            ),
        )
        score = read_midi(data)
        part = score.parts[0]
        self.assertEqual(part.instrument, "Clarinet in B♭")
        self.assertEqual(
            notes(part),
            [
                ("B♭4", F(1)),
                ("C5", F(1, 2)),
                ("D♭5", F(1, 2)),
                ("E♭5", F(2)),
                ("B♭4", F(1, 3)),
                ("C5", F(1, 3)),
                ("D5", F(1, 3)),
                ("B♭4", F(1)),
                ("r", F(2)),
            ],
        )
        self.assertEqual([b.length for b in part.bars], [4, 4])

    def test_a_note_outside_the_key_is_spelled_by_where_it_leads(self) -> None:
        for key, pitches, wanted in (
            ("Bb", (65, 66, 67, 66, 65), ["F4", "F♯4", "G4", "G♭4", "F4"]),
            ("D", (69, 70, 69, 70, 71), ["A4", "B♭4", "A4", "A♯4", "B4"]),
            ("C", (60, 66, 66, 67, 63), ["C4", "F♯4", "F♯4", "G4", "D♯4"]),
        ):
            with self.subTest(key):
                part = read_midi(
                    midi(
                        [(k, k + 1, p) for k, p in enumerate(pitches)],
                        signatures=(mido.MetaMessage("key_signature", key=key),),
                    )
                ).parts[0]
                self.assertEqual([n for n, _ in notes(part) if n != "r"], wanted)

    def test_a_grid_asked_for_holds_everywhere(self) -> None:
        placed = quantise([(F(1, 10), F(4, 10), 60), (F(55, 100), F(9, 10), 62)], F(1))
        self.assertEqual([(on, p) for on, _, p in placed], [(0, [60]), (1, [62])])

    def test_notes_over_bar_lines_are_tied_and_drums_have_no_pitch(self) -> None:
        part = read_midi(midi([(0, 3, 60), (3, 5, 62)])).parts[0]
        self.assertEqual([n.duration for n in perform_part("", part).notes], [3, 2])
        self.assertTrue(part.bars[0].notes[1].tie_start and part.bars[1].notes[0].tie_stop)
        drum = read_midi(midi([(0, 1, 38), (1, 2, 36)], channel=9)).parts[0]
        self.assertTrue(
            drum.percussion
            and [n.stroke for n in drum.bars[0].notes if n.unpitched] == ["Snare drum", "Bass drum"]
        )

    def test_damaged_or_empty(self) -> None:
        for data, words in (
            (midi([(0, 1, 60)])[:30], "damaged|no notes"),
            (midi([]), "no notes"),
            (b"MThd\0\0\0\6\0\1\0\1\xe7\x28", "damaged|film|no notes"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ScoreError, words):
                read_midi(data)


class Unsaid(unittest.TestCase):
    """What a file says once, or not at all, because the page shows it."""

    def two_parts(self, second: str = "C4 D4|E8|]") -> Score:
        first, other = (abc(m, "K:C\n") for m in ("C4 D4|E8|]", second))
        bars = (
            dataclasses.replace(
                first.bars[0],
                segno=True,
                repeat_start=True,
                marks=(
                    *first.bars[0].marks,
                    Mark(kind="words", offset=F(2), text="rit."),
                    Mark(kind="words", offset=F(0), text="solo"),
                ),
            ),
            dataclasses.replace(first.bars[1], repeat_times=2, dalsegno=True),
        )
        bare = tuple(dataclasses.replace(b, marks=()) for b in other.bars)
        return complete_score(
            Score("", (dataclasses.replace(first, bars=bars), dataclasses.replace(other, id="P2", bars=bare)))
        )

    def test_what_stands_above_the_first_part_holds_for_all(self) -> None:
        first, second = self.two_parts().parts
        self.assertEqual(
            [x.number for x in perform_part("", second).bars],
            [x.number for x in perform_part("", first).bars],
        )
        self.assertTrue(second.bars[0].segno and second.bars[1].dalsegno)
        self.assertEqual(
            [(m.kind, m.text, m.value) for m in second.bars[0].marks],
            [("tempo", "", 96.0), ("words", "rit.", None)],
        )
        self.assertEqual(perform_part("", second).written_bpm, 96)
        self.assertEqual(len(first.bars[0].marks), 3)  # nothing twice

    def test_parts_that_do_not_go_side_by_side_are_left_alone(self) -> None:
        _, second = self.two_parts("C4 D2|E8|]").parts
        self.assertFalse(second.bars[0].segno or second.bars[0].marks)

    def test_tuplets_rounded_by_the_divisions_of_the_file_keep_their_length(self) -> None:
        text = write_musicxml(Score("", (abc("(3BcB A2 G4|", "K:C\n"),))).decode()
        divisions = int(re.search(r"<divisions>(\d+)", text)[1])  # type: ignore[index]
        self.assertEqual(divisions % 3, 0)
        rounded = re.sub(
            r"<duration>(\d+)",
            lambda m: f"<duration>{round(int(m[1]) * 256 / divisions)}",
            text.replace(f"<divisions>{divisions}", "<divisions>256"),
        )
        self.assertIn("<duration>85<", rounded)
        part = open_any(rounded.encode())[0].parts[0]
        self.assertEqual([n.duration for n in part.bars[0].notes], [F(1, 3)] * 3 + [1, 2])
        self.assertEqual(part.bars[0].length, 4)

    def test_tuplets_without_a_bracket_get_one(self) -> None:
        bare = re.sub(
            rb"<tuplet [^>]*/>",
            b"",
            write_musicxml(Score("", (abc("(3BcB (3:2:2A4G2|(3B/c/d/ (3d/c/B/ A6|", "K:C\n"),))),
        )
        self.assertNotIn(b"<tuplet ", bare)
        bars = open_any(bare)[0].parts[0].bars
        self.assertEqual([n.tuplet_mark for n in bars[0].notes], ["start", "", "stop", "start", "stop"])
        self.assertEqual(
            [n.tuplet_mark for n in bars[1].notes], ["start", "", "stop", "start", "", "stop", ""]
        )


class Filling(unittest.TestCase):
    def test_values_that_can_be_read(self) -> None:
        four, six = BarAttributes(), BarAttributes(beats=6, beat_type=8)
        for at, length, s, rest, expected in (
            (0, 4, four, False, [4]),
            (F(1, 2), 1, four, False, [1]),
            (1, 3, four, False, [3]),
            (F(1, 2), F(7, 2), four, False, [F(1, 2), 3]),
            (F(1, 2), F(3, 2), four, False, [F(1, 2), 1]),
            (1, 2, four, True, [1, 1]),
            (0, F(5, 2), six, False, [F(3, 2), 1]),
            (0, 3, six, False, [3]),
            (F(3, 4), F(1, 4), four, False, [F(1, 4)]),
        ):
            with self.subTest((at, length)):
                self.assertEqual(list(split(F(at), F(length), s, rest=rest)), expected)

    def test_bars_are_full_and_the_last_ends_in_rests(self) -> None:
        row = [
            UnbarredNote(F(3), (Pitch("C", 0, 5),)),
            UnbarredNote(F(3), (Pitch("F", 1, 5),)),
            UnbarredNote(F(1), (Pitch("F", 1, 5),)),
        ]
        bars = lay_out_bars(row, [BarAttributes()])
        self.assertEqual([sum(n.duration for n in b.notes) for b in bars], [4, 4])
        self.assertEqual([n.accidental for n in bars[0].notes], [None, "sharp"])
        self.assertEqual([n.accidental for n in bars[1].notes[:2]], [None, "sharp"])
        again = read_musicxml(
            write_musicxml(
                Score(
                    "", (Part(id="P1", name="Flute", instrument="Flute", diatonic=0, chromatic=0, bars=bars),)
                )
            )
        )
        self.assertEqual(
            notes(again.parts[0]),
            notes(Part(id="P1", name="", instrument="", diatonic=0, chromatic=0, bars=bars)),
        )

    def test_a_reminder_after_an_alteration(self) -> None:
        row = [
            UnbarredNote(F(4), (Pitch("B", 0, 4),)),
            UnbarredNote(F(4), (Pitch("B", -1, 4),)),
            UnbarredNote(F(4), (Pitch("B", -1, 4),)),
        ]
        first, second, third = lay_out_bars(row, [BarAttributes(fifths=-1)])
        self.assertEqual(
            [(b.notes[0].accidental, b.notes[0].cautionary) for b in (first, second, third)],
            [("natural", False), ("flat", True), (None, False)],
        )


class Transposing(unittest.TestCase):
    def test_keys_move_along_and_letters_with_them(self) -> None:
        part = part_of("Bb4/1 F#5/1 Eb5/2", fifths=-2)
        up = transpose_part(part, 2)
        self.assertEqual((up.bars[0].fifths, [n for n, _ in notes(up)]), (0, ["C5", "G♯5", "F5"]))
        self.assertEqual([n.accidental for n in up.bars[0].notes], [None, "sharp", None])
        self.assertEqual([n for n, _ in notes(transpose_part(up, -2))], [n for n, _ in notes(part)])

    def test_a_key_of_many_signs_is_written_as_its_equal(self) -> None:
        part = part_of("C#5/4", fifths=7)
        self.assertEqual(transpose_part(part, 2).bars[0].fifths, -3)
        self.assertEqual(notes(transpose_part(part, 2))[0][0], "E♭5")

    def test_intervals(self) -> None:
        self.assertEqual([diatonic_of(c) for c in (2, 3, -2, -9, -14, 12, 7, 0)], [1, 2, -1, -5, -8, 7, 4, 0])
        self.assertEqual(transpose_pitch(Pitch("B", -1, 4), 9, 5).name, "G5")


class Opening(TempCase):
    def test_any_encoding(self) -> None:
        text = "X:1\nT:Très joli\nK:C\nc8|\n"
        for data in (
            text.encode(),
            text.encode("latin-1"),
            text.encode("utf-16"),
            b"\xef\xbb\xbf" + text.encode(),
            text.encode("utf-16-le"),
        ):
            self.assertEqual(decode(data), text)
            self.assertEqual(open_any(data)[0].title, "Très joli")

    def test_a_tune_of_a_book_by_title_or_number(self) -> None:
        path = self.folder / "book.abc"
        path.write_text("X:1\nT:First\nK:C\nc8|\n\nX:2\nT:Second\nK:G\ng8|\n")
        self.assertEqual(load_score(path, "second").title, "Second")
        self.assertEqual(load_score(path, "1").title, "First")
        self.assertIn("holds 2 tunes", load_score(path).warnings[0])
        self.assertEqual(len(load_scores(path)), 2)
        with self.assertRaisesRegex(ScoreError, "1 First, 2 Second"):
            load_score(path, "third")


TUNE = (
    'V:1 name="Flute"\nK:Bb\n(3FGA|:B2 cd e2 f2|.g.f !trill!e2 z2 {c}d2|^c4- c2 =c2|(a>b c<<d) [CEG]2 '
    "F2|[1 B8 :|[2 B6 z2|]\n"
)
PLAYED = [(0.0, 1.0, 60), (1.0, 1.5, 61), (1.5, 2.0, 66), (2.0, 5.0, 65)]


class ThereAndBack(unittest.TestCase):
    """In, out as MusicXML or MEI, and in again: the same notes."""

    def sources(self) -> dict[str, bytes]:
        return {
            "ABC": (HEAD + TUNE).encode(),
            "MEI": MEI.encode(),
            "Humdrum": KERN.encode(),
            "MIDI": midi(PLAYED, program=71),
        }

    def test_every_format(self) -> None:
        for name, data in self.sources().items():
            with self.subTest(name):
                first = open_any(data)[0]
                again, as_mei = open_any(write_musicxml(first))[0], open_any(written_mei(first))[0]
                for a, b, c in zip(first.parts, again.parts, as_mei.parts, strict=True):
                    self.assertEqual(notes(b), notes(a))
                    self.assertEqual((notes(c), c.name, c.chromatic), (notes(a), a.name, a.chromatic))
                    self.assertEqual(
                        [x.number for x in perform_part("", c).bars],
                        [x.number for x in perform_part("", a).bars],
                    )
                    self.assertEqual([x.fifths for x in b.bars], [x.fifths for x in a.bars])
                    self.assertEqual(
                        [len(x.slur_starts) for y in b.bars for x in y.notes],
                        [len(x.slur_starts) for y in a.bars for x in y.notes],
                    )
                    self.assertEqual(
                        [x.number for x in perform_part("", b).bars],
                        [x.number for x in perform_part("", a).bars],
                    )

    def test_damaged_at_random_a_file_opens_or_is_refused_with_a_sentence(self) -> None:
        rng = random.Random(11)
        sources = [v for k, v in self.sources().items() if k != "Humdrum"]
        for _ in range(150):
            data = bytearray(rng.choice(sources))
            for _ in range(rng.randint(1, 6)):
                at = rng.randrange(len(data))
                if rng.random() < 0.4:
                    data[at] = rng.choice(b'|:[](){}<>-^_=/019aGz!"\n\xff')
                elif rng.random() < 0.5:
                    del data[at : at + rng.randint(1, 8)]
                else:
                    data[at:at] = data[rng.randrange(len(data)) :][: rng.randint(1, 12)]
            with contextlib.suppress(ScoreError):
                for score in open_any(bytes(data)):
                    write_musicxml(score)
