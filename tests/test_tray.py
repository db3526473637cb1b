"""A tray brought in and checked: who and what each recording is, the workers, what fails and what is tried
again.
"""

from __future__ import annotations

import contextlib
import io
import os
import shutil
import signal
import unittest
import zipfile
from pathlib import Path
from unittest import mock

import numpy as np
from openpyxl import Workbook

from jeweller.assets import DEMO
from jeweller.audio.decode import file_hash
from jeweller.audio.encode import write_sound
from jeweller.cli.main import main
from jeweller.demo_band import read_band
from jeweller.errors import LedgerError
from jeweller.instruments.table import require_instrument
from jeweller.library.checking import Checking, CheckJob, CheckNews, options_of, run_check_job
from jeweller.library.class_list import Listed, read_class_list, read_pasted_list
from jeweller.library.demo import fill_demo
from jeweller.library.intake import (
    Known,
    candidates,
    guess,
    guess_all,
    part_for,
    recognise,
    words,
)
from jeweller.library.pile import recordings
from jeweller.library.tables import Assignment, Player, Take
from jeweller.notation.performance import perform_part
from jeweller.notation.readers.sandbox import load_score
from jeweller.pipeline.check import Options
from jeweller.pipeline.workers import WorkerPool
from jeweller.simulator.noises import say
from tests.support import RATE, TempCase, changed, part_of, score_file, sounding, straight
from tests.test_ledger import LedgerCase

PIECES = (
    Known("march", "The Lockkeeper's March", ("Flute", "Clarinet in B♭", "Tuba")),
    Known("air", "Fernhollow Air", ("Flute", "Clarinet in B♭")),
    Known("steps", "Up the Weir Steps", ("Trombone",)),
)


def player(number: int, name: str, instrument: str = "", part: str = "") -> Player:
    return Player(id=number, band_id=1, name=name, instrument=instrument, part=part, also=[], consent="")


PLAYERS = (
    player(1, "Ilse", "flute"),
    player(2, "Noor Vale", "clarinet"),
    player(3, "Noor Wick", "tuba"),
    player(4, "Zoë", "clarinet"),
)


class Guessed(unittest.TestCase):
    def test_who_what_and_which_part(self) -> None:
        for name, wanted in (
            ("Ilse - Fernhollow Air.wav", (1, "air", "Flute")),
            ("noor_vale_lockkeepers_march.ogg", (2, "march", "Clarinet in B♭")),
            ("march/NoorWick.m4a", (3, "march", "Tuba")),
            ("lockkeeper march/Noor Wick 2.m4a", (3, "march", "Tuba")),
            ("zoe air take3.mp3", (4, "air", "Clarinet in B♭")),
            ("Noor air.wav", (None, "air", "")),
            ("weir steps bram.wav", (None, "steps", "Trombone")),
            ("REC0001.WAV", (None, "", "")),
            ("IMG_2231 Ilse.ogg", (1, "", "")),
            ("noor v clarinet air final FINAL.ogg", (2, "air", "Clarinet in B♭")),
            ("Ilze air.wav", (None, "air", "")),  # too short a name to be wrong in
            ("nor_wikk.wav", (None, "", "")),
        ):
            with self.subTest(name):
                found = guess(Path("/takes") / name, PLAYERS, PIECES)
                self.assertEqual((found.player, found.piece, found.part), wanted)

    def test_an_unknown_player_is_called_what_the_file_calls_them(self) -> None:
        self.assertEqual(guess(Path("/t/weir steps bram.wav"), PLAYERS, PIECES).name, "Bram")
        self.assertEqual(
            guess(Path("/t/01_Rafi_trumpet_march.wav"), PLAYERS, PIECES, assigned="march").name, "Rafi"
        )

    def test_a_letter_wrong_is_the_same_name_where_there_is_no_other(self) -> None:
        pupils = (player(1, "Matilda Brandt", "flute"), player(2, "Magnus", "tuba"))
        for name, wanted in (("matlida.wav", 1), ("Magnuss take2.wav", 2), ("branches.wav", None)):
            self.assertEqual(guess(Path("/t") / name, pupils, PIECES).player, wanted, name)

    def test_what_a_camera_or_a_place_to_hand_in_wrote_is_nobody_s_name(self) -> None:
        for name, wanted in (
            ("IMG_2231 Bram.ogg", "Bram"),
            ("wren_assignsubmission_file_tuba final FINAL.ogg", "Wren"),
            ("IMG_0007.MOV", ""),
            ("2026-11-03 Kit week 9.m4a", "Kit"),
        ):
            self.assertEqual(guess(Path("/t") / name, PLAYERS, PIECES).name, wanted, name)

    def test_what_kind_of_take(self) -> None:
        self.assertEqual(
            [
                guess(Path(f"/t/ilse {w}.wav"), PLAYERS, PIECES).kind
                for w in ("air", "air clapping", "note names")
            ],
            ["played", "rhythm", "rhythm"],
        )

    def test_names_as_words_and_parts_by_name_or_instrument(self) -> None:
        self.assertEqual(words("Zoë_BrandtB♭-02"), ["zoe", "brandt", "bb", "02"])
        self.assertEqual(part_for(("Clarinet 1", "Clarinet 2"), "Clarinet 2", None), "Clarinet 2")
        self.assertEqual(
            part_for(("Clarinet 1", "Clarinet 2"), "", require_instrument("clarinet")), "Clarinet 1"
        )
        self.assertEqual(part_for(("Oboe", "Tuba"), "", None), "")


