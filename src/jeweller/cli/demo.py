"""`jeweller demo`: the main job on the demo band.

With a display the window opens; without one the same window works offscreen and leaves what it made in a
folder.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jeweller.assessment.finding import is_sure
from jeweller.demo_band import TrayTake, demo_band
from jeweller.documents.page import html_to_pdf, marked_page, pdf_to_png
from jeweller.i18n import _
from jeweller.report_format import ReportFinding, TakeReport

if TYPE_CHECKING:
    from jeweller.gui.shell.window import Window


def run_demo(out: Path | None, most: int | None = None) -> int:
    """Opens the window on the demo band, or works through it offscreen. Returns the exit status."""
    from jeweller.gui.shell.app import has_display, run_window

    name, tray = demo_band()
    tray = tray[:most]
    if has_display() and out is None:
        return run_window(tray=tray, tray_name=name)
    folder = out or Path(tempfile.mkdtemp(prefix="jeweller-demo-"))
    folder.mkdir(parents=True, exist_ok=True)
    return _offscreen(name, tray, folder)


def _offscreen(name: str, tray: tuple[TrayTake, ...], folder: Path) -> int:
    from PySide6.QtWidgets import QApplication

    from jeweller.audio.ports import SimulatedSpeaker
    from jeweller.gui.shell.app import make_app, open_settings
    from jeweller.gui.shell.window import Window

    make_app()
    window = Window(open_settings(folder / "desk.ini"), SimulatedSpeaker(), tray, name)
    window.resize(1280, 800)
    window.show()
    wait_for(lambda: True)
    window.grab().save(str(folder / "view-opening.png"))
    print(
        _(
            "{name}: {n} takes, played by the simulated player with the slips planned below, checked now.\n"
        ).format(name=name, n=len(tray))
    )
    totals = [0, 0, 0]
    for k, take in enumerate(tray):
        begin = time.monotonic()
        window.loupe.close_review()
        window.loupe_place.open_pair(str(take.score), str(take.take), take.part, take.player)
        if k == 0:
            wait_for(
                lambda: window.loupe_place.busy.bar.value() > 100 or window.loupe_place.review is not None
            )
            window.grab().save(str(folder / "view-checking.png"))
        wait_for(lambda: window.loupe_place.review is not None or bool(window.last_trouble))
        if window.loupe_place.review is None:
            print(
                _("jeweller: {name}: {last_trouble}").format(
                    name=take.take.name, last_trouble=window.last_trouble
                ),
                file=sys.stderr,
            )
            return 1
        report = window.loupe_place.review.report
        for what, rows in enumerate(_compare(take, report)):
            totals[what] += len(rows)
        _print_take(take, report, time.monotonic() - begin)
        pdf = html_to_pdf(marked_page(report, window.loupe_place.review.checked.line, player=take.player))
        (folder / f"{take.take.stem}.pdf").write_bytes(pdf)
        for n, png in enumerate(pdf_to_png(pdf)):
            (folder / f"{take.take.stem}{f'-{n + 1}' if n else ''}.png").write_bytes(png)
        if k == 1:
            _views(window, folder)
    QApplication.processEvents()
    window.close()
    print(
        _(
            "Planned and found: {totals}. Planned and missed: {totals2}. Found and not planned: {totals3}."
        ).format(totals=totals[0], totals2=totals[1], totals3=totals[2])
    )
    print(_("\nThe marked parts (PDF, PNG) and a picture of each view are in {folder}").format(folder=folder))
    return 0


def _views(window: Window, folder: Path) -> None:
    wait_for(lambda: window.loupe.listening.model is not None)
    window.grab().save(str(folder / "view-loupe-light.png"))
    window.set_theme("dark")
    window.menus.pitch_action.setChecked(True)
    wait_for(lambda: True)
    window.grab().save(str(folder / "view-loupe-dark.png"))
    window.menus.pitch_action.setChecked(False)
    window.set_theme("light")
    window.show_keys()
    wait_for(lambda: True)
    window.keys_box.grab().save(str(folder / "view-keys.png"))
    window.keys_box.close()


def wait_for(ready: Callable[[], bool], seconds: float = 120.0) -> None:
    """Lets the window work until something is so, or the time is over."""
    end = time.monotonic() + seconds
    _work(20)  # also carries out deferred deletions
    while not ready() and time.monotonic() < end:
        _work(10)
    _work(20)


def _work(milliseconds: int) -> None:
    from PySide6.QtCore import QCoreApplication, QEvent, QEventLoop, QTimer

    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop, loop.quit)
    loop.exec()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


def _same_place(f: ReportFinding, p: dict[str, Any]) -> bool:
    overlap = f["at_s"] - 1 <= p["until_s"] and p["at_s"] - 1 <= f["until_s"]
    return bool(p["bar"] in f["places"] or f["bar"] == p["bar"] or overlap)


def _compare(take: TrayTake, report: TakeReport) -> tuple[list[Any], list[Any], list[Any]]:
    """(planned slips found, planned slips missed, findings not planned). A habit answers every place it
    names; the bar or the time must agree.
    """
    sure = [
        f
        for f in report["findings"]
        if is_sure(f["confidence"]) and f["kind"] not in ("tuned_high", "tuned_low")
    ]
    found, missed, used = [], [], set()
    for p in take.planned:
        hit = next((k for k, f in enumerate(sure) if f["kind"] == p["kind"] and _same_place(f, p)), None)
        if hit is None:
            missed.append(p)
        else:
            found.append(p)
            used.add(hit)
    return found, missed, [f for k, f in enumerate(sure) if k not in used]


def _print_take(take: TrayTake, report: TakeReport, seconds: float) -> None:
    found, missed, extra = _compare(take, report)
    mark = report["mark"]
    print(
        _("{player} · {part} · {title}   ({seconds:.1f} s, {band}, {value:g} of {out_of})").format(
            player=take.player,
            part=take.part,
            title=take.title,
            seconds=seconds,
            band=mark["band"],
            value=mark["value"],
            out_of=mark["out_of"],
        )
    )
    rows = [(_("{kind} bar {bar}").format(kind=p["kind"], bar=p["bar"]), "found") for p in found] + [
        (_("{kind} bar {bar}").format(kind=p["kind"], bar=p["bar"]), "MISSED") for p in missed
    ]
    for planned, state in rows or [(_("nothing planned"), "")]:
        print(_("    planned: {planned:34} {state}").format(planned=planned, state=state))
    for f in report["findings"]:
        place = (
            _("bars {places}").format(places=", ".join(f["places"]))
            if f["count"] > 1 and f["places"]
            else _("bar {bar}").format(bar=f["bar"])
        )
        note = (
            _("NOT PLANNED")
            if f in extra
            else _("tuning advice")
            if f["kind"] in ("tuned_high", "tuned_low")
            else _("listen here")
            if not is_sure(f["confidence"])
            else ""
        )
        print(
            _("    said:    {kind:34} {confidence:.2f} {note}").format(
                kind=f["kind"] + " " + place, confidence=f["confidence"], note=note
            )
        )
    print()
