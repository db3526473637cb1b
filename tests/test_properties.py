"""What holds for anything: what is written reads back the same, any bytes end in a score or a sentence, and a
tray after any acts and their undoing is what it was.
"""

from __future__ import annotations

import dataclasses
import shutil
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jeweller.decisions.records import Decision
from jeweller.library.library import Library
from jeweller.library.verify import find_missing
from jeweller.notation.barring import BarAttributes, UnbarredNote, lay_out_bars
from jeweller.notation.model import Part, Score
from jeweller.notation.performance import perform_part
from jeweller.notation.pitch import Pitch, key_alter
from jeweller.notation.readers.midi import read_midi
from jeweller.notation.readers.musicxml import read
from jeweller.notation.readers.sandbox import answer_for
from jeweller.notation.writers.midi import write_midi
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.serialization import from_plain, to_plain
from tests.test_class import fill

F = Fraction
FEW = settings(
    max_examples=30,
    deadline=None,
    database=None,
    suppress_health_check=[HealthCheck.too_slow],
    derandomize=True,
)
LENGTHS = st.sampled_from([F(4), F(3), F(2), F(3, 2), F(1), F(3, 4), F(1, 2), F(1, 4)])
MARKS = st.fixed_dictionaries(
    {},
    optional={
        "articulations": st.sampled_from([("staccato",), ("accent",), ("tenuto",)]),
        "ornament": st.sampled_from(["trill", "mordent", "turn"]),
        "fermata": st.just(True),
        "breath_after": st.just(True),
    },
)


@st.composite
def parts(draw: st.DrawFn) -> Part:
    """A part of a few bars in any key and an easy metre: notes, rests, ties over bar lines, marks."""
    fifths = draw(st.integers(-6, 6))
    attributes = BarAttributes(fifths=fifths, beats=draw(st.sampled_from([2, 3, 4])), beat_type=4)
    notes = []
    for length, step, octave, rest, marks in draw(
        st.lists(
            st.tuples(LENGTHS, st.sampled_from("CDEFGAB"), st.integers(4, 5), st.booleans(), MARKS),
            min_size=2,
            max_size=14,
        )
    ):
        pitch = Pitch(step, key_alter(step, fifths), octave)
        silent = rest and bool(notes)
        notes.append(UnbarredNote(length, () if silent else (pitch,), {} if silent else marks))
    bars = tuple(lay_out_bars(notes, [attributes]))
    return Part(id="P1", name="Flute", instrument="Flute", diatonic=0, chromatic=0, bars=bars)


def said(part: Part, *, marks: bool = True) -> list[Any]:
    """What a part says, bar by bar."""
    return [
        (
            bar.number,
            bar.fifths,
            bar.beats,
            [
                (
                    n.offset,
                    n.duration,
                    n.pitch,
                    n.tie_start,
                    n.tie_stop,
                    *((n.articulations, n.ornament, n.fermata, n.breath_after) if marks else ()),
                )
                for n in bar.notes
            ],
        )
        for bar in part.bars
    ]


class Notation(unittest.TestCase):
    @FEW
    @given(parts())
    def test_musicxml_reads_back_as_it_was_written(self, part: Part) -> None:
        again = read(write_musicxml(Score("A line", (part,), "")))
        self.assertEqual((again.title, said(again.parts[0])), ("A line", said(part)))
        self.assertEqual(write_musicxml(again), write_musicxml(read(write_musicxml(again))))

    @FEW
    @given(parts())
    def test_json_reads_back_as_it_was_written(self, part: Part) -> None:
        self.assertEqual(from_plain(Part, to_plain(part, lean=True)), part)

    @FEW
    @given(parts())
    def test_midi_keeps_pitches_and_beginnings(self, part: Part) -> None:
        plain = dataclasses.replace(
            part,
            bars=tuple(
                dataclasses.replace(
                    b,
                    notes=tuple(
                        dataclasses.replace(n, ornament=None, articulations=(), fermata=False)
                        for n in b.notes
                    ),
                )
                for b in part.bars
            ),
        )
        sounding = [(n.onset, n.sounding_midi) for n in perform_part("", plain).main_notes]
        again = read_midi(write_midi(Score("", (plain,), ""), lambda _part: "flute"), F(1, 4))
        heard = [(n.onset, n.sounding_midi) for n in perform_part("", again.parts[0]).main_notes]
        self.assertEqual(heard, sounding)

    @FEW
    @given(
        st.one_of(
            st.binary(max_size=400),
            st.text(max_size=400).map(lambda text: f"X:1\nK:C\n{text}".encode("utf-8", "replace")),
            st.binary(max_size=200).map(lambda data: b"MThd\0\0\0\6\0\1\0\1\1\xe0MTrk\0\0\0\x20" + data),
            st.text(max_size=300).map(lambda text: f"<score-partwise>{text}".encode("utf-8", "replace")),
        )
    )
    def test_any_bytes_end_in_a_score_or_a_sentence(self, data: bytes) -> None:
        answer = answer_for(data, None)
        self.assertEqual(len(answer), 1)
        if "error" in answer:
            self.assertTrue(answer["error"].strip())
        for plain in answer.get("scores", ()):
            score = from_plain(Score, plain)
            self.assertNotIn("error", answer_for(write_musicxml(score), None))


ACTS = st.lists(
    st.one_of(
        st.tuples(st.sampled_from(["keep", "dismiss"]), st.integers(0, 2), st.integers(0, 2)),
        st.tuples(st.just("comment"), st.integers(0, 2), st.text(max_size=12)),
        st.tuples(st.sampled_from(["undo", "redo", "open"]), st.just(0), st.just(0)),
    ),
    max_size=16,
)


class Acts(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)
        library = Library(self.folder / "whole")
        band = library.add_band("Band")
        self.tray, _piece, _players = fill(
            library, band.id, ("Ilse", "flute"), ("Bram", "trumpet"), ("Edda", "horn")
        )
        library.close()

    def state(self, library: Library) -> list[Any]:
        return [
            (
                t.state,
                library.decisions_of(t.id).decisions,
                sorted(library.decisions_of(t.id).comments.items()),
            )
            for t in library.takes(self.tray)
        ]

    @settings(
        max_examples=8,
        deadline=None,
        database=None,
        derandomize=True,
        suppress_health_check=[HealthCheck.too_slow, HealthCheck.differing_executors],
    )
    @given(ACTS)
    def test_what_was_confirmed_stands_and_all_of_it_can_be_undone(
        self, acts: list[tuple[str, Any, Any]]
    ) -> None:
        folder = Path(tempfile.mkdtemp(dir=self.folder)) / "library"
        shutil.copytree(self.folder / "whole", folder)
        library = Library(folder)
        begun = self.state(library)
        for act, which, what in acts:
            take = library.takes(self.tray)[which]
            report = library.report(take.id)
            assert report is not None
            if act in ("keep", "dismiss"):
                now = library.decisions_of(take.id).decisions
                key = report["findings"][what]["key"]
                library.decide(take.id, now.decide(Decision(key, act)))  # type: ignore[arg-type]
            elif act == "comment":
                library.act([(take.id, "comment", {"key": "", "text": what})])
            elif act == "open":
                before = self.state(library)
                library.close()
                library = Library(folder)
                self.assertEqual(self.state(library), before)
            else:
                (library.undo if act == "undo" else library.redo)(self.tray)
        while library.undo(self.tray):
            pass
        self.assertEqual(self.state(library), begun)
        self.assertEqual(find_missing(library), [])
        library.close()


if __name__ == "__main__":
    unittest.main()
