"""Attacks the program: damaged scores, recordings, zips, databases, slips and tables, names that are none,
kills at random moments. Each input is tried in a process of its own; what becomes of it is one of

    answer     it was read            sentence   it was refused, with a sentence
    traceback  an error of the code   abort      the process died
    hang       more than 30 s         memory     more than 1 GB
    wrong      something was lost, written outside, or left readable by others

python -m bench.attack [--inputs N] [--seed S] [--only KIND[,KIND]]

Prints a table and exits non-zero where anything but an answer or a sentence came of it. The inputs of
failures are kept in the folder named by --keep.
"""

from __future__ import annotations

import argparse
import ctypes
import errno
import json
import os
import random
import resource
import shutil
import signal
import sys
import tempfile
import time
import traceback
import zipfile
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

HANG_S, MOST_BYTES = 30, 1 << 30
GOOD = ("answer", "sentence")
OUTCOMES = (*GOOD, "traceback", "abort", "hang", "memory", "wrong")
SHARES = {
    "scores": 0.48,
    "recordings": 0.18,
    "zips": 0.1,
    "databases": 0.08,
    "slips": 0.06,
    "tables": 0.025,
    "decisions": 0.01,
    "settings": 0.005,
    "names": 0.015,
    "kills": 0.015,
    "full": 0.01,
    "pages": 0.02,
}
REMEMBERED = {
    "format": 1,
    "theme": "dark",
    "language": "de",
    "text_size": 150,
    "library": "LIBRARY",
    "recent": '[["/a.musicxml", "/b.wav", "Flute"]]',
    "marks": '{"columns": ["player", "mark"], "attempts": "best"}',
    "slips": '{"with_mark": false, "per_page": 2, "greeting": "Dear {name}", "closing": ""}',
    "booth/latency": '{"Microphone|Speaker": [0.04, 0.001, "heard"]}',
    "practice/minutes": 30,
    "practice/log/minutes": 20,
    "practice/ear/faults": 2,
    "practice/wall/own": "C G F",
    "warmup/instrument": "horn",
    "warmup/reference": 442.0,
    "own words": '{"quarter note": "walk"}',
    "typed": "X:1\nK:C\nCDEF|",
    "watched": "/tmp",
}
NUMBERS = (b"0", b"-1", b"99999999999999999999", b"1e999", b"NaN", b"0.0000001", b"2147483648", b"")


@dataclass(frozen=True)
class Tried:
    """What became of one input; `where` an error arose in the code."""

    kind: str
    outcome: str
    where: str = ""
    seconds: float = 0.0


# ---- what damage is


def damaged(data: bytes, draw: random.Random) -> bytes:
    """Some bytes as a bad disk, a bad line or a bad person leaves them."""
    out = bytearray(data)
    for _unused in range(draw.choice((1, 1, 2, 4, 12))):
        if not out:
            break
        at = draw.randrange(len(out))
        match draw.randrange(8):
            case 0:
                out[at] ^= 1 << draw.randrange(8)
            case 1:
                del out[at : at + draw.randrange(1, 200)]
            case 2:
                out = out[: max(1, at)]
            case 3:
                piece = out[at : at + draw.randrange(1, 400)]
                out[at:at] = piece * draw.choice((1, 2, 50))
            case 4:
                out[at : at + 8] = draw.randbytes(8)
            case 5:
                other = draw.randrange(len(out))
                out[at : at + 60] = out[other : other + 60]
            case 6:
                _number(out, at, draw)
            case _:
                out[at:at] = draw.choice((b"\x00", b"<", b"&#0;", b'"', b"\xff\xfe", b"(", b"{", b"[", b"/"))
    return bytes(out[: 4 << 20])


def _with_other_values(data: bytes, draw: random.Random) -> bytes:
    """JSON in which some values are others, of any type."""
    whole = json.loads(data)
    places: list[tuple[Any, Any]] = []

    def walk(value: Any) -> None:
        if isinstance(value, dict | list):
            for key in value if isinstance(value, dict) else range(len(value)):
                places.append((value, key))
                walk(value[key])

    walk(whole)
    for holder, key in draw.sample(places, min(len(places), draw.choice((1, 1, 2, 5)))):
        holder[key] = draw.choice((None, True, -1, 1e300, 7, "", "late", "\x1b[2J", [], {}, [[]], "x" * 9999))
    return json.dumps(whole).encode()


