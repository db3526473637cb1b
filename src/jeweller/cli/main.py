"""`jeweller`: the command line. Exit status 0 done, 2 the input cannot be used, 3 the recording does not
follow the score, 1 a fault of the program.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jeweller import __version__
from jeweller.cli.choices import parse_choices
from jeweller.errors import JewellerError
from jeweller.files import json_text, write_bytes
from jeweller.i18n import LANGUAGES, SOURCE, _, in_language
from jeweller.log import LOG, log_fault, start_log, state_home
from jeweller.report.localized import localized_report

if TYPE_CHECKING:
    from jeweller.pipeline.check import Options

NOT_FOLLOWED = 3
UNUSABLE = 2
FAULTY = 1


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> Any:
        self.exit(UNUSABLE, _("jeweller: {message}\n").format(message=message))


def make_parser() -> argparse.ArgumentParser:
    from jeweller.cli.book import add_book
    from jeweller.cli.ledger_args import add_ledger

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
        help=_("an existing Dask cluster that sees the same folders, as tcp://HOST:8786"),
    )
    _add_asked(batch)
    score = commands.add_parser("score", help=_("show what is understood of a notation file"))
    score.add_argument("file", metavar="FILE")
    score.add_argument("--json", metavar="F", help=_("write it to F (- for standard output)"))
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
        help=_("the key or first note; it names the sounding key, with --written every player's own"),
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
    make.add_argument("--list", action="store_true", help=_("show every choice"))
    _add_sheet(make)
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
    _add_sheet(sheet)
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
    add_book(commands)
    add_ledger(commands)
    explain = commands.add_parser("explain", help=_("the numbers a finding rests on"))
    explain.add_argument("report", metavar="REPORT")
    explain.add_argument("finding", metavar="FINDING", help=_("its number in the report, from 1, or its key"))
    demo = commands.add_parser("demo", help=_("the main job on the demo band"))
    demo.add_argument(
        "--out",
        metavar="FOLDER",
        help=_("where pages and pictures go when there is no display (default: a folder it names)"),
    )
    demo.add_argument("--takes", type=int, metavar="N", help=_("only the first N takes of the band"))
    window = commands.add_parser("open", help=_("open the window, with a score and a take if given"))
    window.add_argument("score", nargs="?")
    window.add_argument("take", nargs="?")
    return parser


def _add_sheet(parser: argparse.ArgumentParser) -> None:
    """What parts are printed with, and where to."""
    parser.add_argument(
        "--under",
        metavar="LINES",
        default="",
        help=_("lines under the notes, commas between: counts, names, solfège, fingerings, places"),
    )
    parser.add_argument(
        "--blank", metavar="LINES", default="", help=_("which of them are left blank to be filled in")
    )
    parser.add_argument(
        "--counting", metavar="WAY", default="1 & 2 &", help=_("“1 & 2 &”, “1 te 2 te” or “ta ti-ti”")
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


def _asked(options: argparse.Namespace) -> Options:
    """Raises JewellerError, SettingError."""
    from jeweller.assessment.settings import make_settings
    from jeweller.pipeline.check import Options

    settings = make_settings(options.tolerance, options.articulation, parse_choices(options.set))
    return Options(
        part=options.part,
        tune=options.tune,
        instrument=options.instrument,
        also=tuple(options.also),
        bars=options.bars,
        tempo_bpm=options.tempo,
        click=options.click,
        support=options.support,
        backing=options.backing,
        rhythm_only=options.rhythm_only,
        scheme=options.scheme,
        settings=settings,
    )


def main(argv: list[str] | None = None) -> int:
    """Runs one command; returns the exit status."""
    arguments = sys.argv[1:] if argv is None else argv
    options = make_parser().parse_args(arguments)
    start_log(verbose=options.verbose)
    with in_language(options.language):
        return _run(options)


def _run(options: argparse.Namespace) -> int:
    """One command; every error as a sentence and an exit status."""
    LOG.info("%s, version %s", options.command or "window", __version__)
    try:
        if options.command == "check":
            return _check(options)
        if options.command == "batch":
            return _batch(options)
        if options.command == "score":
            return _score(options)
        if options.command == "ledger":
            from jeweller.cli.ledger import run_ledger

            return run_ledger(options)
        if options.command == "book":
            from jeweller.cli.book import run_book

            return run_book(options)
        if options.command in ("make", "sheet", "look"):
            from jeweller.cli.make import run_look, run_make, run_sheet

            return {"make": run_make, "sheet": run_sheet, "look": run_look}[options.command](options)
        if options.command == "explain":
            return _explain(options)
        if options.command == "demo":
            from jeweller.cli.demo import run_demo

            return run_demo(Path(options.out) if options.out else None, options.takes)
        from jeweller.gui.shell.app import run_window

        return run_window(getattr(options, "score", None), getattr(options, "take", None))
    except JewellerError as error:
        print(_("jeweller: {error}").format(error=error), file=sys.stderr)
        return UNUSABLE
    except BrokenPipeError:
        return 0
    except KeyboardInterrupt:
        print(_("jeweller: stopped."), file=sys.stderr)
        return 130
    except Exception as error:  # noqa: BLE001 -- exit status 1: a fault of the program
        print(
            _("jeweller: {log_fault}\nThe log lies in {state_home}.").format(
                log_fault=log_fault(error), state_home=state_home()
            ),
            file=sys.stderr,
        )
        return FAULTY


def _write_json(data: Mapping[str, Any], target: str) -> None:
    text = json_text(data)
    if target == "-":
        sys.stdout.write(text)
        return
    write_bytes(Path(target), text.encode("utf-8"))


def _check(options: argparse.Namespace) -> int:
    from jeweller.documents.theme import LIGHT
    from jeweller.pipeline.check import check

    checked = check(options.score, options.take, _asked(options))
    report, theme = checked.report, LIGHT
    if options.json:
        _write_json(report, options.json)
    wanted = {
        k: getattr(options, k) for k in ("html", "pdf", "png", "midi", "musicxml") if getattr(options, k)
    }
    if wanted:
        from jeweller.documents.check_documents import write_sheets

        write_sheets(checked, wanted, theme)
    if not options.json and not wanted:
        from jeweller.documents.plain_text import summary_text

        sys.stdout.write(summary_text(localized_report(report)))
    for warning in (*checked.score.warnings, *checked.recording.warnings):
        print(_("jeweller: note: {warning}").format(warning=warning), file=sys.stderr)
    if not report["followed"]:
        print(
            (
                _(
                    (
                        "jeweller: {name} does not match this part. Is it the right piece, the right "
                        "part, the right recording?"
                    )
                ).format(name=Path(options.take).name)
            ),
            file=sys.stderr,
        )
        return NOT_FOLLOWED
    return 0


def _batch(options: argparse.Namespace) -> int:
    from jeweller.pipeline.batch import find_jobs, run_batch

    target = Path(options.json_dir)
    jobs = find_jobs(Path(options.source), target)
    target.mkdir(parents=True, exist_ok=True)
    counts: dict[str, int] = {}
    for number, done in enumerate(
        run_batch(jobs, _asked(options), options.workers, scheduler=options.scheduler), 1
    ):
        counts[done.state] = counts.get(done.state, 0) + 1
        print(
            (
                f"{number}/{len(jobs)}  {done.job.take}: "
                f"{_(done.state)}{f' - {done.sentence}' if done.sentence else ''}"
            ),
            file=sys.stderr,
        )
    print(
        ", ".join(f"{n} {_(state)}" for state, n in sorted(counts.items()))
        + _("; reports in {target}").format(target=target)
    )
    return UNUSABLE if counts.get("failed") else NOT_FOLLOWED if counts.get("not followed") else 0


def _score(options: argparse.Namespace) -> int:
    from jeweller.notation.readers.sandbox import load_score
    from jeweller.notation.summary import score_summary

    summary = score_summary(load_score(options.file))
    if options.json:
        _write_json(summary, options.json)
        return 0
    print(summary["title"] or Path(options.file).name)
    for part in summary["parts"]:
        sounds = (
            _(", sounds {transpose_semitones:+d} semitones").format(
                transpose_semitones=part["transpose_semitones"]
            )
            if part["transpose_semitones"]
            else ""
        )
        print(
            _("  {name}: {bars} bars, {n} notes played out{sounds}").format(
                name=part["name"], bars=part["bars"], n=len(part["notes"]), sounds=sounds
            )
        )
    for warning in summary["warnings"]:
        print(_("  note: {warning}").format(warning=warning))
    return 0


def _explain(options: argparse.Namespace) -> int:
    try:
        report = json.loads(Path(options.report).read_text(encoding="utf-8"))
        findings = report["findings"]
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise JewellerError(
            _("{report} is no report of a check ({error}).").format(report=options.report, error=error)
        ) from error
    wanted = options.finding
    chosen = [f for k, f in enumerate(findings) if wanted in (str(k + 1), f["key"])]
    if not chosen:
        raise JewellerError(
            _("There is no finding {wanted}; the report has {n}.").format(wanted=wanted, n=len(findings))
        )
    from jeweller.documents.plain_text import explain_text

    sys.stdout.write(explain_text(report, chosen[0]))
    return 0
