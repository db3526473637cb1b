"""What is kept on disk between sessions: the journal of a player, care lists, remedies; and copies of a take
that is still recorded.
"""

from __future__ import annotations

import dataclasses
import json
import stat
import struct
import unittest

import numpy as np

from jeweller.audio.decode import decode
from jeweller.audio.recorder import SNAPSHOT, Dropout, TakeRecorder, recover, snapshot
from jeweller.errors import SettingError
from jeweller.instruments.care import LISTS, MOST_ROWS, load_care, save_care, with_cautions, with_list
from jeweller.instruments.table import instruments, require_instrument
from jeweller.library.journal import (
    PlayerJournal,
    forget_player,
    journal_files,
    recover_takes,
    recovered_sentence,
)
from jeweller.practice.remedies import (
    BLOWN,
    drills_after,
    load_remedies,
    load_schools,
    read_remedies,
    remedies_text,
    save_remedies,
    school_words,
)
from tests.support import TempCase


class Journals(TempCase):
    def test_each_player_has_one_of_the_own_and_nobody_else_reads_it(self) -> None:
        for player, said in ((None, "guest"), (7, "seven"), (8, "eight")):
            PlayerJournal(self.folder, player).add("take", {"said": said})
        told = [e["said"] for e in PlayerJournal(self.folder, 7).entries("take")]
        self.assertEqual(told, ["seven"])
        journal = PlayerJournal(self.folder, 7)
        self.assertEqual(stat.S_IMODE(journal.path.stat().st_mode), 0o600)
        for folder in (journal.folder, journal.folder.parent):
            self.assertEqual(stat.S_IMODE(folder.stat().st_mode), 0o700)

    def test_what_a_crash_or_a_hand_left_in_it_costs_only_that_line(self) -> None:
        journal = PlayerJournal(self.folder, None)
        journal.add("stone", {"n": 1})
        with journal.path.open("ab") as file:
            file.write(b'{"kind": "stone", "n"\n[1, 2]\n{"n": 3}\n\xff\xfe\n\n')
        journal.add("stone", {"n": 4})
        self.assertEqual([e["n"] for e in journal.entries("stone")], [1, 4])
        self.assertEqual(journal.entries("take"), [])
        self.assertEqual(PlayerJournal(self.folder / "none", None).every(), [])

    def test_the_order_is_that_of_writing_and_words_stay_as_they_are(self) -> None:
        journal = PlayerJournal(self.folder, None)
        for word in ("größer", "línea\nzwei", "“B♭”"):
            journal.add("log", {"note": word})
        self.assertEqual([e["note"] for e in journal.every()], ["größer", "línea\nzwei", "“B♭”"])
        self.assertEqual(len(journal.path.read_text(encoding="utf-8").splitlines()), 3)

    def test_two_takes_of_a_second_have_two_names_also_while_recorded(self) -> None:
        journal = PlayerJournal(self.folder, None)
        first = journal.new_take()
        first.touch()
        second = journal.new_take()
        second.with_name(f"{second.stem}.part.wav").touch()
        third = journal.new_take()
        self.assertEqual(len({first, second, third}), 3)

    def test_forgotten_with_the_player_and_with_no_other(self) -> None:
        for player in (7, 8):
            PlayerJournal(self.folder, player).add("take", {})
            (PlayerJournal(self.folder, player).folder / "a.wav").touch()
        self.assertEqual(len(journal_files(self.folder, 7)), 2)
        forget_player(self.folder, 7)
        forget_player(self.folder, 7)  # twice is as well
        self.assertEqual(journal_files(self.folder, 7), [])
        self.assertEqual(len(journal_files(self.folder, 8)), 2)

    def test_what_was_recorded_when_the_program_ended_is_told_once(self) -> None:
        journal = PlayerJournal(self.folder, 7)
        recorder = TakeRecorder(journal.new_take(), 22050)
        recorder.push(np.full(44100, 0.1, np.float32), 2.0)
        recorder.close()
        (journal.folder / f"x-count{SNAPSHOT}").touch()  # the room before a take: nobody needs it any more
        found = recover_takes(self.folder)
        self.assertEqual([round(r.seconds) for r in found], [2])
        self.assertIn("2 seconds of it are safe", recovered_sentence(found))
        self.assertEqual(recover_takes(self.folder), [])
        self.assertEqual(list(journal.folder.glob(f"*{SNAPSHOT}")), [])


class Copies(TempCase):
    RATE = 22050

    def setUp(self) -> None:
        super().setUp()
        self.recorder = TakeRecorder(self.folder / "take.wav", self.RATE)
        self.addCleanup(lambda: recover(self.folder))
        ramp = np.linspace(0.0, 0.9, 2 * self.RATE, dtype=np.float32)
        self.recorder.push(ramp, 2.0)
        self.recorder.close()

    def test_a_copy_of_so_many_bytes_ends_there(self) -> None:
        size = 44 + 2 * self.RATE
        self.assertEqual(self.recorder.size, 44 + 4 * self.RATE)
        path = self.folder / f"1{SNAPSHOT}"
        self.assertAlmostEqual(snapshot(self.recorder.part, path, (), size), 1.0)
        self.assertAlmostEqual(float(decode(path, self.RATE).samples[-1]), 0.45, delta=0.01)
        self.assertAlmostEqual(snapshot(self.recorder.part, path), 2.0)

    def test_its_header_says_how_long_it_is_and_the_recording_is_untouched(self) -> None:
        before = self.recorder.part.read_bytes()
        path = self.folder / f"1{SNAPSHOT}"
        snapshot(self.recorder.part, path, (), 44 + 2 * self.RATE)
        self.assertEqual(struct.unpack_from("<I", path.read_bytes(), 40)[0], 2 * self.RATE)
        self.assertEqual(self.recorder.part.read_bytes(), before)

    def test_silence_stands_where_sound_was_lost_before_the_end_of_the_copy(self) -> None:
        path = self.folder / f"1{SNAPSHOT}"
        lost = (Dropout(0.5, 0.25),)
        self.assertAlmostEqual(snapshot(self.recorder.part, path, lost, 44 + 2 * self.RATE), 1.25, 3)
        samples = decode(path, self.RATE).samples
        gap = samples[round(0.52 * self.RATE) : round(0.73 * self.RATE)]
        self.assertEqual(float(np.abs(gap).max()), 0.0)
        self.assertAlmostEqual(float(samples[-1]), 0.45, delta=0.01)