def _number(out: bytearray, at: int, draw: random.Random) -> None:
    """Another number in place of one near a place."""
    start = next((k for k in range(at, min(len(out), at + 400)) if chr(out[k]).isdigit()), None)
    if start is None:
        return
    end = start
    while end < len(out) and chr(out[end]).isdigit():
        end += 1
    out[start:end] = draw.choice(NUMBERS)


# ---- the attacks: each makes an input from a seed and tries it; "answer", or an error of the program's own


def _scores(draw: random.Random, folder: Path) -> str:
    from jeweller.notation.readers.sandbox import answer_for

    data = damaged(draw.choice(SEEDS["scores"]), draw)
    (folder / "input").write_bytes(data)
    answer = answer_for(data, None)
    if "error" in answer:
        return "sentence"
    from jeweller.notation.model import Score
    from jeweller.notation.writers.musicxml import write_musicxml
    from jeweller.serialization import from_plain

    for plain in answer["scores"]:
        score = from_plain(Score, plain)
        again = answer_for(write_musicxml(score), None)
        if "error" in again:
            return "wrong"  # what we write we can read
        notes = [sum(p.note_count for p in s.parts) for s in (score, from_plain(Score, again["scores"][0]))]
        if notes[0] != notes[1]:
            return "wrong"
    return "answer"


def _pages(draw: random.Random, folder: Path) -> str:
    from jeweller.errors import PageError
    from jeweller.notation.readers.sandbox import answer_for as read_score
    from jeweller.notation.writers.musicxml import write_musicxml
    from jeweller.omr.page import PagesRead, pieces_of
    from jeweller.omr.sandbox import answer_for
    from jeweller.serialization import from_plain

    data = damaged(draw.choice(SEEDS["pages"]), draw)
    (folder / "input").write_bytes(data)
    answer = answer_for(data, [])
    if "error" in answer:
        return "sentence"
    try:
        pieces = pieces_of(from_plain(PagesRead, answer["read"]).lines, None)
    except PageError:
        return "sentence"
    written = [read_score(write_musicxml(piece.score), None) for piece in pieces]
    return "wrong" if any("error" in score for score in written) else "answer"


def _recordings(draw: random.Random, folder: Path) -> str:
    from jeweller.audio.decode import decode

    ending, data = draw.choice(SEEDS["recordings"])
    path = folder / f"input{ending}"
    path.write_bytes(damaged(data, draw))
    decode(path, 22050)
    return "answer"


def _zips(draw: random.Random, folder: Path) -> str:
    from jeweller.library.pile import recordings
    from jeweller.library.store import restore
    from jeweller.repertoire.shelf import Shelf

    which, data = draw.choice(SEEDS["zips"])
    path = folder / "input.zip"
    path.write_bytes(damaged(data, draw))
    inside = folder / "inside"
    if which == "takes":
        recordings([path], inside)
    elif which == "shelf":
        Shelf(inside).take_in(path)
    else:
        restore(path, inside)
        _read_library(inside)
    outside = [p for p in folder.iterdir() if p.name not in ("input.zip", "inside")]
    readable = which == "backup" and any(p.stat().st_mode & 0o077 for p in inside.rglob("*"))
    return "wrong" if outside or readable else "answer"


def _databases(draw: random.Random, folder: Path) -> str:
    shutil.copytree(SEEDS["library"], folder / "library", symlinks=True)
    database = folder / "library" / "ledger.db"
    database.write_bytes(damaged(database.read_bytes(), draw))
    _read_library(folder / "library")
    return "answer"


def _read_library(folder: Path) -> None:
    """All of a library, as the window reads it."""
    from jeweller.library.class_view import class_view, pieces_of
    from jeweller.library.library import Library
    from jeweller.library.progress import over_time
    from jeweller.library.verify import find_missing

    library = Library(folder)
    try:
        for player in library.players():
            over_time(library, player)
        for tray in library.trays():
            for take in library.takes(tray.id):
                library.report(take.id)
                library.decisions_of(take.id)
            for piece, _title, _count in pieces_of(library, tray.id):
                class_view(library, tray.id, piece)
        find_missing(library)
    finally:
        library.close()


