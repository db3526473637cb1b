"""A check in plain words: the summary the command line prints, and the numbers a finding rests on."""

from __future__ import annotations

import textwrap

from jeweller.assessment.finding import is_sure
from jeweller.assessment.messages import FACET_NAMES, cause_words
from jeweller.i18n import N_, _
from jeweller.phrases import capitalized, note_name
from jeweller.report.advice import choose_faults, choose_tuning, plan_practice, praise
from jeweller.report.heard import heard_of, heard_sentence
from jeweller.report_format import ReportFinding, RestsOn, TakeReport

SHOWN_FIRST = 3


# What of a finding's detail is said in sentences of its own, or only chooses words.
TOLD_ELSEWHERE = frozenset(("rests_on", "rivals", "hands", "fingers_written", "fingers_heard"))


def sureness(confidence: float) -> str:
    return (
        _("sure")
        if confidence >= 0.8
        else _("fairly sure")
        if is_sure(confidence)
        else _("listen here, {confidence:.1f}").format(confidence=confidence)
    )


def good_sentence(report: TakeReport) -> str:
    """What was good, as one sentence; empty where nothing was asked."""
    things = [g["what"] for g in report["good"]]
    if not things:
        return ""
    text = "; ".join(things)
    return text[0].upper() + text[1:] + "."


def attempts_sentence(report: TakeReport) -> str:
    """Of a take with several complete attempts, which is judged and how the others were; empty for one
    attempt.
    """
    tries = report.get("attempts", [])
    if not tries:
        return ""
    told = [
        (
            _("{start} to {end} with {n} to mend")
            if t["findings"]
            else _("{start} to {end} with nothing to mend")
        ).format(start=_clock(t["first_note_s"]), end=_clock(t["last_note_s"]), n=t["findings"])
        for t in tries
    ]
    number = next(k for k, t in enumerate(tries) if t["judged"])
    which = (
        _("the first")
        if number == 0
        else _("the second")
        if number == 1
        else _("number {number}").format(number=number + 1)
    )
    better = len({t["findings"] for t in tries}) > 1
    message = (
        _("{n} complete attempts: {attempts}. Judged is {which}, the better one.")
        if better
        else _("{n} complete attempts: {attempts}. Judged is {which}.")
    )
    return message.format(n=len(tries), attempts="; ".join(told), which=which)


def _clock(seconds: float) -> str:
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"


def player_words(report: TakeReport) -> str:
    """To the player: what to do first, a speed, minutes, and what to keep."""
    sure = choose_faults(report["findings"])
    lines = []
    if not sure:
        lines.append(praise(report))
    for f in sure[:2]:
        if f["advice"] not in lines:
            lines.append(f["advice"])
    plan = plan_practice(report, len(sure))
    if plan is not None:
        lines.append(plan.in_short())
    tuning = next(iter(choose_tuning(report["findings"])), None)
    if tuning:
        lines.append(tuning["advice"])
    if report["good"]:
        lines.append(_("Keep this: {what}.").format(what=report["good"][-1]["what"]))
    return " ".join(lines)


