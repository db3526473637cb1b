"""The arguments of `jeweller ledger`, apart from what they need to be done: the command line starts without
it.
"""

from __future__ import annotations

import argparse
from typing import Any


def add_words(parser: argparse.ArgumentParser) -> None:
    """The English usage of what is said."""
    parser.add_argument(
        "--words",
        metavar="NAMES",
        default="",
        help="bar or measure, quarter or crotchet, as “measure,crotchet” (default: bar,quarter)",
    )


def add_ledger(commands: Any) -> None:
    """The command and what belongs to it, added to those of a parser."""
    ledger = commands.add_parser(
        "ledger", help="the library: bring trays in, check them, marks, backup, what is held on a player"
    )
    ledger.add_argument(
        "--library", metavar="FOLDER", help="the library's folder (default: one in the user's data folder)"
    )
    acts = ledger.add_subparsers(dest="act", metavar="ACT", required=True)
    bring = acts.add_parser(
        "bring",
        help="enter recordings, folders or zip files as a new tray, as they are guessed, and check them",
    )
    bring.add_argument("paths", metavar="PATH", nargs="+")
    bring.add_argument("--look", action="store_true", help="only show what each recording seems to be")
    acts.add_parser("trays", help="list the trays")
    check = acts.add_parser(
        "check", help="check what waits in a tray, on all cores; what was interrupted goes on"
    )
    tray = acts.add_parser("tray", help="list the takes of a tray")
    marks = acts.add_parser("marks", help="write the marks of a tray as CSV or XLSX")
    rehearse = acts.add_parser("rehearse", help="what to rehearse from a tray, in order")
    for one in (check, tray, marks, rehearse):
        one.add_argument(
            "tray",
            metavar="TRAY",
            nargs="?",
            help="its number or the beginning of its name (default: the newest)",
        )
    add_words(rehearse)
    marks.add_argument("file", metavar="FILE", help="ending in .csv or .xlsx")
    marks.add_argument(
        "--columns",
        metavar="LIST",
        default="player,instrument,piece,date,mark,out_of,band,comment",
        help="commas between; one that is not known lists them all",
    )
    marks.add_argument("--attempts", choices=("all", "best", "last", "mean"), default="all")
    marks.add_argument("--consent", action="store_true", help="leave players without consent out")
    backup = acts.add_parser("backup", help="write the whole library to one file")
    backup.add_argument("file", metavar="FILE")
    back = acts.add_parser("restore", help="make a library of a backup, in a new folder")
    back.add_argument("file", metavar="FILE")
    back.add_argument("folder", metavar="FOLDER")
    for name, words in (
        ("held", "what is held on a player"),
        ("give-out", "what is held on a player, as one file"),
        ("delete", "delete a player for good"),
    ):
        one = acts.add_parser(name, help=words)
        one.add_argument("player", metavar="NAME")
        if name == "give-out":
            one.add_argument("file", metavar="FILE")
        if name == "delete":
            one.add_argument("--yes", action="store_true", help="do it, after `held` was looked at")
