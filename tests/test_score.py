"""Reading MusicXML against hand-worked scores, playing out repeats, writing, and files that are damaged or
mean harm.
"""

from __future__ import annotations

import dataclasses
import io
import json
import unittest
import zipfile
from fractions import Fraction

from jeweller.errors import ScoreError
from jeweller.notation.metre import Metre
from jeweller.notation.model import Bar, Mark, Score
from jeweller.notation.performance import perform_part, playing_order
from jeweller.notation.pitch import Pitch, in_key, key_alter, key_letters, key_name, spell
from jeweller.notation.readers.detect import read as open_any
from jeweller.notation.readers.musicxml import read
from jeweller.notation.readers.musicxml_file import unpack
from jeweller.notation.readers.sandbox import choose_part, load_score, usable_part
from jeweller.notation.summary import score_summary
from jeweller.notation.writers.musicxml import compute_beams, write_musicxml
from jeweller.serialization import from_plain, to_plain
from tests.support import TempCase, line_of, part_of

HEAD = (
    '<?xml version="1.0"?><score-partwise><part-list><score-part '
    'id="P1"><part-name>Horn</part-name></score-part></part-list><part id="P1">'
)


def xml(*bars: str, first: str = "") -> bytes:
    attributes = f"<attributes><divisions>4</divisions><key><fifths>-1</fifths></key><time><beats>4</beats><beat-type>4</beat-type></time>{first}</attributes>"
    text = "".join(
        f'<measure number="{k + 1}">{attributes if k == 0 else ""}{b}</measure>' for k, b in enumerate(bars)
    )
    return f"{HEAD}{text}</part></score-partwise>".encode()


def n(
    step: str,
    octave: int,
    duration: int,
    extra: str = "",
    alter: str = "",
    before: str = "",
    voice: str = "1",
) -> str:
    a = f"<alter>{alter}</alter>" if alter else ""
    return f"<note>{before}<pitch><step>{step}</step>{a}<octave>{octave}</octave></pitch><duration>{duration}</duration><voice>{voice}</voice>{extra}</note>"