class BroughtIn(LedgerCase):
    def test_folders_zips_and_what_is_none(self) -> None:
        pile = self.folder / "pile" / "deep"
        pile.mkdir(parents=True)
        (pile / "a.wav").write_bytes(b"1")
        (pile / ".hidden.wav").write_bytes(b"2")
        (pile / "notes.txt").write_text("no")
        with zipfile.ZipFile(self.folder / "all.zip", "w") as archive:
            for name in ("Ilse/air.wav", "../../up.ogg", "__MACOSX/x.wav", "list.txt"):
                archive.writestr(name, name)
        (self.folder / "bad.zip").write_bytes(b"PK nothing")
        found, told = recordings(
            [self.folder / "pile", self.folder / "all.zip", self.folder / "bad.zip", pile / "notes.txt"],
            self.folder / "unpacked",
        )
        self.assertEqual([p.name for p in found], ["a.wav", "air.wav", "up.ogg"])
        self.assertTrue(all(p.is_relative_to(self.folder) for p in found))
        self.assertEqual(guess(found[1], PLAYERS, PIECES).player, 1)  # by its folder
        self.assertEqual([t.split(" ")[0] for t in told], ["bad.zip", "notes.txt"])

    def test_the_same_recording_twice_is_noticed(self) -> None:
        one, two = self.recording("ilse air.wav"), self.recording("copy of it.wav")
        tray = self.library.add_tray(self.band.id, "t")
        self.assertEqual([g.twice for g in guess_all([one, two], [], [])], [False, True])
        self.library.add_take(tray.id, one)
        self.assertEqual(
            [g.twice for g in guess_all([two], [], [], known=lambda p: bool(self.library.same_recording(p)))],
            [True],
        )

    def test_the_piece_is_recognised_by_its_sound(self) -> None:
        _, takes = read_band(DEMO)
        scores = [
            (name, load_score(DEMO / f"{name}.musicxml"))
            for name in ("first-light", "fernhollow-air", "lockkeepers-march")
        ]
        take = takes[1]  # a trumpet
        among = candidates(scores, require_instrument("trumpet"))
        self.assertEqual(len(among), len(scores))
        found = recognise(take.take, among)
        self.assertEqual(found.piece if found else None, take.score.stem)
        others = [c for c in among if c.piece != take.score.stem]
        self.assertIsNone(recognise(take.take, others))


class Demo(LedgerCase):
    def test_the_demo_band_is_entered_once_also_when_it_was_broken_off(self) -> None:
        _, takes = read_band(DEMO)
        trays = {"First": [(t.player, t.score, t.part, t.take) for t in takes[:2]]}
        self.library.remove_rows(type(self.band))
        with (
            mock.patch.object(
                self.library, "add_take", side_effect=[self.library.add_take, LedgerError("closed")]
            ),
            self.assertRaises(LedgerError),
        ):
            fill_demo(self.library, "The demo band", trays)
        self.assertGreaterEqual(fill_demo(self.library, "The demo band", trays), 1)
        self.assertEqual(
            ([b.name for b in self.library.bands()], [t.name for t in self.library.trays()]),
            (["The demo band"], ["First"]),
        )
        mine = self.library.takes(self.library.trays()[0].id)
        self.assertEqual(sorted(t.name for t in mine), sorted(t.take.name for t in takes[:2]))
        self.library.remove_take(mine[0].id)
        self.assertEqual(fill_demo(self.library, "The demo band", trays), 0)  # what was deleted stays so