def summary_text(report: TakeReport, width: int = 100) -> str:
    """The page of a check as text."""
    s, t = report["score"], report["tempo"]
    out = [f"{s['title'] or _('Untitled')} · {s['part']} · {report['take']['file']}"]
    if not report["followed"]:
        return "\n".join([*out, _("The recording does not follow this part."), ""])
    beat = s["beat_unit_q"]
    asked = (
        _(" (written {written_bpm:g})").format(written_bpm=round(s["written_bpm"] / beat, 1))
        if s["written_bpm"]
        else ""
    )
    out.append(
        _("Tempo {played_bpm:.0f}{asked}. {band}: {value:g} of {out_of}.").format(
            played_bpm=(t["played_bpm"] or 0) / beat,
            asked=asked,
            band=capitalized(_(str(report["mark"]["band"]))),
            value=report["mark"]["value"],
            out_of=report["mark"]["out_of"],
        )
    )
    if heard_sentence(heard_of(report)):
        out.append(heard_sentence(heard_of(report)))
    if report.get("attempts"):
        out.append(attempts_sentence(report))
    if report["take"].get("helped"):
        out.append(_("Not played alone: a model or a backing part sounded with it."))
    sure = choose_faults(report["findings"])
    tuning = choose_tuning(report["findings"])
    unsure = [f for f in report["findings"] if not is_sure(f["confidence"])]
    for k, f in enumerate(sure[:SHOWN_FIRST], 1):
        out += _wrapped(f"{k} {_(FACET_NAMES[f['facet']])} · {_said(f)} ({sureness(f['confidence'])})", width)
    if len(sure) > SHOWN_FIRST:
        out.append(_("Further:"))
        for f in sure[SHOWN_FIRST:]:
            out += _wrapped(f"- {_said(f)}", width)
    if unsure:
        out.append(_("Listen here (not marked down):"))
        for f in unsure:
            out += _wrapped(f"- {f['text']} ({f['confidence']:.1f})", width)
    if not sure:
        out.append(_("No problems found."))
    for f in tuning:
        out += _wrapped(_("Tuning: {text} Not marked.").format(text=f["text"]), width)
    good = good_sentence(report)
    if good:
        out += _wrapped(_("Good: {good}").format(good=good), width)
    out += _wrapped(_("To the player: {player_words}").format(player_words=player_words(report)), width)
    return "\n".join(out) + "\n"


def _said(f: ReportFinding) -> str:
    return f["text"] + (
        _(" Likely cause: {cause}.").format(cause=cause_words(f["cause"])) if cause_words(f["cause"]) else ""
    )


def _wrapped(text: str, width: int) -> list[str]:
    return textwrap.wrap(text, width, subsequent_indent="  ")


STORIES = {
    "as_written": N_("{percent} % have the note as written"),
    "another_pitch": N_("{percent} % have another pitch in its place"),
    "silent": N_("{percent} % have silence in its place"),
    "left_out": N_("{percent} % leave it out with its time"),
}


def rival_lines(finding: ReportFinding) -> list[str]:
    """What else the note of a finding may have been, with how much speaks for it; none where nothing was
    weighed.
    """
    rivals = {r["story"]: r["share"] for r in finding["detail"].get("rivals", ())}
    told = [
        _(STORIES[story]).format(percent=round(100 * share))
        for story, share in sorted(rivals.items(), key=lambda pair: -pair[1])
        if story in STORIES and round(100 * share)
    ]
    lines = []
    if told:
        lines.append(
            _("Of the ways in which the music fits this sound, {told}.").format(told=", ".join(told))
        )
    elsewhere = round(100 * rivals.get("begins_elsewhere", 0.0))
    if elsewhere:
        lines.append(
            _("{percent} % begin it somewhere else than where it was heard.").format(percent=elsewhere)
        )
    return lines


def fingers_shown(finding: ReportFinding) -> str:
    """The usual fingering, or position, of what is written and of what was heard; "" where none is known.

    >>> finding = {"detail": {"written": "C3", "heard": "D3", "fingers_written": "6", "fingers_heard": "4"}}
    >>> fingers_shown(finding)
    'C3: 6 · D3: 4'
    """
    d = finding["detail"]
    pairs = ((d.get("written"), d.get("fingers_written")), (d.get("heard"), d.get("fingers_heard")))
    return " · ".join(f"{note_name(name)}: {fingers}" for name, fingers in pairs if name and fingers)


def rest_sentence(r: RestsOn) -> str:
    """What a finding rests on, in one sentence.

    >>> rest_sentence({"measured": 1.02, "bound": 0.968, "threshold": 0.6, "unit": "beats", "below": False,
    ...     "setting": "step_beats", "spread": 0.04})
    'Measured: 1.02 beats, at least 0.968; it is said from 0.6 on.'
    """
    values = {
        "measured": r["measured"],
        "unit": _(r["unit"]),
        "bound": r["bound"],
        "threshold": r["threshold"],
    }
    message = (
        N_("Measured: {measured:.3g} {unit}, at most {bound:.3g}; it is said from {threshold:.3g} down.")
        if r["below"]
        else N_("Measured: {measured:.3g} {unit}, at least {bound:.3g}; it is said from {threshold:.3g} on.")
    )
    return _(message).format(**values)


