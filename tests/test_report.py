"""The report, marks, decisions, the review of a take, and everything that leaves as a document."""

from __future__ import annotations

import io
import itertools
import json
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any
from unittest import mock

import mido
import numpy as np

import jeweller
from jeweller import report_format
from jeweller.assessment.finding import FACET_OF, KINDS, Finding, bounded_confidence
from jeweller.assessment.messages import write_texts
from jeweller.assessment.settings import make_settings
from jeweller.audio.encode import write_sound
from jeweller.decisions.records import decisions_path
from jeweller.documents.annotations import draw_marks, staff_place
from jeweller.documents.check_documents import annotated_musicxml, heard_midi, render_sheets
from jeweller.documents.engraving import _engrave, engrave
from jeweller.documents.mark_canvas import MarkCanvas, Ruler, View
from jeweller.documents.page import html_to_pdf, marked_page, pdf_to_png
from jeweller.documents.plain_text import explain_text, player_words, summary_text
from jeweller.documents.theme import DARK, LIGHT
from jeweller.errors import ScoreError, SettingError, TakeError
from jeweller.grading.scheme import SCHEMES, add_up_mark, find_scheme
from jeweller.notation.performance import perform_part
from jeweller.notation.readers.musicxml import read
from jeweller.phrases import beats, counts
from jeweller.pipeline.check import Checked, Options, bar_range, check
from jeweller.pipeline.review import BesideTake, Review
from jeweller.report.validate import find_problems
from tests.support import RATE, TempCase, changed, line_of, part_of, score_file, sounding, straight
from tests.test_ear import LINE, TUNE, index_of

SOURCE = Path(jeweller.__file__).parent
PART = part_of(TUNE, fifths=-2)


def faulty() -> np.ndarray:
    """A wrong note in bar 1, E flats forgotten in bars 2 and 7, a rest cut short in bar 4."""
    events = straight(LINE, 90)
    events = changed(events, index_of("1", 1.0), by=4)
    for bar, q in (("2", 2.0), ("7", 1.0)):
        events = changed(events, index_of(bar, q), by=1)
    return sounding(changed(events, index_of("4", 2.0), shift=-60 / 90))


class WithCheck(TempCase):
    checked: Checked

    def setUp(self) -> None:
        super().setUp()
        self.score = score_file(self.folder, PART)
        self.take = self.folder / "take.wav"
        write_sound(self.take, faulty(), RATE)
        if not hasattr(WithCheck, "checked"):
            WithCheck.checked = check(self.score, self.take)