class Checked(LedgerCase):
    def setUp(self) -> None:
        super().setUp()
        _, self.demo = read_band(DEMO)
        self.tray = self.library.add_tray(self.band.id, "First week")
        for path in {t.score for t in self.demo[:3]}:
            self.library.shelf.add(load_score(path))
        self.pieces = {p.title: p.id for p in self.library.shelf.pieces.values()}
        self.checking = Checking(library=self.library, pool=WorkerPool(workers=2))
        self.addCleanup(self.checking.stop)

    def enter(self, k: int) -> Take:
        take = self.demo[k]
        return self.library.add_take(self.tray.id, take.take, piece=self.pieces[take.title], part=take.part)

    def finish(self) -> list[CheckNews]:
        news = []
        while self.checking.busy:
            news += self.checking.poll(0.5)
        return [n for n in news if n.state != "progress"]

    def test_one_that_fails_says_why_and_the_others_go_on(self) -> None:
        good = self.enter(1)
        words = self.library.add_take(
            self.tray.id,
            self.recording("words.wav", b"not a sound at all" * 9),
            piece=good.piece,
            part=good.part,
        )
        unknown = self.library.add_take(self.tray.id, self.recording("unknown.wav", b"other"))
        told = self.checking.add(self.library.takes(self.tray.id))
        self.assertEqual([(n.take, n.state) for n in told], [(unknown.id, "failed")])
        self.assertIn("which piece", self.library.take(unknown.id).sentence)
        news = {n.take: n.state for n in self.finish()}
        self.assertEqual(news, {good.id: "checked", words.id: "failed"})
        self.assertIn(
            "words.wav",
            self.library.take(words.id).sentence.replace(
                self.library.take(words.id).file.split("/")[1], "words.wav"
            ),
        )
        report = self.library.report(good.id)
        self.assertEqual(report["take"]["file"] if report else "", self.demo[1].take.name)
        self.assertGreater(self.library.take(good.id).summary["sure"], 0)

    def test_words_are_told_from_music_their_timing_is_checked_and_the_rest_is_for_the_ear(self) -> None:
        part = part_of(
            "C5/1 D5/1 E5/.5 F5/.5 G5/1 | A5/2 r/1 F5/1 | E5/1 D5/.5 D5/.5 C5/1 C5/1 | G5/1 r/1 G5/2", bpm=80
        )
        score, line = score_file(self.folder, part), perform_part("", part)
        rng = np.random.default_rng(4)
        beats = {
            "named": [float(n.onset) for n in line.main_notes],
            "talk": list(np.cumsum(rng.uniform(0.25, 0.7, 24))),
        }
        for name, wanted in (("named", "rhythm"), ("talk", "stored")):
            samples = (0.0005 * rng.standard_normal(16 * RATE)).astype(np.float32)
            say(samples, RATE, [0.8 + 0.75 * b for b in beats[name]], 0.3, 0.1, rng)
            take = self.folder / f"{name}.wav"
            write_sound(take, samples, RATE)
            kind, answer = run_check_job(
                CheckJob(
                    take=1, name=name, score=score, recording=take, sha256=file_hash(take), options=Options()
                ),
                progress=lambda share, what: None,
            )
            self.assertEqual(kind, wanted)
            if kind == "rhythm":
                self.assertEqual([f["kind"] for f in answer["findings"] if f["confidence"] >= 0.5], [])
            else:
                self.assertIn("saved for you to listen to", answer)
        events = straight(line, 80)
        for k in range(0, 14, 2):  # badly played, but played: its report stays
            events = changed(events, k, by=2)
        bad = self.folder / "bad.wav"
        write_sound(bad, sounding(events), RATE)
        self.assertEqual(
            run_check_job(
                CheckJob(
                    take=1, name="bad", score=score, recording=bad, sha256=file_hash(bad), options=Options()
                ),
                progress=lambda share, what: None,
            )[0],
            "checked",
        )
        take = self.library.add_take(self.tray.id, take, piece="x")
        self.library.store_for_the_ear(take.id, answer)
        self.assertEqual(
            [(t.state, t.kind) for t in self.library.takes(self.tray.id) if t.id == take.id],
            [("stored", "stored")],
        )

    def test_a_recording_changed_outside_is_told(self) -> None:
        take = self.enter(0)
        path = self.library.recording(take)
        path.write_bytes(path.read_bytes() + b"more")
        self.checking.add([take])
        self.finish()
        self.assertIn("was changed outside of Jeweller", self.library.take(take.id).sentence)

    def test_a_killed_worker_is_replaced_and_its_take_tried_once_more(self) -> None:
        takes = [self.enter(k) for k in (0, 1)]
        self.checking.add(takes)
        self.checking.paused = True
        self.assertEqual(self.checking.poll(), [])
        self.assertEqual(self.checking.state().waiting, 2)
        self.checking.paused = False
        self.checking.poll()
        os.kill(self.checking.pool.process_ids[0], signal.SIGKILL)
        news = self.finish()
        self.assertEqual(sorted(n.state for n in news), ["again", "checked", "checked"])
        self.assertEqual({t.state for t in self.library.takes(self.tray.id)}, {"checked"})

    def test_a_take_is_checked_as_it_was_assigned(self) -> None:
        take = Take(part="Flute", kind="rhythm", support="with_click", reading="sight")
        assignment = Assignment(
            bars="9-16",
            settings={
                "tempo_bpm": 92.0,
                "scheme": "rhythm-first",
                "tolerance": "gentle",
                "articulation": "joined",
                "judging": {"pitch_reference": 442},
            },
        )
        o = options_of(take, assignment)
        self.assertEqual(
            (
                o.part,
                o.bars,
                o.tempo_bpm,
                o.scheme,
                o.rhythm_only,
                o.support,
                o.reading,
                o.settings.tolerance,
                o.settings.articulation,
                o.settings.pitch_reference,
            ),
            ("Flute", "9-16", 92.0, "rhythm-first", True, "with_click", "sight", "gentle", "joined", 442.0),
        )