def _slips(draw: random.Random, folder: Path) -> str:
    from jeweller.library.library import Library
    from jeweller.student.home import open_slip
    from jeweller.student.progress import look_over, news_lines, read_progress

    which, data = draw.choice(SEEDS["slips"])
    path = folder / "input.jeweller"
    inner = draw.random() < 0.7
    path.write_bytes(_zip_with_damage(data, draw) if inner else damaged(data, draw))
    if which == "slip":
        open_slip(path, folder / "homes")
        return "answer"
    library = Library(Path(SEEDS["library"]), read_only=True)
    try:
        news_lines(look_over(library, read_progress(path)), library)
    finally:
        library.close()
    return "answer"


def _zip_with_damage(data: bytes, draw: random.Random) -> bytes:
    """A whole zip file in which one member is damaged."""
    import io

    target = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(target, "w") as new:
        names = [n for n in old.namelist() if not n.startswith("sounds")]
        chosen = draw.choice(names)
        for name in names:
            read = old.read(name)
            new.writestr(name, damaged(read, draw) if name == chosen else read)
    return target.getvalue()


def _tables(draw: random.Random, folder: Path) -> str:
    from jeweller.instruments.care import load_care
    from jeweller.library.journal import PlayerJournal
    from jeweller.practice.remedies import load_remedies
    from jeweller.practice.spacing import kept_things
    from jeweller.practice.wall import last_key, new_today, stones_of

    name, data = draw.choice(SEEDS["tables"])
    (folder / name).parent.mkdir(parents=True, exist_ok=True)
    (folder / name).write_bytes(damaged(data, draw))
    if name == "remedies.json":
        load_remedies(folder)
    elif name == "care.json":
        load_care(folder)
    else:
        import datetime

        entries = PlayerJournal(folder, None).every()
        stones = [e for e in entries if e["kind"] == "stone"]
        stones_of(stones), last_key(stones), new_today(stones, datetime.date.today()), kept_things(entries)
    return "answer"


def _decisions(draw: random.Random, folder: Path) -> str:
    """Decisions beside a take, damaged: read, applied to a report, written again."""
    from jeweller.decisions.records import load, save
    from jeweller.report.decided import standing_of

    path = folder / "d.json"
    data = SEEDS["decisions"]
    path.write_bytes(_with_other_values(data, draw) if draw.random() < 0.6 else damaged(data, draw))
    read = load(path)
    [row.counts for row in standing_of(SEEDS["report"], read)]
    save(read, path)
    return "answer" if load(path) == read else "wrong"


def _settings(draw: random.Random, folder: Path) -> str:
    """The window opens on damaged settings, and goes to every place."""
    from PySide6.QtTest import QTest

    from jeweller.audio.ports import SimulatedSpeaker
    from jeweller.gui.shell.app import make_app, open_settings
    from jeweller.gui.shell.sidebar import PLACES
    from jeweller.gui.shell.window import Window

    make_app()
    path = folder / "desk.ini"
    path.write_bytes(damaged(SEEDS["settings"].replace(b"LIBRARY", bytes(folder / "lib")), draw))
    trouble: list[BaseException] = []
    sys.excepthook = lambda _kind, value, _trace: trouble.append(value)
    window = Window(open_settings(path), SimulatedSpeaker())
    window.show()
    for place in PLACES:
        window.go(place)
        QTest.qWait(20)
    if trouble:
        raise trouble[0]
    return "answer"


def _kilobytes(folder: str) -> int:
    return sum(p.stat().st_size for p in Path(folder).rglob("*") if p.is_file()) // 1000


