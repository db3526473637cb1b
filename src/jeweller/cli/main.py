"""`jeweller`: the command line. Exit status 0 done, 2 the input cannot be used, 3 the recording does not
follow the score, 1 a fault of the program.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jeweller import __version__
from jeweller.cli.choices import parse_choices
from jeweller.cli.parser import UNUSABLE, make_parser
from jeweller.cli.plain_output import plain_output, tidy_end
from jeweller.errors import JewellerError
from jeweller.files import json_text, parse_json, write_bytes
from jeweller.i18n import _, in_language
from jeweller.log import LOG, log_fault, start_log, state_home
from jeweller.report.localized import localized_report

if TYPE_CHECKING:
    from jeweller.pipeline.check import Options

NOT_FOLLOWED = 3
FAULTY = 1


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
        unheard=options.unheard.replace("-", "_"),
        settings=settings,
    )


def main(argv: list[str] | None = None) -> int:
    """Runs one command; returns the exit status."""
    arguments = sys.argv[1:] if argv is None else argv
    options = make_parser().parse_args(arguments)
    start_log(verbose=options.verbose)
    with in_language(options.language), plain_output(), tidy_end():
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
        if options.command == "page":
            from jeweller.cli.page import run_page

            return run_page(options)
        if options.command in ("make", "sheet", "look"):
            from jeweller.cli.make import run_look, run_make, run_sheet

            return {"make": run_make, "sheet": run_sheet, "look": run_look}[options.command](options)
        if options.command == "explain":
            return _explain(options)
        if options.command == "demo" and options.booth:
            from jeweller.cli.demo_booth import run_booth_demo

            return run_booth_demo(Path(options.out) if options.out else None)
        if options.command == "demo":
            from jeweller.cli.demo import run_demo

            return run_demo(Path(options.out) if options.out else None, options.takes)
        from jeweller.gui.shell.app import run_window

        return run_window(getattr(options, "files", ()))
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
    from jeweller.documents.theme import PRINTED
    from jeweller.pipeline.check import check

    checked = check(options.score, options.take, _asked(options))
    report, theme = checked.report, PRINTED
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
    certificates = Path(options.certificates) if options.certificates else None
    for number, done in enumerate(
        run_batch(
            jobs, _asked(options), options.workers, scheduler=options.scheduler, certificates=certificates
        ),
        1,
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
        report = parse_json(Path(options.report).read_text(encoding="utf-8"))
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