class ClassLists(TempCase):
    def read(self, text: str, encoding: str = "utf-8") -> tuple[list[Listed], list[str]]:
        path = self.folder / "class.csv"
        path.write_bytes(text.encode(encoding))
        return read_class_list(path)

    def test_any_columns_in_any_order(self) -> None:
        wanted = [Listed("Zoë Vale", "clarinet", "2"), Listed("Bram Holt", "trumpet")]
        for text, encoding in (
            ("Name,Instrument,Part\nZoë Vale,Clarinet,2\nBram Holt,Trumpet,\n", "utf-8-sig"),
            ("part;surname;forename;plays\n2;Vale;Zoë;clarinet\n;Holt;Bram;trumpet\n", "cp1252"),
        ):
            self.assertEqual(self.read(text, encoding), (wanted, []))
        no_head = "1\tZoë Vale\tClarinet\n2\tBram Holt\tTrumpet\n"
        self.assertEqual(
            [(x.name, x.instrument) for x in self.read(no_head)[0]],
            [("Zoë Vale", "clarinet"), ("Bram Holt", "trumpet")],
        )

    def test_a_workbook_and_a_pasted_table(self) -> None:
        wanted = [Listed("Zoë Vale", "clarinet", "2"), Listed("Bram Holt", "trumpet", "")]
        path = self.folder / "class.xlsx"
        book = Workbook()
        book.active.append(["First name", "Last name", "Period", "Instrument", "Part"])
        book.active.append(["Zoë", "Vale", 3, "Clarinet", 2])
        book.active.append(["Bram", "Holt", 3, "Trumpet", None])
        book.save(path)
        self.assertEqual(read_class_list(path), (wanted, []))
        self.assertEqual(
            read_pasted_list("Name\tInstrument\tPart\nZoë Vale\tClarinet\t2\nBram Holt\tTrumpet\t\n"),
            (wanted, []),
        )
        self.assertEqual(
            [r.name for r in read_pasted_list("Kit Moor\nWren Alder\n")[0]], ["Kit Moor", "Wren Alder"]
        )
        for damage in (path.read_bytes()[:900], b"PK\x03\x04", b"name\nKit"):
            path.write_bytes(damage)
            with self.assertRaisesRegex(LedgerError, "no workbook"):
                read_class_list(path)

    def test_doubles_are_one_and_what_is_no_list_is_a_sentence(self) -> None:
        self.assertEqual(len(self.read("name\nKit\nkit\nWren\n")[0]), 2)
        for text, said in (
            ("", "empty"),
            ("1,2\n3,4\n", "no column of names"),
            ("a\0b", "is no text"),
            ("name\n,\n", "no names"),
        ):
            with self.assertRaisesRegex(LedgerError, said):
                self.read(text)
        with self.assertRaisesRegex(LedgerError, "cannot be read"):
            read_class_list(self.folder / "nowhere.csv")


