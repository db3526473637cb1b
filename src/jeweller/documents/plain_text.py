"""A check in plain words: the summary the command line prints, and the numbers a finding rests on."""

from __future__ import annotations

import textwrap
from typing import Any

from jeweller.assessment.finding import is_sure
from jeweller.assessment.messages import CAUSE_WORDS

SHOWN_FIRST = 3
TUNING = ("tuned_high", "tuned_low")  # advice, never marked


def sureness(confidence: float) -> str:
    return (
        "sure"
        if confidence >= 0.8
        else "fairly sure"
        if is_sure(confidence)
        else f"listen here, {confidence:.1f}"
    )


def good_sentence(report: dict[str, Any]) -> str:
    """What was good, as one sentence; empty where nothing was asked."""
    things = [g["what"] for g in report["good"]]
    if not things:
        return ""
    text = "; ".join(things)
    return text[0].upper() + text[1:] + "."


def attempts_sentence(report: dict[str, Any]) -> str:
    """Of a take with several complete attempts, which is judged and how the others were; empty for one
    attempt.
    """
    tries = report.get("attempts", [])
    if not tries:
        return ""
    told = [
        f"{_clock(t['first_note_s'])} to {_clock(t['last_note_s'])} with {t['findings'] or 'nothing'} to mend"
        for t in tries
    ]
    number = next(k for k, t in enumerate(tries) if t["judged"])
    which = "the first" if number == 0 else "the second" if number == 1 else f"number {number + 1}"
    better = len({t["findings"] for t in tries}) > 1
    return (
        f"{len(tries)} complete attempts: {'; '.join(told)}. Judged is "
        f"{which}{', the better one' if better else ''}."
    )


def _clock(seconds: float) -> str:
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"


def player_words(report: dict[str, Any]) -> str:
    """To the player: what to do first, a speed, minutes, and what to keep."""
    sure = [f for f in report["findings"] if is_sure(f["confidence"]) and f["kind"] not in TUNING]
    played = report["tempo"]["played_bpm"]
    lines = []
    if not sure:
        lines.append("Well done. Play it once more for fun, then take the next line.")
    for f in sure[:2]:
        if f["advice"] not in lines:
            lines.append(f["advice"])
    if sure and played:
        unit = report["score"]["beat_unit_q"] or 1
        slow = max(40, 2 * round(played / unit * 0.7 / 2))
        minutes = 4 if len(sure) == 1 else 6 if len(sure) == 2 else 10
        lines.append(
            f"Begin at {slow} beats a minute; {minutes} minutes are "
            f"enough{', with a rest for the lips in the middle' if minutes >= 10 else ''}."
        )
    tuning = next((f for f in report["findings"] if f["kind"] in TUNING and is_sure(f["confidence"])), None)
    if tuning:
        lines.append(tuning["advice"])
    if report["good"]:
        lines.append(f"Keep this: {report['good'][-1]['what']}.")
    return " ".join(lines)