class Report(WithCheck):
    def test_it_fits_the_schema_and_says_what_happened(self) -> None:
        report = self.checked.report
        self.assertEqual(find_problems(report), [])
        self.assertEqual(
            sorted((f["kind"], f["bar"], f["count"]) for f in report["findings"] if f["confidence"] >= 0.5),
            [("missed_accidental", "2", 2), ("rest_short", "4", 1), ("wrong_note", "1", 1)],
        )
        self.assertEqual([n["verdict"] for n in report["notes"]].count("wrong"), 3)
        self.assertEqual(
            next(t for t in report["traps"] if t["what"] == "E♭"),
            {"kind": "accidental", "bar": None, "what": "E♭", "total": 6, "right": 4},
        )
        self.assertAlmostEqual(report["tempo"]["played_bpm"], 90, delta=2)
        self.assertTrue(report["good"])

    def test_the_types_say_what_the_schema_says(self) -> None:
        schema = json.loads((SOURCE / "report" / "schema.json").read_text(encoding="utf-8"))
        pairs: list[tuple[Any, Any]] = [
            (schema, report_format.TakeReport),
            (schema["$defs"]["finding"], report_format.ReportFinding),
            (schema["$defs"]["note"], report_format.ReportNote),
            *(
                (schema["properties"][name], kind)
                for name, kind in (
                    ("program", report_format.ReportProgram),
                    ("score", report_format.ReportScore),
                    ("tempo", report_format.ReportTempo),
                    ("tuning", report_format.ReportTuning),
                    ("mark", report_format.ReportMark),
                )
            ),
            (schema["properties"]["extras"]["items"], report_format.ExtraSound),
            (schema["properties"]["traps"]["items"], report_format.ReportTrap),
            (schema["$defs"]["note"]["properties"]["heard"]["oneOf"][1], report_format.HeardNote),
        ]
        for said, kind in pairs:
            asked = {k for k, hint in kind.__annotations__.items() if "NotRequired" not in str(hint)}
            self.assertLessEqual(set(said["required"]), asked, kind.__name__)
            self.assertLessEqual(set(said.get("properties", ())), set(kind.__annotations__), kind.__name__)

    def test_the_schema_refuses_what_does_not_belong(self) -> None:
        for change in (
            {"followed": "yes"},
            {"schema": "x"},
            {"findings": [{"kind": "sneeze"}]},
            {"notes": [{}]},
        ):
            self.assertTrue(find_problems({**self.checked.report, **change}), change)
        self.assertTrue(find_problems({k: v for k, v in self.checked.report.items() if k != "mark"}))

    def test_the_same_input_gives_the_same_bytes(self) -> None:
        again = check(self.score, self.take).report
        self.assertEqual(json.dumps(again, allow_nan=False), json.dumps(self.checked.report, allow_nan=False))

    def test_a_passage(self) -> None:
        report = check(self.score, self.take, Options(bars="2-3")).report
        self.assertEqual(report["score"]["bars"], ["2", "3"])
        self.assertEqual({n["verdict"] for n in report["notes"] if n["bar"] not in ("2", "3")}, {"not_heard"})
        self.assertNotIn("wrong_note", [f["kind"] for f in report["findings"]])
        with self.assertRaisesRegex(ScoreError, "no bars 40-50"):
            bar_range(LINE, "40-50")

    def test_another_piece_and_silence(self) -> None:
        other = line_of(
            (
                "F#5/.5 E5/.5 C#5/1 A4/.5 B4/.5 F#4/1 | E4/2 G#4/1 B4/.5 E5/.5 | A5/1 F#5/1 D5/.5 B4/.5 "
                "G4/1 | A4/3 r/1"
            ),
            fifths=3,
        )
        write_sound(self.folder / "other.wav", sounding(straight(other, 110)), RATE)
        report = check(self.score, self.folder / "other.wav").report
        self.assertFalse(report["followed"])
        self.assertEqual((find_problems(report), report["findings"], report["mark"]["value"]), ([], [], None))
        write_sound(self.folder / "quiet.wav", np.zeros(RATE * 2, np.float32), RATE)
        with self.assertRaisesRegex(TakeError, "is silent"):
            check(self.score, self.folder / "quiet.wav")

    def test_settings_by_name(self) -> None:
        self.assertEqual(make_settings("strict").early_beats, 0.10)
        self.assertEqual(make_settings(changes={"early_beats": "0.3"}).early_beats, 0.3)
        for act, words in (
            (lambda: make_settings("kind"), "gentle, standard or strict"),
            (lambda: make_settings(changes={"x": "1"}), "no setting “x”"),
            (lambda: make_settings(changes={"early_beats": "much"}), "takes a number"),
            (lambda: find_scheme("x"), "no marking scheme"),
        ):
            with self.assertRaisesRegex(SettingError, words):
                act()