def rest_lines(r: RestsOn, confidence: float) -> list[str]:
    """Why a finding is said: the amount, its bound, the threshold and the setting that moves it."""
    side, bound = ("below", _("at most")) if r["below"] else ("beyond", _("at least"))
    lines = [
        (
            _(
                "measured: {measured:g} {unit}; with this take's own spread ({spread:g}) {bound} {bound2:g}"
            ).format(
                measured=r["measured"], unit=_(r["unit"]), spread=r["spread"], bound=bound, bound2=r["bound"]
            )
        ),
        (
            _(
                "threshold: {threshold:g} {unit} (setting {setting}); said surely only when the "
                "bound is {side} it"
            ).format(threshold=r["threshold"], unit=_(r["unit"]), setting=r["setting"], side=side)
        ),
    ]
    beyond = r["bound"] < r["threshold"] if r["below"] else r["bound"] > r["threshold"]
    if not is_sure(confidence):
        lines.append(
            _("it is, but how the notes around it were heard leaves a doubt: listen here")
            if beyond
            else _("the bound is not: listen here")
        )
    return lines


def explain_text(report: TakeReport, finding: ReportFinding) -> str:
    """The numbers a finding rests on, one a line."""
    out = [
        finding["text"],
        _("  kind: {kind} ({facet})").format(kind=finding["kind"], facet=finding["facet"]),
        _("  confidence: {confidence} ({sureness})").format(
            confidence=finding["confidence"], sureness=sureness(finding["confidence"])
        ),
        _("  heard from {at_s:.2f} to {until_s:.2f} s").format(
            at_s=finding["at_s"], until_s=finding["until_s"]
        ),
        _("  severity: {severity}").format(severity=finding["severity"]),
    ]
    out += [
        f"  {k.replace('_', ' ')}: {v}"
        for k, v in finding["detail"].items()
        if v not in ("", None) and k not in TOLD_ELSEWHERE
    ]
    if finding["detail"].get("rests_on"):
        out += [f"  {line}" for line in rest_lines(finding["detail"]["rests_on"], finding["confidence"])]
    out += [f"  {line}" for line in rival_lines(finding)]
    if finding["cause"]:
        out.append(
            _("  likely cause: {cause}").format(cause=cause_words(finding["cause"]) or finding["cause"])
        )
    by_id = {n["id"]: n for n in report["notes"]}
    for note_id in finding["notes"]:
        n = by_id.get(note_id)
        if n is None:
            continue
        heard, timing = n["heard"], n["timing"]
        text = _("  bar {bar}, {offset_q:g} quarters in: written {written}").format(
            bar=n["bar"], offset_q=n["offset_q"], written=n["written"]
        )
        if heard:
            text += _("; sounded {on_s:.3f} to {off_s:.3f} s").format(
                on_s=heard["on_s"], off_s=heard["off_s"]
            )
            text += (
                _(", pitch {midi:.2f} ({cents:+.0f} cents from the written)").format(
                    midi=heard["midi"], cents=heard["cents"]
                )
                if heard["midi"] is not None
                else ""
            )
            text += _(", {level_db:.0f} dB").format(level_db=heard["level_db"])
        if timing:
            text += _(
                "; expected at {expected_s:.3f} s, {deviation_beats:+.2f} beats, length "
                "{length_ratio:.2f} of the written"
            ).format(
                expected_s=timing["expected_s"],
                deviation_beats=timing["deviation_beats"],
                length_ratio=timing["length_ratio"],
            )
        out.append(text)
    return "\n".join(out) + "\n"