def _full(draw: random.Random, folder: Path) -> str:
    """The library on a disk that fills up: what was confirmed stands, and the rest is a sentence. The disk is
    a small one in memory where this may be had (as root), a limit on the size of files otherwise.
    """
    from sqlalchemy import select

    from jeweller.errors import JewellerError
    from jeweller.library.library import Library
    from jeweller.library.tables import AuditEntry
    from jeweller.library.verify import find_missing

    disk = folder / "disk"
    disk.mkdir()
    room = _kilobytes(SEEDS["library"]) + draw.randrange(300, 5_300)
    size = f"size={room}k,mode=700".encode()
    mounted = ctypes.CDLL(None).mount(b"none", bytes(disk), b"tmpfs", 0, size) == 0
    if not mounted:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (room * 512, room * 512))
    confirmed: list[tuple[int, str]] = []
    told = 0
    try:
        shutil.copytree(SEEDS["library"], disk / "library")
        library = Library(disk / "library")
        tray = library.trays()[0].id
        for n in range(60):
            try:
                match draw.randrange(4):
                    case 0:
                        (folder / "new.wav").write_bytes(draw.randbytes(draw.randrange(1000, 90_000)))
                        take = library.add_take(tray, folder / "new.wav")
                        confirmed.append((take.id, ""))
                    case 1:
                        take = library.takes(tray)[0]
                        library.add_report(take.id, SEEDS["report"])
                    case 2:
                        take = library.takes(tray)[0]
                        library.act([(take.id, "comment", {"key": "", "text": f"{n} " + 2000 * "x"})])
                        confirmed.append((take.id, f"{n} "))
                    case _:
                        library.store.backup(disk / "all.zip")
            except JewellerError as error:
                told += bool(str(error))
        library.close()
        try:
            library = Library(disk / "library")
        except JewellerError as error:
            raise AssertionError(f"it does not open again: {error}") from error
        there = {t.id for t in library.takes(tray)}
        with library.store.read() as session:
            acts = str(list(session.scalars(select(AuditEntry.body))))
        lost = [n for take, n in confirmed if take not in there or (f"'{n}xxx" not in acts and n)]
        if lost or find_missing(library):
            raise AssertionError(f"{len(lost)} confirmed things are lost")
        library.close()
    except OSError as error:  # the copy of the library itself found no room
        if error.errno not in (errno.ENOSPC, errno.EFBIG, None):
            raise
        return "sentence"
    except shutil.Error:
        return "sentence"
    finally:
        if mounted:
            ctypes.CDLL(None).umount2(bytes(disk), 2)
    return "sentence" if told else "answer"


def _names(draw: random.Random, folder: Path) -> str:
    import contextlib
    import io

    from jeweller.cli.main import main

    raw = bytes(draw.choice(range(1, 256)) for _unused in range(draw.randrange(1, 60))).replace(b"/", b"_")
    path = folder / os.fsdecode(raw + draw.choice((b".ogg", b".wav", b"", b".ogg/")).rstrip(b"/"))
    path.write_bytes(SEEDS["recordings"][0][1] if draw.random() < 0.5 else b"x")
    out, err = io.StringIO(), io.StringIO()
    words = draw.choice((["check", SEEDS["score"]], ["score"], ["look"], ["batch"]))
    more = [str(folder / "out")] if words == ["batch"] else []
    target = str(folder) if words == ["batch"] else str(path)
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            status = main([*words, target, *more])
        except SystemExit as error:  # a name that begins with a dash is told by the reader of arguments
            status = int(str(error.code))
    told = out.getvalue() + err.getvalue()
    if "\x1b" in told or "Traceback" in told or status == 1:
        return "traceback"
    return "answer" if status == 0 else "sentence"


def _kills(draw: random.Random, folder: Path) -> str:
    """The library is killed at a random point of deleting, entering or backing up; then it is whole."""
    from jeweller.library.library import Library
    from jeweller.library.privacy import delete_player
    from jeweller.library.verify import find_missing

    shutil.copytree(SEEDS["library"], folder / "library")
    what = draw.choice(("delete", "enter", "backup"))
    child = os.fork()
    if not child:
        try:
            os.environ["JEWELLER_KILL_AT"] = str(draw.randrange(1, 40))
            library = Library(folder / "library")
            if what == "delete":
                delete_player(library, next(p for p in library.players() if p.name == SEEDS["names"][0]))
            elif what == "enter":
                (folder / "new.wav").write_bytes(draw.randbytes(4000))
                library.add_take(library.trays()[0].id, folder / "new.wav")
            else:
                library.store.backup(folder / "all.zip")
        finally:
            os._exit(0)
    os.waitpid(child, 0)
    library = Library(folder / "library")
    try:
        gone = SEEDS["names"][0] not in [p.name for p in library.players()]
        held = any(
            SEEDS["names"][0].encode() in p.read_bytes()
            for p in (folder / "library").rglob("*")
            if p.is_file()
        )
        open_files = [p for p in (folder / "library").rglob("*") if p.stat().st_mode & 0o077]
        parts = [f"{p.name} is left" for p in folder.glob("all.zip.part*")]
        told = [*find_missing(library), *parts, *(f"{p.name} is readable by others" for p in open_files)]
        if gone and held:
            told.append("a deleted name is left")
        if told:
            raise AssertionError(told[0])
        return "answer"
    finally:
        library.close()


