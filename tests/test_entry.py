"""Notes entered key by key: what each key writes, that bars fill up by themselves, and that everything can be
taken back.
"""

from __future__ import annotations

import random
import unittest
from fractions import Fraction

from jeweller.notation import entry
from jeweller.notation.entry import Entry
from jeweller.notation.readers.abc import parse_tune

F = Fraction
QUARTER = F(1)

HEAD = "M:4/4\nL:1/4\nK:F\n"


def begun(music: str = "", head: str = HEAD) -> Entry:
    return Entry(head + music, len(head + music))


def keys(e: Entry, letters: str, quarters: F = QUARTER) -> Entry:
    for letter in letters:
        e = entry.add_note(e, letter, quarters) if letter != "R" else entry.add_rest(e, quarters)
    return e


def music(e: Entry) -> str:
    return e.before.removeprefix(HEAD)


class Entered(unittest.TestCase):
    def test_the_nearest_octave_and_bar_lines_by_themselves(self) -> None:
        e = keys(begun(), "FACFGR")
        self.assertEqual(music(e), "F A c f | g z")
        self.assertEqual(music(keys(begun(head="M:4/4\nL:1/4\nK:F bass\n"), "C")).rsplit("\n")[-1], "C,")

    def test_what_does_not_go_into_the_bar_is_tied_over_it_and_a_rest_divided(self) -> None:
        e = keys(keys(begun(), "CCC"), "D", F(2))
        self.assertEqual(music(e), "c c c d- | d")
        self.assertEqual(music(keys(keys(begun(), "CCC"), "R", F(2))), "c c c z | z")
        self.assertEqual(parse_tune(keys(e, "EFG").text)[1], ())

    def test_dots_ties_slurs_signs_and_graces(self) -> None:
        e = entry.dot(keys(begun(), "A"))
        self.assertEqual(music(e), "A3/2")
        self.assertEqual(music(entry.dot(e)), "A")
        e = entry.slur(keys(entry.slur(keys(e, "B", F(1, 2))), "C"))
        self.assertEqual(music(e), "A3/2(B/2 c)")
        e = entry.mark(e, "!trill!")
        self.assertEqual(music(entry.mark(entry.mark(e, "."), ".")), "A3/2(B/2 !trill!c)")
        self.assertEqual(music(entry.add_note(begun("c "), "D", F(1), grace=True)), "c {d}")
        self.assertEqual(music(entry.tie(begun("c"))), "c-")
        self.assertEqual(music(entry.tie(entry.tie(begun("c")))), "c")

    def test_a_sign_is_written_only_where_one_is_needed(self) -> None:
        self.assertEqual(music(entry.alter(begun("B"), 1)), "=B")  # the key has B flat
        self.assertEqual(music(entry.alter(begun("=B"), -1)), "B")
        self.assertEqual(music(entry.alter(begun("=B B"), -1)), "=B _B")  # the natural holds through the bar
        self.assertEqual(music(entry.alter(entry.alter(entry.alter(begun("c"), 1), 1), 1)), "^^c")

    def test_what_is_tied_over_the_bar_line_is_one_note(self) -> None:
        e = keys(keys(begun(), "CCC"), "D", F(2))
        self.assertEqual(music(entry.step(e, 1)), "c c c e- | e")
        self.assertEqual(music(entry.alter(e, 1)), "c c c ^d- | d")
        self.assertEqual(music(entry.mark(e, "!trill!")), "c c c !trill!d- | d")
        self.assertEqual(music(entry.take_back(e)), "c c c ")
        self.assertEqual(
            [
                n.pitch.name
                for b in parse_tune(entry.alter(e, 1).text)[0].parts[0].bars[1:]
                for n in b.notes
                if n.pitch
            ],
            ["D♯5"],
        )

    def test_steps_octaves_and_triplets(self) -> None:
        self.assertEqual(music(entry.step(begun("^c"), 1)), "d")
        self.assertEqual(music(entry.step(begun("c/2"), -7)), "C/2")
        e = keys(entry.add_triplet(begun("c c c ")), "DEF", F(1, 2))
        self.assertEqual(music(keys(e, "G")), "c c c (3d/2e/2f/2 | g")

    def test_everything_can_be_taken_back_and_the_rest_of_the_tune_stays(self) -> None:
        e = Entry(HEAD + "c d | !trill!e  | f g |]", len(HEAD + "c d | !trill!e "))
        self.assertEqual(entry.take_back(e).text, HEAD + "c d | | f g |]")
        self.assertEqual(keys(entry.take_back(e), "A").text, HEAD + "c d | A| f g |]")
        self.assertEqual(entry.notes_before(e), 3)

    def test_any_row_of_keys_gives_a_tune_that_can_be_read(self) -> None:
        chance = random.Random(5)
        lengths = (F(4), F(2), F(1), F(1, 2), F(1, 4))
        for _ in range(60):
            e = begun(
                head=f"M:{chance.choice(['4/4', '3/4', '6/8', '2/4'])}\nL:1/8\nK:{chance.choice(['C', 'Eb', 'A', 'F bass'])}\n"
            )
            for _ in range(30):
                acts = (
                    lambda e: entry.add_note(e, chance.choice("ABCDEFG"), chance.choice(lengths)),
                    lambda e: entry.add_rest(e, chance.choice(lengths)),
                    entry.dot,
                    entry.tie,
                    entry.slur,
                    lambda e: entry.alter(e, chance.choice((-1, 1))),
                    lambda e: entry.step(e, chance.choice((-7, -1, 1, 7))),
                    entry.add_triplet,
                    entry.take_back,
                    lambda e: entry.add_note(e, chance.choice("ABCDEFG"), F(1), grace=True),
                    lambda e: entry.mark(e, "!fermata!"),
                )
                e = chance.choice(acts)(e)
                self.assertEqual(e.at, len(e.text))
            problems = parse_tune(e.text)[1]
            self.assertFalse(
                [p.text for p in problems if "not understood" in p.text or "not known" in p.text], e.text
            )
            for _ in range(40):
                e = entry.take_back(e)
            self.assertEqual(
                sum(len(b.notes) for p in parse_tune(e.text)[0].parts for b in p.bars), 0, e.text
            )


if __name__ == "__main__":
    unittest.main()