def summary_text(report: dict[str, Any], width: int = 100) -> str:
    """The page of a check as text."""
    s, t = report["score"], report["tempo"]
    out = [f"{s['title'] or 'Untitled'} · {s['part']} · {report['take']['file']}"]
    if not report["followed"]:
        return "\n".join([*out, "The recording does not follow this part.", ""])
    asked = f" (written {s['written_bpm']:g})" if s["written_bpm"] else ""
    out.append(
        f"Tempo {t['played_bpm']:.0f}{asked}. {report['mark']['band'].capitalize()}: "
        f"{report['mark']['value']:g} of {report['mark']['out_of']}."
    )
    if report.get("attempts"):
        out.append(attempts_sentence(report))
    if report["take"].get("helped"):
        out.append("Not played alone: a model or a backing part sounded with it.")
    sure = [f for f in report["findings"] if is_sure(f["confidence"]) and f["kind"] not in TUNING]
    tuning = [f for f in report["findings"] if is_sure(f["confidence"]) and f["kind"] in TUNING]
    unsure = [f for f in report["findings"] if not is_sure(f["confidence"])]
    for k, f in enumerate(sure[:SHOWN_FIRST], 1):
        out += _wrapped(f"{k} {f['facet'].capitalize()} · {_said(f)} ({sureness(f['confidence'])})", width)
    if len(sure) > SHOWN_FIRST:
        out.append("Further:")
        for f in sure[SHOWN_FIRST:]:
            out += _wrapped(f"- {_said(f)}", width)
    if unsure:
        out.append("Listen here (not marked down):")
        for f in unsure:
            out += _wrapped(f"- {f['text']} ({f['confidence']:.1f})", width)
    if not sure:
        out.append("No problems found.")
    for f in tuning:
        out += _wrapped(f"Tuning: {f['text']} Not marked.", width)
    good = good_sentence(report)
    if good:
        out += _wrapped(f"Good: {good}", width)
    out += _wrapped(f"To the player: {player_words(report)}", width)
    return "\n".join(out) + "\n"


def _said(f: dict[str, Any]) -> str:
    return f["text"] + (f" Likely cause: {CAUSE_WORDS[f['cause']]}." if f["cause"] in CAUSE_WORDS else "")


def _wrapped(text: str, width: int) -> list[str]:
    return textwrap.wrap(text, width, subsequent_indent="  ")


def rest_lines(r: dict[str, Any], confidence: float) -> list[str]:
    """Why a finding is said: the amount, its bound, the threshold and the setting that moves it."""
    side, bound = ("below", "at most") if r["below"] else ("beyond", "at least")
    lines = [
        (
            f"measured: {r['measured']:g} {r['unit']}; with this take's own spread ({r['spread']:g}) "
            f"{bound} {r['bound']:g}"
        ),
        (
            f"threshold: {r['threshold']:g} {r['unit']} (setting {r['setting']}); said surely only when "
            f"the bound is {side} it"
        ),
    ]
    if not is_sure(confidence):
        lines.append("the bound is not: listen here")
    return lines


def explain_text(report: dict[str, Any], finding: dict[str, Any]) -> str:
    """The numbers a finding rests on, one a line."""
    out = [
        finding["text"],
        f"  kind: {finding['kind']} ({finding['facet']})",
        f"  confidence: {finding['confidence']} ({sureness(finding['confidence'])})",
        f"  heard from {finding['at_s']:.2f} to {finding['until_s']:.2f} s",
        f"  severity: {finding['severity']}",
    ]
    out += [
        f"  {k.replace('_', ' ')}: {v}"
        for k, v in finding["detail"].items()
        if v not in ("", None) and k != "rests_on"
    ]
    if finding["detail"].get("rests_on"):
        out += [f"  {line}" for line in rest_lines(finding["detail"]["rests_on"], finding["confidence"])]
    if finding["cause"]:
        out.append(f"  likely cause: {CAUSE_WORDS.get(finding['cause'], finding['cause'])}")
    by_id = {n["id"]: n for n in report["notes"]}
    for note_id in finding["notes"]:
        n = by_id.get(note_id)
        if n is None:
            continue
        heard, timing = n["heard"], n["timing"]
        text = f"  bar {n['bar']}, {n['offset_q']:g} quarters in: written {n['written']}"
        if heard:
            text += f"; sounded {heard['on_s']:.3f} to {heard['off_s']:.3f} s"
            text += (
                f", pitch {heard['midi']:.2f} ({heard['cents']:+.0f} cents from the written)"
                if heard["midi"] is not None
                else ""
            )
            text += f", {heard['level_db']:.0f} dB"
        if timing:
            text += (
                f"; expected at {timing['expected_s']:.3f} s, {timing['deviation_beats']:+.2f} beats, "
                f"length {timing['length_ratio']:.2f} of the written"
            )
        out.append(text)
    return "\n".join(out) + "\n"
