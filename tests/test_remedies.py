"""The remedy table: a row for every kind and family, and none that names what an instrument has not."""

from __future__ import annotations

import dataclasses
import json
import re
import unittest

from jeweller.assessment.finding import KINDS
from jeweller.assessment.messages import CAUSE_WORDS
from jeweller.errors import SettingError
from jeweller.instruments.table import instruments, require_instrument
from jeweller.practice.remedies import MANNERS, load_remedies
from tests.support import TempCase

# What a word is of, and which instruments have it.
PARTS = {
    r"\b(finger|fingers|fingering|fingerings)\b": ["valves", "flute", "recorder", "reed", "other"],
    r"\bslide\b": ["slide", "valves"],  # a valved instrument has slides to tune
    r"\b(position|positions)\b": ["slide"],
    r"\bvalves?\b": ["valves"],
    r"\bbuzz\b": ["valves", "slide"],
    r"\b(pull|pulled|push)\b": ["valves", "slide", "flute", "recorder"],  # an oboe is not pulled
    r"\blips\b": ["valves", "slide", "flute"],
    r"\b(reed|pad|bit(e|ing))\b": ["reed"],
    r"\b(thumb|register key)\b": ["recorder", "reed"],
    r"\b(breath|breaths|breathe|blow|air|tongue)\b": ["valves", "slide", "flute", "recorder", "reed"],
    r"\b(stick|sticks|mallets?|strike|drum)\b": ["mallets", "sticks", "other"],
}


class Table(unittest.TestCase):
    def test_every_kind_has_a_row_for_every_instrument(self) -> None:
        table = load_remedies(None)
        for instrument in instruments():
            for kind in KINDS:
                found = table.remedies_for(kind, instrument)
                self.assertTrue(found, (kind, instrument.id))
                self.assertTrue(all(r.look and r.first and r.next for r in found), (kind, instrument.id))
        self.assertEqual({r.cause for r in table.rows} - set(CAUSE_WORDS) - set(MANNERS) - {""}, set())

    def test_no_row_names_what_the_instrument_has_not(self) -> None:
        for row in load_remedies(None).rows:
            said = " ".join((row.look, row.first, row.next)).lower()
            for words, owners in PARTS.items():
                if re.search(words, said):
                    allowed = [h for h in row.hands if h not in owners]
                    self.assertEqual(allowed, [], (row.name, words, said))

    def test_the_cause_comes_first(self) -> None:
        table, trumpet = load_remedies(None), require_instrument("trumpet")
        own = table.remedies_for("wrong_octave", trumpet, "register_lost")
        self.assertEqual(own[0].cause, "register_lost")
        self.assertEqual(own[1:], table.remedies_for("wrong_octave", trumpet))
        manner = table.remedies_for("wrong_octave", trumpet, "register_lost", "too_high")
        self.assertEqual([r.cause for r in manner[:2]], ["register_lost", "too_high"])
        self.assertIn("Slower", manner[1].next)
        flute = table.remedies_for("wrong_octave", require_instrument("flute"), None, "too_low")
        self.assertIn("Faster air", flute[0].first)
        self.assertEqual(table.remedies_for("bar_skipped", trumpet)[0].drill, "bars_joined")
        trombone = require_instrument("trombone")
        flat = table.remedies_for("added_accidental", trombone, "neighbour_slide_position")[0]
        self.assertEqual((flat.drill, "slide" in flat.look), ("from_safe", True))
        for cause in ("long_notes_short", "long_note_miscounted"):
            self.assertEqual(table.remedies_for("beat_dropped", trumpet, cause)[0].drill, "count_clap")


class Changed(TempCase):
    def test_a_row_of_ones_own_stands_and_a_foreign_one_is_named(self) -> None:
        shipped = load_remedies(None).rows
        changed = dataclasses.replace(shipped[0], first="Sing it first.")
        path = self.folder / "remedies.json"
        path.write_text(json.dumps({"rows": [dataclasses.asdict(changed)]}))
        table = load_remedies(self.folder)
        self.assertEqual([r.first for r in table.rows if r.name == changed.name], ["Sing it first."])
        self.assertEqual(len(table.rows), len(shipped))
        data = json.loads(path.read_text())
        data["rows"].append({"kinds": ["no_such"], "hands": ["valves"], "first": "x", "drill": "switch"})
        path.write_text(json.dumps(data))
        table = load_remedies(self.folder)
        self.assertEqual(table.foreign, ("row 2: no_such is not known",))
        self.assertEqual(len(table.rows), len(shipped))
        for damaged in ("[]", "{", '{"rows": 3}'):
            path.write_text(damaged)
            with self.assertRaisesRegex(SettingError, "no table of remedies"):
                load_remedies(self.folder)


if __name__ == "__main__":
    unittest.main()