class Commands(LedgerCase):
    def ledger(self, *words: object) -> tuple[int, str, str]:
        self.library.close()
        out, told = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(told):
            status = main(["ledger", "--library", str(self.library.folder), *map(str, words)])
        return status, out.getvalue(), told.getvalue()

    def test_a_folder_with_its_music_and_a_class_list_is_all_that_a_first_class_needs(self) -> None:
        _, demo = read_band(DEMO)
        pile, players = self.folder / "pile", self.folder / "class.csv"
        pile.mkdir()
        shutil.copy(demo[1].score, pile / demo[1].score.name)
        shutil.copy(demo[1].take, pile / "IMG_2231 Bram.ogg")
        players.write_text(
            "Last name;First name;Instrument\nHolt;Bram;Trumpet\nVale;Noor;Clarinett\n", encoding="cp1252"
        )
        status, out, told = self.ledger("bring", pile, "--players", players)
        self.assertEqual(status, 0, told)
        self.assertIn("class list: 2 new, 0 brought up to date", out)
        self.assertIn("Noor Vale: there is no instrument “Clarinett”.", told)
        self.assertIn("music: The Lockkeeper's March", out)
        self.assertIn("IMG_2231 Bram.ogg: Bram Holt · ", out)
        players.write_text("name,instrument\nNoor Vale,Clarinet\nBram Holt,Trumpet\n")
        out = self.ledger("bring", pile, "--players", players)[1]
        self.assertIn("class list: 0 new, 1 brought up to date", out)
        self.assertIn("(here already, left out)", out)

    def test_a_tray_from_the_command_line(self) -> None:
        _, demo = read_band(DEMO)
        self.library.shelf.add(load_score(demo[1].score))
        pile = self.folder / "pile"
        pile.mkdir()
        shutil.copy(demo[1].take, pile / "Bram trumpet lockkeepers march.ogg")
        (pile / "Ilse march.wav").write_bytes(b"no sound")
        status, out, _ = self.ledger("bring", pile, "--look")
        self.assertEqual(
            (status, out.splitlines()[0]),
            (0, "Bram trumpet lockkeepers march.ogg: Bram · The Lockkeeper's March · Trumpet in B♭"),
        )
        status, _, told = self.ledger("bring", pile)
        self.assertEqual(status, 2)
        self.assertIn("Not in the class yet: Bram, Ilse. Nothing was entered", told)
        self.assertEqual(self.ledger("trays")[1], "")
        status, out, told = self.ledger("bring", pile, "--new")
        self.assertEqual(status, 2)  # one of them is no sound
        self.assertIn("Bram · The Lockkeeper's March · Trumpet in B♭ · to hear · nearly there, ", out)
        self.assertIn("Ilse march.wav: failed - ", told)
        self.assertIn("1  The Lockkeeper's March: 2 takes, 0 waiting", self.ledger("trays")[1])
        self.assertIn("No place is missed by more than one player.", self.ledger("rehearse")[1])
        self.assertIn("2 rows in ", self.ledger("marks", self.folder / "m.csv")[1])
        self.assertIn(
            "There is no column “height”; there are player, ",
            self.ledger("marks", self.folder / "m.csv", "--columns", "height")[2],
        )
        self.assertIn("files in ", self.ledger("backup", self.folder / "all.zip")[1])
        self.assertIn(
            "Restored to ", self.ledger("restore", self.folder / "all.zip", self.folder / "moved")[1]
        )
        self.assertIn("1 recording", self.ledger("held", "bram")[1])
        self.assertEqual(self.ledger("delete", "Bram")[0], 2)
        self.assertEqual(self.ledger("delete", "Bram", "--yes")[1], "Bram is deleted.\n")
        self.assertIn("There are 0 players called “Bram”", self.ledger("held", "Bram")[2])
        self.assertIn("There is no tray “9”; there are 1 The Lockkeeper's March", self.ledger("tray", "9")[2])


if __name__ == "__main__":
    unittest.main()