class Reading(unittest.TestCase):
    def test_written_and_sounding_pitch(self) -> None:
        transpose = "<transpose><diatonic>-4</diatonic><chromatic>-7</chromatic><octave-change>-1</octave-change></transpose>"
        part = read(xml(n("C", 5, 16), first=transpose)).parts[0]
        note = perform_part("", part).notes[0]
        self.assertEqual((note.written_midi, note.sounding_midi, note.written.pitch.name), (72, 53, "C5"))

    def test_ties_are_one_note_across_the_bar_line(self) -> None:
        part = read(
            xml(
                n("C", 5, 8) + n("D", 5, 8, '<tie type="start"/>'),
                n("D", 5, 4, '<tie type="stop"/>') + n("E", 5, 12),
            )
        ).parts[0]
        notes = perform_part("", part).notes
        self.assertEqual(
            [(x.written.pitch.name, x.duration) for x in notes], [("C5", 2), ("D5", 3), ("E5", 3)]
        )
        self.assertEqual(len(notes[1].tied_ids), 2)

    def test_a_tie_to_another_pitch_is_no_tie(self) -> None:
        part = read(xml(n("C", 5, 8, '<tie type="start"/>') + n("D", 5, 8, '<tie type="stop"/>'))).parts[0]
        self.assertEqual(len(perform_part("", part).notes), 2)

    def test_graces_cues_chords_tuplets_and_marks(self) -> None:
        bar = (
            n("B", 4, 0, before='<grace slash="yes"/>').replace("<duration>0</duration>", "")
            + n("C", 5, 4, "<notations><ornaments><trill-mark/></ornaments></notations>")
            + n("D", 5, 4, before="<cue/>")
            + n(
                "E",
                5,
                8,
                "<notations><fermata/><articulations><staccato/><breath-mark/></articulations></notations>",
            )
        )
        line = perform_part("", read(xml(bar)).parts[0])
        self.assertEqual([x.grace for x in line.notes], [True, False, False])
        self.assertEqual(line.notes[1].written.ornament, "trill")
        self.assertTrue(
            line.notes[2].fermata
            and line.notes[2].breath_after
            and "staccato" in line.notes[2].written.articulations
        )
        triplet = "<time-modification><actual-notes>3</actual-notes><normal-notes>2</normal-notes></time-modification>"
        data = xml(n("C", 5, 4, triplet) * 3 + n("C", 5, 12)).replace(
            b"<divisions>4</divisions>", b"<divisions>12</divisions>"
        )
        self.assertEqual(read(data).parts[0].bars[0].notes[1].offset, Fraction(1, 3))
        self.assertTrue(read(xml(n("C", 5, 16) + n("E", 5, 16, before="<chord/>"))).parts[0].has_chords)

    def test_slur_covers_its_notes_and_no_more(self) -> None:
        line = line_of("C5/1( D5/1 E5/1) F5/1")
        self.assertEqual([x.slurred_to_next for x in line.notes], [True, True, False, False])
        self.assertEqual([x.slurred_from_previous for x in line.notes], [False, True, True, False])

    def test_the_voice_with_most_notes_is_kept_and_said(self) -> None:
        bar = (
            n("C", 5, 8)
            + n("D", 5, 8)
            + "<backup><duration>16</duration></backup>"
            + n("C", 4, 16, voice="2")
        )
        score = read(xml(bar))
        self.assertEqual(len(score.parts[0].bars[0].notes), 2)
        self.assertIn("several voices: voice 1 is used", score.warnings[0])

    def test_timewise_and_plain_mxl(self) -> None:
        inner = n("C", 5, 16)
        timewise = (
            (
                b"<score-timewise><part-list><score-part "
                b'id="P1"><part-name>A</part-name></score-part></part-list><measure number="1"><part '
                b'id="P1">'
            )
            + b"<attributes><divisions>4</divisions></attributes>"
            + inner.encode()
            + b"</part></measure></score-timewise>"
        )
        self.assertEqual(read(timewise).parts[0].note_count, 1)
        self.assertEqual(
            read(zipped({"META-INF/container.xml": container("a/b.xml"), "a/b.xml": xml(inner)}))
            .parts[0]
            .note_count,
            1,
        )

    def test_rests_next_to_each_other_are_one_count(self) -> None:
        line = line_of("C5/1 r/1 r/2 | r/4 | C5/4")
        self.assertEqual([(r.bar, r.duration) for r in line.rests], [("1", 7)])

    def test_beats_of_a_pickup_count_from_the_full_bar(self) -> None:
        line = line_of("G4/1 | C5/4")
        self.assertEqual(line.beat_in_bar(0, Fraction(0)), 4.0)
        self.assertEqual(line_of("C5/3", beats=6, beat_type=8).beat, Fraction(3, 2))


class PlayingOut(unittest.TestCase):
    def order(self, **flags: dict[str, object]) -> str:
        """Bars A, B, C ... with flags by letter, as the string of what is played."""
        letters = "ABCDEF"
        bars = tuple(
            Bar(
                number=c,
                length=Fraction(4),
                beats=4,
                beat_type=4,
                fifths=0,
                mode="major",
                clef=("G", 2, 0),
                notes=(),
                **flags.get(c, {}),
            )
            for c in letters
        )  # type: ignore[arg-type]
        return "".join(letters[k] for k in playing_order(bars))

    def test_repeats(self) -> None:
        one = {"ending": (1,), "ending_start": True, "ending_stop": "stop", "repeat_times": 2}
        two = {"ending": (2,), "ending_start": True, "ending_stop": "discontinue"}
        cases = {
            "ABCDEF": {},
            "ABABCDEF": {"B": {"repeat_times": 2}},
            "ABCBCDEF": {"B": {"repeat_start": True}, "C": {"repeat_times": 2}},
            "ABABCDCDEF": {
                "B": {"repeat_times": 2},
                "D": {"repeat_times": 2},
            },  # without a forward sign: from the end of the repeat before
            "AAABCDEF": {"A": {"repeat_times": 3}},
            "ABCABDEF": {"C": one, "D": two},
            "ABCDEFABC": {"F": {"dacapo": True}, "C": {"fine": True}},
            "ABCDEFBC": {"B": {"segno": True}, "C": {"fine": True}, "F": {"dalsegno": True}},
            "ABCDABEF": {"B": {"to_coda": True}, "D": {"dacapo": True}, "E": {"coda": True}},
            "AABCDEFABC": {
                "A": {"repeat_times": 2},
                "C": {"fine": True},
                "F": {"dacapo": True},
            },  # no repeats after D.C.
        }
        for wanted, flags in cases.items():
            with self.subTest(wanted):
                self.assertEqual(self.order(**flags), wanted)

    def test_passes_are_counted(self) -> None:
        line = line_of("C5/4 | D5/4", flags={1: {"repeat_times": 2}})
        self.assertEqual([(x.bar, x.passing) for x in line.notes], [("1", 1), ("2", 1), ("1", 2), ("2", 2)])
        self.assertEqual(len({x.id for x in line.notes}), 4)