ATTACKS: dict[str, Callable[[random.Random, Path], str]] = {
    "scores": _scores,
    "pages": _pages,
    "recordings": _recordings,
    "zips": _zips,
    "databases": _databases,
    "slips": _slips,
    "tables": _tables,
    "decisions": _decisions,
    "settings": _settings,
    "full": _full,
    "names": _names,
    "kills": _kills,
}
SEEDS: dict[str, object] = {}


# ---- whole files to begin with


def prepare(folder: Path) -> None:
    """Makes the whole files that are damaged, from the demo band and the simulated player."""
    from jeweller.assets import DEMO
    from jeweller.audio.encode import write_sound
    from jeweller.decisions.records import Added, Decision, DecisionAct, Decisions
    from jeweller.decisions.records import save as save_decisions
    from jeweller.gui.shell.app import open_settings
    from jeweller.library.journal import PlayerJournal
    from jeweller.library.library import Library
    from jeweller.notation.model import Score
    from jeweller.notation.readers.musicxml import read
    from jeweller.notation.writers.midi import write_midi
    from jeweller.pipeline.check import check
    from jeweller.practice.remedies import SHIPPED
    from jeweller.repertoire.shelf import Shelf
    from jeweller.simulator.recordings import make_take
    from jeweller.simulator.truth import write_take
    from jeweller.student.home import open_slip
    from jeweller.student.make import save_slip
    from jeweller.student.progress import save_progress

    demo = [p.read_bytes() for p in sorted(DEMO.glob("*.musicxml"))]
    abc = (
        b"X:1\nT:A line\nM:6/8\nL:1/8\nQ:3/8=80\nK:Bb\n|: B2c dcB | !trill!F3 (FG)A | {c}B3- B2 z "
        b":|1 (3efg f2 B :|2 B6 |]\n"
    )
    kern = b"**kern\n*clefG2\n*k[b-e-]\n*M3/4\n4b-\n4dd\n8ee-\n8ff\n=2\n2.b-\n=3\n4r\n2b-T\n==\n*-\n"
    mei = (
        b'<?xml version="1.0"?><mei xmlns="http://www.music-encoding.org/ns/mei"><music><body><mdiv><score>'
        b'<scoreDef meter.count="4" meter.unit="4" keysig="2f"><staffGrp><staffDef n="1" lines="5" '
        b'clef.shape="G" clef.line="2"/></staffGrp></scoreDef><section><measure n="1">'
        b'<staff n="1"><layer n="1">'
        b'<note xml:id="a" pname="b" oct="4" dur="4" accid.ges="f"/><beam><note pname="c" oct="5" dur="8"/>'
        b'<note pname="d" oct="5" dur="8"/></beam><rest dur="2"/></layer></staff>'
        b'<slur startid="#a" tstamp2="0m+2"/>'
        b"</measure></section></score></mdiv></body></music></mei>"
    )
    first = read(demo[0])
    import io

    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(
            "META-INF/container.xml",
            '<container><rootfiles><rootfile full-path="s.xml"/></rootfiles></container>',
        )
        archive.writestr("s.xml", demo[1])
    SEEDS["scores"] = [
        *demo,
        abc,
        abc,
        abc,
        kern,
        kern,
        mei,
        mei,
        write_midi(first, lambda _part: "flute"),
        packed.getvalue(),
    ]
    SEEDS["score"] = str(sorted(DEMO.glob("*.musicxml"))[0])

    take = make_take("tune", 3, instrument="flute")
    made = write_take(take, folder / "take")
    sound = take.samples[: take.rate * 6]
    SEEDS["recordings"] = []
    for ending in (".wav", ".flac", ".ogg", ".opus", ".mp3", ".m4a", ".webm"):
        path = folder / f"sound{ending}"
        rate = 48000
        at = np.arange(len(sound) * rate // take.rate) * take.rate / rate
        write_sound(path, np.interp(at, np.arange(len(sound)), sound).astype(np.float32), rate)
        SEEDS["recordings"].append((ending, path.read_bytes()))  # type: ignore[attr-defined]

    names = ("Ilse Fernhollow", "Bram Lockhart")
    SEEDS["names"] = names
    library = Library(folder / "library")
    band = library.add_band("Band", "2026")
    piece = library.shelf.add(Score("A line", take.score.parts, "")).id
    tray = library.add_tray(band.id, "First week")
    recording = next(p for p in made.glob("take.*"))
    report = check(made / "score.musicxml", recording).report
    for k, name in enumerate(names):
        player = library.add_player(band.id, name, "flute")
        own = folder / f"take{k}{recording.suffix}"
        own.write_bytes(recording.read_bytes() + bytes(k))
        row = library.add_take(tray.id, own, player=player.id, piece=piece, part=take.score.parts[0].name)
        library.add_report(row.id, report)
        library.act([(row.id, "comment", {"key": "", "text": f"For {name}."})])
        library.add_practice(player.id, "2026-11-02", 20, f"with {name}")
        PlayerJournal(library.folder, player.id).add("log", {"day": "2026-11-03", "minutes": 5, "note": "x"})
    SEEDS["report"] = report
    changed = Decision("a", DecisionAct.CHANGE, "late", "after all")
    decided = Decisions((changed, Decision("b", DecisionAct.KEEP)))
    found = Added(
        kind="fuzzy",
        note_id="n1",
        score_id="n1",
        bar="2",
        passing=1,
        beat=1.5,
        at_s=2.0,
        until_s=2.5,
        text="Here.",
    )
    save_decisions(decided.add(found), folder / "d.json")
    SEEDS["decisions"] = (folder / "d.json").read_bytes()
    settings = open_settings(folder / "desk.ini")
    for name, value in REMEMBERED.items():
        settings.setValue(name, value)
    settings.sync()
    SEEDS["settings"] = (folder / "desk.ini").read_bytes()
    slip = save_slip(library, library.players()[0], {"practice/minutes": "20"}, folder / "slip.jeweller")
    library.store.backup(folder / "all.zip")
    library.close()
    home, _told = open_slip(slip, folder / "homes")
    for kind, entry in (
        ("log", {"day": "2026-11-05", "minutes": 25, "note": "the march", "well": "", "did": ""}),
        ("stone", {"slot": "F|major", "day": "2026-11-05", "bpm": 72, "passed": True, "by": "check"}),
    ):
        home.journal.add(kind, entry)
    save_progress(home, folder / "back.jeweller")
    SEEDS["slips"] = [
        ("slip", slip.read_bytes()),
        ("progress", (folder / "back.jeweller").read_bytes()),
    ]
    SEEDS["library"] = str(folder / "library")
    shelf = Shelf(folder / "shelf")
    shelf.add(first)
    shelf.export(folder / "shelf.zip")
    with zipfile.ZipFile(folder / "takes.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("Ilse/march.wav", bytes(3000))
        archive.writestr("Bram/ma\u0308rz.ogg", b"OggS" + bytes(300))
    SEEDS["zips"] = [
        (name, (folder / file).read_bytes())
        for name, file in (("takes", "takes.zip"), ("shelf", "shelf.zip"), ("backup", "all.zip"))
    ]
    journal = home.journal.path.read_bytes()
    from jeweller.instruments.care import SHIPPED as CARE

    SEEDS["pages"] = _seed_pages(first)
    SEEDS["tables"] = [
        ("remedies.json", SHIPPED.read_bytes()),
        ("care.json", CARE.read_bytes()),
        ("booth/guest/journal.jsonl", journal * 4),
    ]


def _seed_pages(score: Any) -> list[bytes]:
    """A line on a page: drawn, and as pictures of several kinds."""
    import dataclasses
    import io

    from PIL import Image

    from jeweller.documents.page import html_to_pdf
    from jeweller.documents.parts import parts_page
    from jeweller.omr.pdf import render_page

    part = score.parts[0]
    short = dataclasses.replace(score, parts=(dataclasses.replace(part, bars=part.bars[:4]),))
    pdf = html_to_pdf(parts_page(short))
    page = render_page(pdf, 0, 150.0)
    line = Image.fromarray(page[: page.shape[0] // 4])
    out = [pdf]
    for kind in ("PNG", "JPEG", "TIFF", "WEBP", "BMP"):
        held = io.BytesIO()
        line.save(held, kind)
        out.append(held.getvalue())
    return out


# ---- trying


def attempt(job: tuple[str, int, str]) -> Tried:
    """One input in a process of its own."""
    kind, seed, keep = job
    folder = Path(tempfile.mkdtemp(prefix="attack-"))
    read, write = os.pipe()
    begin = time.perf_counter()
    child = os.fork()
    if not child:
        _child(kind, seed, folder, write)
    os.close(write)
    ended = False
    while time.perf_counter() - begin < HANG_S + 5:
        pid, status, used = os.wait4(child, os.WNOHANG)
        if pid:
            ended = True
            break
        time.sleep(0.002)
    if not ended:
        os.kill(child, signal.SIGKILL)
        _pid, status, used = os.wait4(child, 0)
    with os.fdopen(read, "rb") as pipe:
        told = pipe.read()
    seconds = time.perf_counter() - begin
    try:
        outcome, where = json.loads(told)
    except ValueError:
        slow = not ended or (os.WIFSIGNALED(status) and os.WTERMSIG(status) == signal.SIGXCPU)
        outcome, where = "hang" if slow else "abort", f"status {status}"
    if used.ru_maxrss * 1024 > MOST_BYTES + BASE_BYTES:
        outcome, where = "memory", f"{used.ru_maxrss // 1024} MB"
    if kind in ("scores", "pages") and outcome in ("abort", "hang", "memory"):
        outcome = _as_told(kind, folder / "input")  # the program reads these in a child process with limits
    if outcome not in GOOD and keep:
        target = Path(keep) / f"{kind}-{seed}-{outcome}"
        shutil.copytree(folder, target, dirs_exist_ok=True)
    shutil.rmtree(folder, ignore_errors=True)
    return Tried(kind, outcome, where, seconds)


def _as_told(kind: str, path: Path) -> str:
    from jeweller.errors import PageError, ScoreError
    from jeweller.notation.readers.sandbox import load_scores
    from jeweller.omr.sandbox import read_pages

    try:
        load_scores(path) if kind == "scores" else read_pages(path)
    except (ScoreError, PageError):
        return "sentence"
    return "wrong"


BASE_BYTES = 400 << 20  # what the attacking process itself has loaded


def _child(kind: str, seed: int, folder: Path, write: int) -> None:
    from jeweller.errors import JewellerError

    os.setsid()
    null = os.open(os.devnull, os.O_WRONLY)
    os.dup2(null, 1)
    os.dup2(null, 2)
    resource.setrlimit(resource.RLIMIT_CPU, (HANG_S, HANG_S + 1))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    outcome, where = "answer", ""
    try:
        outcome = ATTACKS[kind](random.Random(seed), folder)
    except JewellerError as error:
        outcome = "sentence" if str(error).strip() else "traceback"
    except MemoryError:
        outcome = "memory"
    except AssertionError as error:
        outcome, where = "wrong", str(error)
    except BaseException as error:  # noqa: BLE001 -- that is what is looked for
        frames = traceback.extract_tb(error.__traceback__)
        last = next((f for f in reversed(frames) if "jeweller" in f.filename), frames[-1])
        outcome = "traceback"
        where = f"{type(error).__name__} {Path(last.filename).name}:{last.lineno} {str(error)[:80]}"
    os.write(write, json.dumps([outcome, where]).encode())
    os._exit(0)


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--inputs", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default="")
    parser.add_argument("--keep", default="")
    options = parser.parse_args()
    wanted = [k for k in options.only.split(",") if k] or list(SHARES)
    total = sum(SHARES[k] for k in wanted)
    jobs = [
        (kind, options.seed * 1_000_003 + n * 31 + len(kind), options.keep)
        for kind in wanted
        for n in range(max(1, round(options.inputs * SHARES[kind] / total)))
    ]
    with tempfile.TemporaryDirectory() as name:
        prepare(Path(name))
        begin = time.perf_counter()
        with ProcessPoolExecutor(2) as pool:
            tried = list(pool.map(attempt, jobs, chunksize=8))
        minutes = (time.perf_counter() - begin) / 60
    print(f"{'':12}" + "".join(f"{o:>10}" for o in ("tried", *OUTCOMES)) + f"{'slowest':>10}")
    for kind in wanted:
        rows = [t for t in tried if t.kind == kind]
        counts = Counter(t.outcome for t in rows)
        slowest = max(t.seconds for t in rows)
        print(f"{kind:12}{len(rows):10}" + "".join(f"{counts[o]:10}" for o in OUTCOMES) + f"{slowest:9.1f}s")
    print(f"{len(tried)} inputs in {minutes:.1f} minutes")
    failed = Counter((t.kind, t.outcome, t.where) for t in tried if t.outcome not in GOOD)
    for (kind, outcome, where), count in failed.most_common(40):
        print(f"  {count:4} {kind} {outcome}: {where}", file=sys.stderr)
    raise SystemExit(bool(failed))


if __name__ == "__main__":
    main()
