"""The arguments of `jeweller ledger`, apart from what they need to be done: the command line starts without
it.
"""

from __future__ import annotations

from typing import Any

from jeweller.i18n import _


def add_ledger(commands: Any) -> None:
    """The command and what belongs to it, added to those of a parser."""
    ledger = commands.add_parser(
        "ledger", help=_("the library: bring trays in, check them, marks, backup, what is held on a player")
    )
    ledger.add_argument(
        "--library", metavar="FOLDER", help=_("the library's folder (default: one in the user's data folder)")
    )
    acts = ledger.add_subparsers(dest="act", metavar="ACT", required=True)
    bring = acts.add_parser(
        "bring",
        help=_("enter recordings, folders or zip files as a new tray, as they are guessed, and check them"),
    )
    bring.add_argument("paths", metavar="PATH", nargs="+")
    bring.add_argument("--look", action="store_true", help=_("only show what each recording seems to be"))
    bring.add_argument("--new", action="store_true", help=_("enter players that are not in the class yet"))
    bring.add_argument(
        "--players", metavar="LIST", help=_("a class list (CSV) that is brought up to date first")
    )
    acts.add_parser("trays", help=_("list the trays"))
    check = acts.add_parser(
        "check", help=_("check what waits in a tray, on all cores; what was interrupted goes on")
    )
    tray = acts.add_parser("tray", help=_("list the takes of a tray"))
    marks = acts.add_parser("marks", help=_("write the marks of a tray as CSV or XLSX"))
    rehearse = acts.add_parser("rehearse", help=_("what to rehearse from a tray, in order"))
    for one in (check, tray, marks, rehearse):
        one.add_argument(
            "tray",
            metavar="TRAY",
            nargs="?",
            help=_("its number or the beginning of its name (default: the newest)"),
        )
    marks.add_argument("file", metavar="FILE", help=_("ending in .csv or .xlsx"))
    marks.add_argument(
        "--columns",
        metavar="LIST",
        default="player,instrument,piece,date,mark,out_of,band,comment",
        help=_("commas between; one that is not known lists them all"),
    )
    marks.add_argument("--attempts", choices=("all", "best", "last", "mean"), default="all")
    marks.add_argument("--consent", action="store_true", help=_("leave players without consent out"))
    backup = acts.add_parser("backup", help=_("write the whole library to one file"))
    backup.add_argument("file", metavar="FILE")
    acts.add_parser("verify", help=_("say what is missing or was changed; exit status 2 where something is"))
    back = acts.add_parser("restore", help=_("make a library of a backup, in a new folder"))
    back.add_argument("file", metavar="FILE")
    back.add_argument("folder", metavar="FOLDER")
    for name, words in (
        ("held", _("what is held on a player")),
        ("give-out", _("what is held on a player, as one file")),
        ("delete", _("delete a player for good")),
    ):
        one = acts.add_parser(name, help=words)
        one.add_argument("player", metavar="NAME")
        if name == "give-out":
            one.add_argument("file", metavar="FILE")
        if name == "delete":
            one.add_argument("--yes", action="store_true", help=_("do it, after `held` was looked at"))