class Pitches(unittest.TestCase):
    def test_names_and_keys(self) -> None:
        self.assertEqual(
            (Pitch("B", -1, 4).midi, Pitch("B", -1, 4).name, key_name(-2), key_letters(-2)),
            (70, "B♭4", "B♭ major", ["B♭", "E♭"]),
        )
        self.assertEqual([key_alter(s, 3) for s in "FCGD"], [1, 1, 1, 0])
        self.assertEqual(
            (spell(63, -3).name, spell(63, 4).name, spell(63, 0, Pitch("E", 0, 4)).name),
            ("E♭4", "D♯4", "E♭4"),
        )
        self.assertTrue(in_key(70, -1) and not in_key(71, -1))

    def test_spelling_always_sounds_the_same(self) -> None:
        for midi in range(20, 110):
            for fifths in range(-7, 8):
                self.assertEqual(spell(midi, fifths).midi, midi)


class Writing(TempCase):
    def test_a_way_back_says_how_far(self) -> None:
        bars = " | ".join(["C5/4"] * 4)
        for flags, words in (
            (
                {0: {"segno": True}, 1: {"to_coda": True}, 2: {"dalsegno": True}, 3: {"coda": True}},
                "D.S. al Coda",
            ),
            ({1: {"fine": True}, 3: {"dacapo": True}}, "D.C. al Fine"),
            ({3: {"dacapo": True}}, "D.C."),
        ):
            part = part_of(bars, flags=flags)
            written = write_musicxml(Score("T", (part,)))
            self.assertIn(f">{words}<".encode(), written)
            self.assertEqual([b.dacapo for b in read(written).parts[0].bars], [b.dacapo for b in part.bars])

    def test_what_is_written_reads_back_the_same(self) -> None:
        part = part_of(
            "G4/1 | C5/.75( D5/.25) Eb5/1t {F5}E5/.5 F#5/.5 G5/1_ | G5/3 r/1 | C5/4f",
            fifths=-2,
            chromatic=-9,
            flags={1: {"repeat_start": True}, 2: {"repeat_times": 2}, 3: {"fine": True, "segno": True}},
        )
        back = read(write_musicxml(Score("T", (part,)))).parts[0]
        one, two = perform_part("", part), perform_part("", back)
        self.assertEqual(
            [(x.id, x.onset, x.duration, x.sounding_midi, x.grace, x.slurred_to_next) for x in one.notes],
            [(x.id, x.onset, x.duration, x.sounding_midi, x.grace, x.slurred_to_next) for x in two.notes],
        )
        self.assertTrue(back.bars[3].fine and back.bars[3].segno)

    def test_beams_group_by_the_beat(self) -> None:
        bar = part_of("C5/.5 D5/.5 E5/.25 F5/.25 G5/.5 r/.5 A5/.5 B5/1").bars[0]
        beams = compute_beams(bar)
        self.assertEqual(
            (beams[0], beams[1], beams[2], beams[4]), (("begin",), ("end",), ("begin", "begin"), ("end",))
        )
        self.assertNotIn(6, beams)

    def test_plain_values_round_trip(self) -> None:
        score = Score("T", (part_of("C5/1 r/3 | {B4}C5/4t"),))
        self.assertEqual(from_plain(Score, json.loads(json.dumps(to_plain(score)))), score)

    def test_summary_lists_notes_in_order_of_performance(self) -> None:
        part = part_of("C5/2_ C5/2 | D5/4", flags={1: {"repeat_times": 2}})
        notes = score_summary(Score("T", (part,)))["parts"][0]["notes"]
        self.assertEqual(
            [(x["written"], x["duration_q"], x["pass"]) for x in notes],
            [("C5", 4, 1), ("D5", 4, 1), ("C5", 4, 2), ("D5", 4, 2)],
        )