class Words(TempCase):
    def test_every_kind_has_its_words(self) -> None:
        detail = {
            "letter": "B♭",
            "heard_letter": "B",
            "source": "carried",
            "written": "B♭4",
            "heard": "B4",
            "semitones": 12,
            "written_beats": 2.0,
            "heard_beats": 1.0,
            "beats": -1.0,
            "over_beats": 0.5,
            "rest_beats": 1.0,
            "notes": 3,
            "bars": 1,
            "from": "3",
            "to": "4",
            "ratio": 1.1,
            "of": 4,
            "from_bpm": 72,
            "to_bpm": 61,
            "cents": 18,
            "move": "barrel",
            "turns": 1,
            "played": 60,
            "asked": 80,
            "fingering": "valve 1",
        }
        for kind in KINDS:
            f = write_texts(
                Finding(
                    kind=kind,
                    bar="3",
                    passing=1,
                    beat=2.0,
                    at_s=1.0,
                    until_s=2.0,
                    notes=("a",),
                    score_ids=("a",),
                    confidence=0.9,
                    severity=0.5,
                    detail=detail,
                )
            )
            self.assertTrue(f.text.endswith(".") and f.text[0].isupper() and f.advice, kind)
            for word in ("failed", "error", "incorrect", "!"):
                self.assertNotIn(word, f.text + f.advice)

    def test_amounts_in_words(self) -> None:
        self.assertEqual(
            [beats(v) for v in (0.33, 1.0, -0.5, 1.2, 0.17, 0.12, 0.05)],
            [
                "a third of a beat",
                "one beat",
                "half a beat",
                "one and a quarter beats",
                "a sixth of a beat",
                "an eighth of a beat",
                "less than a tenth of a beat",
            ],
        )
        self.assertEqual(
            [counts(v) for v in (1.9, 0.1, 0.5, 0.7, 6.0)],
            ["two counts", "nothing", "half a count", "three quarters of a count", "6 counts"],
        )

    def test_confidence_is_half_at_the_bound_and_grows(self) -> None:
        self.assertAlmostEqual(bounded_confidence(1.3, 0.0, 1.0), 0.5)
        self.assertGreater(bounded_confidence(3.0, 0.0, 1.0), 0.9)
        self.assertLess(bounded_confidence(-3.0, 0.0, 1.0), 0.01)


class Marks(WithCheck):
    def test_a_mark_is_the_sum_of_its_parts(self) -> None:
        for scheme in SCHEMES.values():
            mark = add_up_mark(
                self.checked.findings,
                scheme,
                8,
                {"notes": 30, "accidentals": 8, "count": 5, "rhythm": 30, "sound": 30},
            )
            self.assertAlmostEqual(sum(p["weight"] for p in mark["parts"]), mark["out_of"], delta=0.05)
            self.assertAlmostEqual(
                mark["value"], mark["out_of"] - sum(p["taken_off"] for p in mark["parts"]), delta=0.26
            )
        clean = add_up_mark([], SCHEMES["even"], 8, {"notes": 30})
        self.assertEqual((clean["value"], clean["band"], clean["parts"][0]["why"]), (20, "polished", "clean"))

    def test_unsure_findings_and_tuning_take_nothing_off(self) -> None:
        base = Finding(
            kind="wrong_note",
            bar="1",
            passing=1,
            beat=1.0,
            at_s=0.0,
            until_s=1.0,
            notes=("a",),
            score_ids=("a",),
            confidence=0.49,
            severity=1.0,
        )
        for f in (base, base.replace(kind="tuned_high", confidence=0.9)):
            self.assertEqual(add_up_mark([f], SCHEMES["even"], 8, {"notes": 9, "sound": 9})["value"], 20)

    def test_decisions_survive_a_new_check_and_the_marks_follow(self) -> None:
        path = decisions_path(self.take, self.score)
        review = Review(self.checked, BesideTake(path))
        before = review.report["mark"]["value"]
        key = next(s.key for s in review.shown if s.finding["kind"] == "rest_short")
        review.dismiss(key, "the take has a cough there")
        self.assertGreater(review.report["mark"]["value"], before)
        self.assertNotIn("rest_short", [f["kind"] for f in review.report["findings"]])
        wrong = next(s.key for s in review.shown if s.finding["kind"] == "wrong_note")
        review.change(wrong, "wrong_partial")
        note = self.checked.report["notes"][3]["id"]
        added = review.add("fuzzy", note)
        self.assertIn(
            "changed by the teacher from wrong note",
            next(s.finding["text"] for s in review.shown if s.key == wrong),
        )
        self.assertEqual(find_problems(review.report), [])
        new = Review(check(self.score, self.take), BesideTake(path))
        self.assertEqual(
            {s.key: s.state for s in new.shown if s.state != "open"},
            {key: "dismissed", wrong: "changed", added: "added"},
        )
        self.assertEqual(new.report["mark"], review.report["mark"])

    def test_undo_and_redo_walk_the_whole_history(self) -> None:
        review = Review(self.checked)
        first = json.dumps(review.report)
        keys = [s.key for s in review.shown]
        review.dismiss(keys[0])
        review.keep(keys[1])
        last = json.dumps(review.report)
        self.assertTrue(review.undo() and review.undo() and not review.undo())
        self.assertEqual(json.dumps(review.report), first)
        self.assertTrue(review.redo() and review.redo() and not review.redo())
        self.assertEqual(json.dumps(review.report), last)
        review.restore(keys[0])
        self.assertEqual(next(s.state for s in review.shown if s.key == keys[0]), "open")

    def test_times_and_places(self) -> None:
        review = Review(self.checked)
        notes = self.checked.report["notes"]
        self.assertEqual(review.note_at(notes[5]["heard"]["on_s"] + 0.1), notes[5])
        start, end = review.bar_span(notes[0]["id"])
        self.assertAlmostEqual(end - start, 4 * 60 / 90, delta=0.1)
        clock = review.score_clock()
        self.assertEqual(clock, sorted(clock))
        habit = next(s.finding for s in review.shown if s.finding["count"] == 2)
        self.assertEqual(len(review.places(habit)), 2)


