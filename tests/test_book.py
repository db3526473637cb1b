"""The shelf: pieces put there, found again by what is in them, used in part, taken along as one file; damaged
files change nothing.
"""

from __future__ import annotations

import contextlib
import dataclasses
import io
import json
import time
import unittest
import zipfile

from jeweller.cli.main import main
from jeweller.errors import BookError
from jeweller.files import json_text
from jeweller.notation.model import Score
from jeweller.notation.performance import perform_part
from jeweller.notation.transposition import transpose_part
from jeweller.repertoire.shelf import SCHEMA, Query, Shelf, describe_piece, fingerprint
from jeweller.serialization import to_plain
from tests.support import TempCase, part_of, score_file

MARCH = Score(
    "Weir march",
    (part_of("C5/1 D5/1 r/1 E5/1 | F#5/1.5 G5/.5 A5/2 | G5/4", fifths=1, name="Clarinet in B♭"),),
    "one of us",
)
WALTZ = Score("Lantern waltz", (part_of("Bb4/1 C5/1 D5/1 | Eb5/2 D5/1 | Bb4/3", fifths=-2, beats=3),))


class OnTheShelf(TempCase):
    def setUp(self) -> None:
        super().setUp()
        self.shelf = Shelf(self.folder / "shelf")

    def titles(self, **query: object) -> list[str]:
        return [p.title for p in self.shelf.find(Query(**query))]  # type: ignore[arg-type]

    def test_a_piece_is_there_again_when_the_shelf_is_opened_again(self) -> None:
        piece = self.shelf.add(
            MARCH, folder="Spring", tags=("concert",), background="A march for the lock: steady, not fast."
        )
        again = Shelf(self.folder / "shelf")
        self.assertEqual(again.pieces, {piece.id: piece})
        self.assertEqual(
            [n.written_midi for n in perform_part("", again.score(piece.id).parts[0]).notes],
            [n.written_midi for n in perform_part("", MARCH.parts[0]).notes],
        )
        self.assertEqual(
            json.loads((self.shelf.folder / f"{piece.id}.json").read_text(encoding="utf-8"))["schema"], SCHEMA
        )

    def test_pieces_are_found_by_what_is_in_them(self) -> None:
        self.shelf.add(MARCH, folder="Spring", tags=("concert",), background="steady")
        self.shelf.add(WALTZ)
        for query, expected in (
            ({}, ["Lantern waltz", "Weir march"]),
            ({"words": "march steady"}, ["Weir march"]),
            ({"key": "B♭"}, ["Lantern waltz"]),
            ({"metre": "3/4"}, ["Lantern waltz"]),
            ({"contains": ("rest", "dotted")}, ["Weir march"]),
            ({"contains": ("E♭",)}, ["Lantern waltz"]),
            ({"within": (69, 76)}, ["Lantern waltz"]),
            ({"folder": "Spring"}, ["Weir march"]),
            ({"tag": "concert"}, ["Weir march"]),
            ({"words": "nothing"}, []),
        ):
            with self.subTest(query):
                self.assertEqual(self.titles(**query), expected)

    def test_the_same_music_is_noticed_in_another_key_and_titles_may_be_alike(self) -> None:
        first = self.shelf.add(MARCH)
        moved = dataclasses.replace(MARCH, parts=(transpose_part(MARCH.parts[0], 3),))
        self.assertEqual([p.id for p in self.shelf.same_music(moved)], [first.id])
        self.assertEqual(self.shelf.same_music(WALTZ), [])
        self.assertNotEqual(self.shelf.add(MARCH).id, first.id)
        self.assertNotEqual(fingerprint(part_of("C5/1 D5/3")), fingerprint(part_of("C5/2 D5/2")))

    def test_bars_of_a_piece_under_their_own_name(self) -> None:
        whole = self.shelf.add(MARCH)
        part = self.shelf.add_passage(whole.id, "2", "3", "The end of the march")
        self.assertEqual(
            [b.number for b in Shelf(self.shelf.folder).score(part.id).parts[0].bars], ["2", "3"]
        )
        with self.assertRaisesRegex(BookError, "no bars 9 to 12"):
            self.shelf.add_passage(whole.id, "9", "12", "Nothing")
        self.shelf.remove(whole.id)
        self.assertEqual([f for f in self.shelf.folder.rglob("*") if f.is_file()], [])

    def test_changing_and_what_cannot_be(self) -> None:
        piece = self.shelf.add(WALTZ)
        self.shelf.change(piece.id, tags=("slow",), background="a boat song")
        self.assertEqual(Shelf(self.shelf.folder).piece(piece.id).background, "a boat song")
        with self.assertRaisesRegex(BookError, "cannot be changed"):
            self.shelf.change(piece.id, music="x")
        with self.assertRaisesRegex(BookError, "There is no piece"):
            self.shelf.score("none")

    def test_as_one_file_to_another_shelf(self) -> None:
        whole = self.shelf.add(MARCH)
        self.shelf.add_passage(whole.id, "1", "2", "Its beginning")
        self.shelf.add(WALTZ)
        archive = self.folder / "shelf.zip"
        self.assertEqual(self.shelf.export(archive), 3)
        other = Shelf(self.folder / "other")
        other.add(WALTZ)
        new, there = other.take_in(archive)
        self.assertEqual(
            (sorted(p.title for p in new), there), (["Its beginning", "Weir march"], ["Lantern waltz"])
        )
        begun = next(p for p in new if p.passage_of)
        self.assertEqual(len(other.score(begun.id).parts[0].bars), 2)

    def test_damaged_or_hostile_files_change_nothing(self) -> None:
        self.shelf.add(WALTZ)
        (self.shelf.folder / "odd.json").write_text("{")
        (self.shelf.folder / "other.json").write_text('{"schema": "something/1"}')
        shelf = Shelf(self.shelf.folder)
        self.assertEqual((len(shelf.pieces), shelf.unread), (1, ["odd.json", "other.json"]))
        before = sorted(p.name for p in shelf.folder.iterdir())
        bad = self.folder / "bad.zip"
        for files, words in (
            ({"../../evil.json": "{}"}, "holds no pieces"),
            ({"a.json": "{"}, "damaged"),
            ({"a.json": '{"schema": "x"}'}, "damaged"),
        ):
            with zipfile.ZipFile(bad, "w") as z:
                for name, text in files.items():
                    z.writestr(name, text)
            with self.subTest(words), self.assertRaisesRegex(BookError, words):
                shelf.take_in(bad)
        bad.write_bytes(b"PK\x03\x04 rubbish")
        with self.assertRaisesRegex(BookError, "no file of a shelf"):
            shelf.take_in(bad)
        self.assertEqual(sorted(p.name for p in shelf.folder.iterdir()), before)
        self.assertFalse((self.folder / "evil.json").exists())

    def test_two_thousand_pieces_are_opened_and_searched_at_once(self) -> None:
        piece = describe_piece(WALTZ, "waltz")
        for k in range(2000):
            (self.shelf.folder / f"p{k}.json").write_text(
                json_text(
                    {"schema": SCHEMA, **to_plain(dataclasses.replace(piece, id=f"p{k}", title=f"Waltz {k}"))}
                )
            )
        begin = time.perf_counter()
        shelf = Shelf(self.shelf.folder)
        opened = time.perf_counter()
        self.assertEqual(
            len(shelf.find(Query(words="waltz 19", contains=("E♭",)))),
            sum("19" in str(k) for k in range(2000)),
        )
        found = time.perf_counter()
        self.assertLess(opened - begin, 3.0)  # a second and less on a quiet machine
        self.assertLess(found - opened, 0.3)

    def test_the_command(self) -> None:
        score, folder = str(score_file(self.folder, MARCH.parts[0])), str(self.folder / "shelf")
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(
                main(["book", "--shelf", folder, "add", score, "--folder", "Spring", "--tag", "concert"]), 0
            )
            self.assertEqual(main(["book", "--shelf", folder, "add", score]), 0)
            self.assertEqual(main(["book", "--shelf", folder, "find", "--contains", "rest"]), 0)
            self.assertEqual(main(["book", "--shelf", folder, "export", str(self.folder / "all.zip")]), 0)
            self.assertEqual(
                main(["book", "--shelf", str(self.folder / "new"), "import", str(self.folder / "all.zip")]), 0
            )
        self.assertIn("is there already", out.getvalue())
        self.assertIn("a-test  A test · G major · 4/4 · 3 bars", out.getvalue())
        self.assertIn("1 piece taken in", out.getvalue())
        error = io.StringIO()
        with contextlib.redirect_stderr(error):
            self.assertEqual(main(["book", "--shelf", folder, "find", "--within", "low-high"]), 2)
            self.assertEqual(main(["book", "--shelf", folder, "import", score]), 2)
        self.assertIn("is no range", error.getvalue())
        self.assertIn("is no file of a shelf", error.getvalue())


if __name__ == "__main__":
    unittest.main()