def container(path: str) -> bytes:
    return f'<container><rootfiles><rootfile full-path="{path}"/></rootfiles></container>'.encode()


def zipped(members: dict[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return buffer.getvalue()


class Hostile(TempCase):
    def test_each_gets_its_sentence(self) -> None:
        bomb = b'<!DOCTYPE x [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;">]><score-partwise>&b;</score-partwise>'
        secret = self.folder / "secret.txt"
        secret.write_text("hidden words")
        outside = (
            "<!DOCTYPE x [<!ENTITY e SYSTEM "
            f'"file://{secret}">]><score-partwise><work><work-title>&e;</work-title></work></score-partwise>'
        ).encode()
        good = xml(n("C", 5, 16))
        cases = {
            "empty": (b"  ", "is empty"),
            "text": (b"hello", "no notation file"),
            "cut": (good[: len(good) // 2], "not a readable MusicXML"),
            "other": (b"<html/>", "no MusicXML score"),
            "midi": (b"MThd\0\0\0\6", "MIDI file is damaged"),
            "pdf": (b"%PDF-1.4", "a PDF"),
            "bomb": (bomb, "entities"),
            "outside": (outside, "entities"),
            "no part": (b"<score-partwise/>", "no part"),
            "not zip": (b"PK\x03\x04rubbish", "damaged"),
            "path": (
                zipped({"META-INF/container.xml": container("../../etc/passwd"), "x.xml": good}),
                "points outside itself",
            ),
            "absolute": (
                zipped({"META-INF/container.xml": container("/etc/passwd")}),
                "points outside itself",
            ),
            "nothing": (zipped({"readme.txt": b"x"}), "holds no score"),
            "zip bomb": (
                zipped({"META-INF/container.xml": container("a.xml"), "a.xml": b" " * (80 * 2**20)}),
                "more than 64 MB",
            ),
            "divisions": (good.replace(b"<divisions>4<", b"<divisions>0<"), "divisions"),
            "octave": (good.replace(b"<octave>5<", b"<octave>99<"), "cannot be played"),
            "duration": (good.replace(b"<duration>16<", b"<duration>1e12<"), "cannot be"),
            "metre": (good.replace(b"<beat-type>4<", b"<beat-type>7<"), "metre"),
        }
        for name, (data, words) in cases.items():
            with self.subTest(name), self.assertRaisesRegex(ScoreError, words):
                open_any(data)

    def test_the_child_process_answers_for_a_file(self) -> None:
        path = self.folder / "a score.musicxml"
        path.write_bytes(xml(n("C", 5, 16)))
        self.assertEqual(load_score(path).parts[0].note_count, 1)
        for data, words in (
            (b"<x", "a score.musicxml: This is not a readable"),
            (b"<" * 70_000_000, "more than 64 MB"),
        ):
            path.write_bytes(data)
            with self.assertRaisesRegex(ScoreError, words):
                load_score(path)
        with self.assertRaisesRegex(ScoreError, "There is no file"):
            load_score(self.folder / "none.xml")
        with self.assertRaisesRegex(ScoreError, "is a folder"):
            load_score(self.folder)

    def test_endless_repeats_end(self) -> None:
        part = part_of(
            " | ".join(["C5/4"] * 1200),
            flags={k: {"repeat_start": True, "repeat_times": 20} for k in range(1200)},
        )
        with self.assertRaisesRegex(ScoreError, "more than 20000 bars"):
            perform_part("", part)

    def test_parts_that_cannot_be_checked(self) -> None:
        drums = read(xml("<note><unpitched/><duration>16</duration></note>"))
        self.assertTrue(usable_part(drums).percussion)
        chords = read(xml(n("C", 5, 16) + n("E", 5, 16, before="<chord/>")))
        silent = read(xml("<note><rest/><duration>16</duration></note>"))
        for score, words in ((chords, "has chords .*bar 1"), (silent, "no notes")):
            with self.subTest(words), self.assertRaisesRegex(ScoreError, words):
                usable_part(score)

    def test_choosing_a_part(self) -> None:
        score = Score("T", (part_of("r/4", name="Flute"), part_of("C5/4", name="Clarinet in B♭")))
        self.assertEqual(choose_part(score).name, "Clarinet in B♭")
        self.assertEqual(choose_part(score, "clar").name, "Clarinet in B♭")
        self.assertEqual(choose_part(score, "1").name, "Flute")
        with self.assertRaisesRegex(ScoreError, "1 Flute, 2 Clarinet"):
            choose_part(score, "Gong")

    def test_unpack_leaves_plain_xml_alone(self) -> None:
        self.assertEqual(unpack(b"<a/>"), b"<a/>")


class Metres(unittest.TestCase):
    # metre: full bar, what is counted as one, what short notes are beamed in (quarters)
    TABLE = (
        ((2, 4), "2", "1", "1"),
        ((3, 4), "3", "1", "1"),
        ((2, 2), "4", "2", "2"),
        ((3, 8), "3/2", "1/2", "3/2"),
        ((6, 8), "3", "3/2", "3/2"),
        ((9, 8), "9/2", "3/2", "3/2"),
        ((12, 8), "6", "3/2", "3/2"),
        ((5, 8), "5/2", "1/2", "1"),
        ((6, 16), "3/2", "3/4", "3/4"),
        ((6, 4), "6", "1", "1"),
    )

    def test_bar_beat_and_beams_of_every_metre(self) -> None:
        for (beats, beat_type), length, beat, group in self.TABLE:
            with self.subTest(f"{beats}/{beat_type}"):
                metre = Metre(beats, beat_type)
                self.assertEqual(
                    (metre.length, metre.beat, metre.beam_group),
                    (Fraction(length), Fraction(beat), Fraction(group)),
                )

    def test_what_is_played_is_counted_by_it(self) -> None:
        part = part_of("C5/.5 D5/.5 E5/.5 | F5/1.5", beats=3, beat_type=8)
        line = perform_part("", part)
        self.assertEqual((line.beat, line.bars[0].beat), (Fraction(1, 2), Fraction(1, 2)))
        self.assertEqual(line.beat_in_bar(0, Fraction(1)), 3.0)
        beams = compute_beams(part.bars[0])
        self.assertEqual([beams[k][0] for k in range(3)], ["begin", "continue", "end"])


class PlayedOut(unittest.TestCase):
    """What survived changes of one line: slurs that meet, and where the speed is free."""

    def test_a_slur_that_ends_and_one_that_begins_on_one_note(self) -> None:
        part = part_of("C5/1 D5/1 E5/1 F5/1 | G5/4")
        first = second = {"1"}  # files number the second like the first
        marks = (
            {"slur_starts": first},
            {},
            {"slur_stops": first, "slur_starts": second},
            {"slur_stops": second},
        )
        notes = tuple(
            dataclasses.replace(n, **{k: tuple(v) for k, v in more.items()})
            for n, more in zip(part.bars[0].notes, marks, strict=True)
        )
        part = dataclasses.replace(part, bars=(dataclasses.replace(part.bars[0], notes=notes), part.bars[1]))
        line = perform_part("", part)
        self.assertEqual([n.slurred_to_next for n in line.notes], [True, True, True, False, False])
        self.assertEqual([n.slurred_from_previous for n in line.notes], [False, True, True, True, False])

    def test_the_speed_is_free_from_a_rit_to_a_tempo(self) -> None:
        part = part_of(" | ".join(["C5/4"] * 4))
        rit, back = (
            Mark(kind="words", offset=Fraction(0), text="rit."),
            Mark(kind="words", offset=Fraction(0), text="a tempo"),
        )
        bars = list(part.bars)
        bars[1] = dataclasses.replace(bars[1], marks=(rit,))
        bars[2] = dataclasses.replace(bars[2], marks=(back,))
        line = perform_part("", dataclasses.replace(part, bars=tuple(bars)))
        self.assertEqual(line.free_from, ((Fraction(4), Fraction(8)),))
        bars[2] = part.bars[2]
        line = perform_part("", dataclasses.replace(part, bars=tuple(bars)))
        self.assertEqual(line.free_from, ((Fraction(4), Fraction(16)),))

    def test_a_double_sign_is_never_spelled_for_a_neighbour(self) -> None:
        self.assertEqual(spell(62, 0, near=Pitch("C", 0, 5)).name, "D4")
        self.assertEqual(spell(73, 0, near=Pitch("C", 0, 5)).name, "C♯5")
        self.assertEqual(spell(74, 0, near=Pitch("C", 1, 5)).name, "D5")