class Sheets(WithCheck):
    def test_no_mark_lies_on_a_trill_sign(self) -> None:
        part = part_of("C5/1 E5/2t C5/1 | C5/4")
        engraving, trilled = engrave(part, 1000.0), part.bars[0].notes[1].id
        box = engraving.notes[trilled]
        signs = [y for left, right, y in engraving.words if left - 20 < box.x < right + 20 and y < box.top]
        canvas = MarkCanvas(engraving, perform_part("", part), self.checked.report, LIGHT, View())
        self.assertTrue(signs)
        self.assertLess(canvas.free_y(box.x, box.top - 26, -24), min(signs) - 14)

    def test_two_threads_engrave_two_parts(self) -> None:
        """The loupe, the pattern book and small pictures may do so at the same moment."""
        other = part_of("C5/1 D5/1 E5/1 F5/1 | G5/4")
        alone = [engrave(part, 1000.0) for part in (PART, other)]
        with ThreadPoolExecutor(4) as pool:
            beside = list(
                pool.map(
                    lambda k: _engrave.__wrapped__((PART, other)[k % 2], 1000.0, True, 0.0, 0, False),
                    range(24),
                )
            )
        self.assertTrue(all(e.notes == alone[k % 2].notes for k, e in enumerate(beside)))

    def test_a_long_part_is_engraved_in_pieces_below_one_another(self) -> None:
        part = part_of(" | ".join(["C5/1 D5/1 E5/1 F5/1_", "F5/2 G5/1( A5/1", "B5/1) A5/1 G5/2"] * 5))
        with mock.patch("jeweller.documents.engraving.MOST_BARS", 6):
            found = engrave(part, 1899.0)
        self.assertEqual([b.index for b in found.bars], list(range(15)))
        self.assertEqual(set(found.notes), {n.id for b in part.bars for n in b.notes})
        tops = [s.top for s in found.systems]
        self.assertEqual((tops, len(tops) >= 3), (sorted(tops), True))
        gaps = [below.highest - above.lowest for above, below in itertools.pairwise(found.systems)]
        self.assertGreater(min(gaps), 0.0)

    def test_engraving_knows_where_every_note_stands(self) -> None:
        for width in (900.0, 1900.0):
            e = engrave(PART, width)
            self.assertEqual(set(e.notes), {n.id for b in PART.bars for n in b.notes})
            self.assertEqual(len(e.bars), 8)
            for box in e.notes.values():
                system = e.systems[box.system]
                self.assertTrue(
                    system.left < box.x < system.right and system.highest - 30 < box.y < system.rail
                )
            high, low = e.notes[PART.bars[1].notes[0].id], e.notes[PART.bars[0].notes[0].id]
            self.assertLess(high.y, low.y)  # G5 stands above B flat 4
        self.assertGreater(len(engrave(PART, 900.0).systems), len(engrave(PART, 1900.0).systems))

    def test_marks_stand_at_their_notes(self) -> None:
        e = engrave(PART, 1400.0)
        overlay = draw_marks(e, LINE, self.checked.report, LIGHT)
        wrong = next(f for f in self.checked.report["findings"] if f["kind"] == "wrong_note")
        hit = next(h for h in overlay.hits if h.key == wrong["key"])
        box = e.notes[LINE.main_notes[index_of("1", 1.0)].score_id]
        self.assertEqual((hit.x, hit.y), (box.x, box.y))
        only = draw_marks(e, LINE, self.checked.report, DARK, View(facets=frozenset({"count"})))
        self.assertEqual({h.key.split(":")[0] for h in only.hits if h.kind == "finding"}, {"rest_short"})
        self.assertIn(DARK.facets["count"], only.svg)
        self.assertNotIn(LIGHT.ink, only.svg)

    def test_the_heard_pitch_has_its_place_on_the_staff(self) -> None:
        e = engrave(PART, 1400.0)
        note = self.checked.report["notes"][0]
        y = [
            staff_place(e, LINE, {"tuning": {"offset_cents": 0}}, note, note["sounding_midi"] + d)
            for d in (0, 12)
        ]
        # an octave is seven half spaces
        self.assertEqual((y[0], round(y[0] - y[1], 6)), (e.notes[note["score_id"]].y, 63.0))

    def test_the_ruler_runs_forward(self) -> None:
        ruler = Ruler(engrave(PART, 1000.0), LINE)
        places = [ruler.at(q / 8) for q in range(8 * 32)]
        self.assertEqual([s for _, s in places], sorted(s for _, s in places))
        for (x0, s0), (x1, s1) in zip(places, places[1:], strict=False):
            self.assertTrue(s1 > s0 or x1 >= x0)

    def test_the_page_stands_alone_and_escapes_what_it_shows(self) -> None:
        report = {
            **self.checked.report,
            "score": {**self.checked.report["score"], "title": "<script>alert(1)</script>"},
        }
        page = marked_page(report, LINE, player="A & B")
        self.assertNotIn("<script", page)
        self.assertIn("A &amp; B", page)
        for outside in ("http://", "https://", "file:"):
            self.assertNotIn(outside, page.replace("http://www.w3.org/", ""))
        for f in self.checked.report["findings"]:
            self.assertIn(f["text"], page)

    def test_pdf_and_png(self) -> None:
        pdf = html_to_pdf(marked_page(self.checked.report, LINE))
        self.assertTrue(pdf.startswith(b"%PDF"))
        pages = pdf_to_png(pdf, 60)
        self.assertTrue(pages and all(p.startswith(b"\x89PNG") for p in pages))

    def test_midi_has_the_notes_heard(self) -> None:
        file = mido.MidiFile(file=io.BytesIO(heard_midi(self.checked.report)))
        now, starts = 0.0, []
        for message in file:
            now += message.time
            if message.type == "note_on":
                starts.append((round(now, 3), message.note))
        heard = [n["heard"] for n in self.checked.report["notes"] if n["heard"]]
        self.assertEqual([m for _, m in starts], [round(h["midi"]) for h in heard])
        for (at, _), h in zip(starts, heard, strict=True):
            self.assertAlmostEqual(at, h["on_s"], delta=0.0011)

    def test_musicxml_carries_the_findings_and_reads_back(self) -> None:
        back = read(annotated_musicxml(LINE, self.checked.report["findings"])).parts[0]
        words = [m.text for b in back.bars for m in b.marks if m.kind == "words"]
        self.assertTrue(any("the key signature says E flat" in w for w in words))
        self.assertEqual(
            [n.id for b in back.bars for n in b.notes], [n.id for b in PART.bars for n in b.notes]
        )

    def test_documents_by_kind(self) -> None:
        out = render_sheets(self.checked.report, LINE, ["html", "midi", "musicxml"])
        self.assertEqual(sorted(out), ["html", "midi", "musicxml"])

    def test_plain_words(self) -> None:
        text = " ".join(summary_text(self.checked.report).split())
        for words in (
            "1 Accidentals · Bars 2 and 7: E natural sounded",
            "Likely cause: key signature forgotten.",
            "Good: ",
            "To the player: Say “E flat” each time you come to E.",
        ):
            self.assertIn(words, text)
        self.assertIn("expected at", explain_text(self.checked.report, self.checked.report["findings"][0]))
        self.assertIn("well done", player_words({**self.checked.report, "findings": []}).casefold())
        self.assertEqual(FACET_OF["rest_short"], "count")
