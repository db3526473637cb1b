"""The command line's commands and what they take."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from jeweller import __version__
from jeweller.i18n import LANGUAGES, SOURCE, _

UNUSABLE = 2  # what the program ends with where it cannot use what it was given


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> Any:
        self.exit(UNUSABLE, _("jeweller: {message}\n").format(message=message))


if TYPE_CHECKING:
    Commands = argparse._SubParsersAction[_Parser]


def make_parser() -> argparse.ArgumentParser:
    from jeweller.cli.book import add_book
    from jeweller.cli.ledger_args import add_ledger
    from jeweller.cli.page import add_page

    parser = _Parser(
        prog="jeweller",
        description=(
            _(
                "Compares a recording with the notated part and says what differs. Without a "
                "command the window opens."
            )
        ),
    )
    parser.add_argument(
        "--version", action="version", version=_("jeweller {version}").format(version=__version__)
    )
    parser.add_argument(
        "--verbose", action="store_true", help=_("also say on standard error what the log is told")
    )
    parser.add_argument(
        "--language",
        choices=tuple(LANGUAGES),
        default=SOURCE,
        help=_("the language of what is said; reports keep the words they were written with"),
    )
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    _add_check(commands)
    _add_batch(commands)
    _add_score(commands)
    _add_make(commands)
    _add_sheet(commands)
    _add_look(commands)
    add_book(commands)
    add_page(commands)
    add_ledger(commands)
    _add_explain(commands)
    _add_demo(commands)
    _add_open(commands)
    return parser


def _add_check(commands: Commands) -> None:
    check = commands.add_parser(
        "check",
        help=_("check one recording against a score"),
        description=_("Checks one recording against a score."),
    )
    check.add_argument("score", metavar="SCORE")
    check.add_argument("take", metavar="TAKE")
    _add_asked(check)
    for kind, what in (
        ("json", _("the report")),
        ("html", _("the marked part, alone standing")),
        ("pdf", _("the marked part")),
        ("png", _("the marked part's pages")),
        ("midi", _("the notes heard")),
        ("musicxml", _("the score with the findings above the notes")),
    ):
        check.add_argument(f"--{kind}", metavar="F", help=_("write {what} to F").format(what=what))


def _add_batch(commands: Commands) -> None:
    batch = commands.add_parser(
        "batch", help=_("check many recordings, on all cores; what is done already is kept")
    )
    batch.add_argument(
        "source",
        metavar="FOLDER|LIST",
        help=(
            _(
                "folders with one score and its takes each, or a list of score and take, tab "
                "between, a line each"
            )
        ),
    )
    batch.add_argument("--json-dir", metavar="D", required=True, help=_("where the reports go"))
    batch.add_argument(
        "--workers", metavar="N", type=int, help=_("how many at once (default: the number of cores)")
    )
    batch.add_argument(
        "--scheduler",
        metavar="ADDRESS",
        help=_(
            "an existing Dask cluster that sees the same folders, as tcp://HOST:8786; a plain one trusts "
            "everybody in its network"
        ),
    )
    batch.add_argument(
        "--certificates",
        metavar="D",
        help=_("for a cluster at tls://HOST:8786: a folder with ca.pem, cert.pem and key.pem"),
    )
    _add_asked(batch)


def _add_score(commands: Commands) -> None:
    score = commands.add_parser("score", help=_("show what is understood of a notation file"))
    score.add_argument("file", metavar="FILE")
    score.add_argument("--json", metavar="F", help=_("write it to F (- for standard output)"))


def _add_make(commands: Commands) -> None:
    make = commands.add_parser(
        "make",
        help=_("make a scale, a drill or a rhythm, for one instrument or the whole band"),
        description=(
            _("Makes an exercise. What it is like is said by --set NAME=VALUE; --list shows what there is.")
        ),
    )
    make.add_argument(
        "kind",
        metavar="KIND",
        nargs="?",
        default="scale",
        help=_("scale, intervals, arpeggio, long tones, rhythm … (--list shows all)"),
    )
    make.add_argument(
        "--key",
        metavar="B♭",
        help=_(
            "the key or first note, several with commas, or “every key”; it names the sounding key, with "
            "--written every player's own"
        ),
    )
    make.add_argument("--written", action="store_true", help=_("the key is the one each player reads"))
    make.add_argument(
        "--for",
        metavar="NAME",
        dest="players",
        action="append",
        default=[],
        help=_("an instrument, again for more; band for all (default: flute)"),
    )
    make.add_argument(
        "--set", metavar="NAME=VALUE", action="append", default=[], help=_("any choice that --list shows")
    )
    make.add_argument(
        "--then",
        metavar="KIND; NAME=VALUE; …",
        action="append",
        default=[],
        help=_("one more exercise on the same page, like the first but for what is said here"),
    )
    make.add_argument("--list", action="store_true", help=_("show every choice"))
    _add_printing(make)


def _add_sheet(commands: Commands) -> None:
    sheet = commands.add_parser(
        "sheet", help=_("print the parts of a notation file, with lines under the notes")
    )
    sheet.add_argument("file", metavar="FILE")
    sheet.add_argument("--part", metavar="NAME|N", help=_("only this part"))
    sheet.add_argument(
        "--for",
        metavar="NAME",
        dest="player",
        help=_("written for another instrument, in its own key and clef"),
    )
    sheet.add_argument(
        "--octaves",
        metavar="N",
        type=int,
        help=_("moved by so many octaves (default: where it lies best, with --for)"),
    )
    sheet.add_argument(
        "--tune", metavar="NAME", help=_("which tune of a tunebook, by title or number from 1")
    )
    _add_printing(sheet)


def _add_look(commands: Commands) -> None:
    look = commands.add_parser(
        "look", help=_("look a part over: traps, what lightens it, how hard it reads, a path through it")
    )
    look.add_argument("file", metavar="FILE")
    look.add_argument("--part", metavar="NAME|N", help=_("the part (default: the first with notes)"))
    look.add_argument("--tune", metavar="NAME", help=_("which tune of a tunebook, by title or number from 1"))
    look.add_argument(
        "--instrument", metavar="NAME", help=_("the instrument, where the part's name does not tell it")
    )
    look.add_argument(
        "--band",
        action="store_true",
        help=_("across the band: shared rhythms, and alterations in every part's own letters"),
    )
    look.add_argument("--json", metavar="F", help=_("write it to F (- for standard output)"))


def _add_explain(commands: Commands) -> None:
    explain = commands.add_parser("explain", help=_("the numbers a finding rests on"))
    explain.add_argument("report", metavar="REPORT")
    explain.add_argument("finding", metavar="FINDING", help=_("its number in the report, from 1, or its key"))


def _add_demo(commands: Commands) -> None:
    demo = commands.add_parser("demo", help=_("the main job on the demo band"))
    demo.add_argument(
        "--out",
        metavar="FOLDER",
        help=_("where pages and pictures go when there is no display (default: a folder it names)"),
    )
    demo.add_argument("--takes", type=int, metavar="N", help=_("only the first N takes of the band"))
    demo.add_argument(
        "--booth", action="store_true", help=_("takes being made with a simulated microphone, in the booth")
    )


def _add_open(commands: Commands) -> None:
    window = commands.add_parser(
        "open",
        help=_("open the window, with scores, recordings or a player's slip, if given"),
        description=_("Opens the window; where it is open already, it gets the files."),
    )
    window.add_argument("files", metavar="FILE", nargs="*")


def _add_printing(parser: argparse.ArgumentParser) -> None:
    """What parts are printed with, and where to."""
    parser.add_argument(
        "--under",
        metavar="LINES",
        default="",
        help=_("lines under the notes, commas between: counts, names, solfège, degrees, fingerings, places"),
    )
    parser.add_argument(
        "--blank", metavar="LINES", default="", help=_("which of them are left blank to be filled in")
    )
    parser.add_argument(
        "--counting",
        metavar="WAY",
        default="1 & 2 &",
        help=_("“1 & 2 &”, “1 te 2 te”, “1 2 3 4 5 6” (in 6/8), “du de” or “ta ti-ti”"),
    )
    parser.add_argument(
        "--words",
        metavar="FILE",
        help=_("count with an own table of words: JSON of lengths and words"),
    )
    parser.add_argument(
        "--solfège",
        "--solfege",
        dest="solfege",
        metavar="SCHOOL",
        default="movable do, minor on la",
        help=_("what the notes are called: “movable do, minor on la”, “movable do, minor on do”, “fixed do”"),
    )
    parser.add_argument("--big", action="store_true", help=_("large notes"))
    parser.add_argument(
        "--speed", metavar="BPM", type=float, help=_("quarters a minute of the sound (default: as written)")
    )
    for kind in ("musicxml", "mei", "midi", "pdf", "png", "html", "wav"):
        parser.add_argument(f"--{kind}", metavar="F", help=_("write {upper} to F").format(upper=kind.upper()))


def _add_asked(parser: argparse.ArgumentParser) -> None:
    """What a check is asked for, alike for one take and for many."""
    parser.add_argument("--part", metavar="NAME|N", help=_("the part, by name or number"))
    parser.add_argument(
        "--tune", metavar="NAME", help=_("which tune of a tunebook, by title or number from 1")
    )
    parser.add_argument(
        "--instrument", metavar="NAME", help=_("the instrument, where the part's name does not tell it")
    )
    parser.add_argument(
        "--also",
        metavar="NAME",
        action="append",
        default=[],
        help=_("another instrument that this player plays, whose fingerings may slip in"),
    )
    parser.add_argument("--bars", metavar="9-16", help=_("only these bars"))
    parser.add_argument(
        "--tempo", metavar="BPM", type=float, help=_("the speed asked for, quarters a minute")
    )
    parser.add_argument(
        "--click",
        metavar="heard|BPM@SECONDS",
        help=_("the click played to: heard in the recording, or its speed and the second of one stroke"),
    )
    parser.add_argument(
        "--support",
        metavar="NAME",
        default="alone",
        choices=("alone", "with_model", "with_click"),
        help=_("how the take was made: alone, with_model or with_click"),
    )
    parser.add_argument(
        "--backing",
        metavar="F",
        help=_(
            "a recording of the model or backing part that sounded in the room: it is taken out of the take"
        ),
    )
    parser.add_argument(
        "--rhythm-only",
        action="store_true",
        help=_("judge the rhythm alone: clapping, tapping, counting aloud"),
    )
    parser.add_argument(
        "--scheme",
        metavar="NAME",
        default="even",
        help=_("marking scheme: even, rhythm-first, notes-first, sound-first"),
    )
    parser.add_argument(
        "--unheard",
        choices=("left-out", "not-played"),
        default="left-out",
        help=_("bars that the take does not hold: left out of the mark, or counted as not played"),
    )
    parser.add_argument(
        "--tolerance", metavar="NAME", default="standard", help=_("gentle, standard or strict")
    )
    parser.add_argument(
        "--articulation",
        metavar="NAME",
        default="printed",
        help=_("printed, slurs-optional, joined, detached or free"),
    )
    parser.add_argument(
        "--set",
        metavar="NAME=VALUE",
        action="append",
        default=[],
        help=_("any number that the report's settings list"),
    )