class CareTables(TempCase):
    horn = require_instrument("horn")

    def test_a_list_of_one_kind_is_changed_for_that_kind_alone(self) -> None:
        save_care(self.folder, with_list(load_care(None), self.horn, "away", ["Water out.", "  ", "Done."]))
        table = load_care(self.folder)
        self.assertEqual(table.list_for(self.horn, "away"), ["Water out.", "Done."])
        self.assertEqual(table.list_for(require_instrument("trumpet"), "away"), ["Water out.", "Done."])
        flute = require_instrument("flute")
        for name in LISTS:
            self.assertEqual(table.list_for(flute, name), load_care(None).list_for(flute, name))
        self.assertEqual(table.cautions, load_care(None).cautions)

    def test_rows_have_an_end(self) -> None:
        table = with_list(load_care(None), self.horn, "away", ["x" * 1000] * 100)
        rows = table.list_for(self.horn, "away")
        self.assertEqual((len(rows), max(map(len, rows))), (MOST_ROWS, 200))
        self.assertEqual(with_cautions(table, [("booth", ["all"], "  ")]).cautions, [])

    def test_a_caution_is_for_whom_it_says(self) -> None:
        table = with_cautions(
            load_care(None), [("booth", ["brass", "reed"], "Mind."), ("tone", ["all"], "All.")]
        )
        heard = {i.id for i in instruments() if table.cautions_for(i, "booth")}
        self.assertTrue({"horn", "clarinet", "oboe"} <= heard)
        self.assertFalse({"flute", "snare-drum"} & heard)
        self.assertTrue(all(table.cautions_for(i, "tone") == ["All."] for i in instruments()))

    def test_what_is_no_table_is_a_sentence(self) -> None:
        for damaged in (
            "",
            "[]",
            '{"lists": 1}',
            '{"lists": {"valves": []}}',
            '{"lists": {"valves": {"away": [1]}}}',
        ):
            (self.folder / "care.json").write_text(damaged)
            with self.assertRaisesRegex(SettingError, "no table of care lists"):
                load_care(self.folder)


class Remedies(TempCase):
    def test_only_what_is_changed_is_kept_and_comes_back_in_its_place(self) -> None:
        shipped = load_remedies(None).rows
        changed = dataclasses.replace(shipped[3], first="Sing it.")
        own = dataclasses.replace(shipped[5], first="My own way.", drill="slow_bar")
        save_remedies(self.folder, [*shipped[:3], changed, *shipped[4:], own])
        data = json.loads((self.folder / "remedies.json").read_text(encoding="utf-8"))
        self.assertEqual(
            len(data["rows"]), 3
        )  # the changed one; the own one and the shipped one it stands beside
        rows = load_remedies(self.folder).rows
        self.assertEqual(len(rows), len(shipped) + 1)
        self.assertIn(changed, rows)
        self.assertEqual([r for r in rows if r.name == own.name], [own, shipped[5]])
        save_remedies(self.folder, rows)
        self.assertEqual(load_remedies(self.folder).rows, rows)
        save_remedies(self.folder, shipped)
        self.assertEqual(load_remedies(self.folder).rows, shipped)

    def test_a_file_of_them_reads_back_the_same(self) -> None:
        shipped = list(load_remedies(None).rows)
        self.assertEqual(read_remedies(remedies_text(shipped)), (shipped, []))
        with self.assertRaises(SettingError):
            read_remedies("[" * 100_000)

    def test_other_drills_for_the_same_want_no_air_of_drums_and_come_to_an_end(self) -> None:
        for instrument in instruments():
            for row in load_remedies(None).rows:
                if instrument.hands in row.hands:
                    after = drills_after(row.drill, instrument)
                    self.assertNotIn(row.drill, after)
                    self.assertEqual(len(set(after)), len(after))
                    if instrument.hands in ("mallets", "sticks"):
                        self.assertFalse(set(after) & set(BLOWN), (instrument.id, row.drill))

    def test_a_school_speaks_of_its_own_kinds_only_and_an_unknown_choice_says_nothing(self) -> None:
        for school in load_schools():
            for choice in school.choices:
                for kind in school.kinds:
                    self.assertEqual(len(school_words({school.key: choice}, kind)), 1)
            self.assertEqual(school_words({school.key: "no such"}, "rushing"), [])
        self.assertEqual(school_words({"foot": "tap"}, "wrong_note"), [])


if __name__ == "__main__":
    unittest.main()
