#!/usr/bin/env python3
"""Every sentence the program can say, on one page to be read: what is said about each kind of finding, for
each way an instrument is played, once and several times; then all other messages, by the file they are in.

    .venv/bin/python tools/all_sentences.py sentences.html [--language de]
"""

from __future__ import annotations

import argparse
import html
import itertools
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from update_catalogues import SOURCE, extract

from jeweller.assessment.finding import Finding
from jeweller.assessment.messages import CAUSE_WORDS, WRITERS, cause_words, kind_name, texts_of
from jeweller.i18n import LANGUAGES, _, in_language

HANDS = ("slide", "valves", "flute", "recorder", "reed", "mallets", "sticks")
# What a finding of a kind may hold: every combination is said.
DETAILS: dict[str, dict[str, tuple[Any, ...]]] = {
    "missed_accidental": {"source": ("key_signature", "printed", "carried", "")},
    "wrong_octave": {"semitones": (12, -12, -24)},
    "wrong_partial": {"fingering": ("", "1-2")},
    "early": {"written": ("", "D5")},
    "late": {"written": ("", "D5")},
    "uneven": {"long_first": (True, False)},
    "dot_lost": {"ratio": (1.0, 2.0)},
    "dot_overdone": {"ratio": (5.0,)},
    "rushing": {"scope": ("", "figure")},
    "dragging": {"scope": ("", "figure")},
    "off_click": {"beats": (0.25, -0.25)},
    "tuned_high": {"move": ("tuning slide", "reed", "bocal")},
    "tuned_low": {"cents": (-14,), "move": ("tuning slide", "reed", "bocal")},
    "out_of_tune": {"cents": (32, -32)},
    "wrong_transposition": {"semitones": (2, -7)},
    "grace_slipped": {"how": ("after", "long", "pitch", "")},
    "trill_thin": {"turns": (1, 2)},
    "trill_start": {"first": ("upper", "main")},
    "ornament_wrong": {"how": ("plain", "round")},
    "fuzzy": {"scope": ("", "throughout")},
    "extra_note": {"heard": ("E5",)},
}
CAUSES = {
    "missed_accidental": ("previous_key",),
    "wrong_note": ("neighbour_slide_position",),
    "wrong_octave": ("register_lost",),
    "extra_note": ("fingers_not_together",),
    "rest_short": ("rests_not_counted",),
    "cut_short": ("air",),
    "beat_dropped": ("long_notes_short",),
    "rushing": ("runs_squeezed",),
}
USUAL: dict[str, Any] = {
    "letter": "B♭",
    "heard_letter": "B",
    "written": "B♭4",
    "heard": "B4",
    "semitones": 1,
    "source": "",
    "from": "5",
    "to": "6",
    "slide": "out",
    "position": 3,
    "beats": 0.5,
    "written_beats": 2.0,
    "heard_beats": 1.0,
    "over_beats": 1.0,
    "notes": 4,
    "percent": 18,
    "from_bpm": 82,
    "to_bpm": 109,
    "played": 4,
    "asked": 3,
    "cents": 14,
    "move": "tuning slide",
    "ratio": 1.0,
    "turns": 1,
    "fingering": "1",
}


def said() -> Iterator[tuple[str, str, str]]:
    """(kind and cause, sentence, advice), each once."""
    seen = set()
    for kind in WRITERS:
        options = DETAILS.get(kind, {})
        for hands, count, cause in itertools.product(HANDS, (1, 3), (None, *CAUSES.get(kind, ()))):
            for values in itertools.product(*options.values()):
                detail = {
                    **USUAL,
                    **dict(zip(options, values, strict=True)),
                    "hands": hands,
                    "of": 4 if count > 1 else 1,
                }
                finding = Finding(
                    kind=kind,
                    bar="3",
                    passing=1,
                    beat=2.5,
                    at_s=0.0,
                    until_s=0.0,
                    notes=(),
                    score_ids=(),
                    confidence=0.9,
                    severity=0.5,
                    count=count,
                    places=("3", "5", "8") if count > 1 else (),
                    detail=detail,
                    cause=cause,
                )
                text, advice = texts_of(finding)
                if (text, advice) not in seen:
                    seen.add((text, advice))
                    yield f"{kind_name(kind)}{' · ' + cause_words(cause) if cause else ''}", text, advice


def page() -> str:
    rows = [
        f"<tr><td>{html.escape(a)}</td><td>{html.escape(b)}</td><td>{html.escape(c)}</td></tr>"
        for a, b, c in said()
    ]
    rows += [f"<tr><td>cause</td><td>{html.escape(cause_words(c))}</td><td></td></tr>" for c in CAUSE_WORDS]
    others: dict[str, list[str]] = {}
    for message in extract():
        if message.id:
            first = message.id if isinstance(message.id, str) else message.id[0]
            name = str(Path(message.locations[0][0]))
            others.setdefault(name, []).append(_(first))
    for name, sentences in others.items():
        rows.append(f"<tr><th colspan=3>{html.escape(name)}</th></tr>")
        rows += [f"<tr><td></td><td colspan=2>{html.escape(s)}</td></tr>" for s in sentences]
    return (
        "<!DOCTYPE html><meta charset=utf-8><title>Sentences</title><style>body{font:11pt/1.4 sans-serif}"
        "td,th{text-align:left;vertical-align:top;padding:2pt 8pt}</style>"
        f"<p>{len(rows)} rows, from {html.escape(SOURCE.name)}</p><table>{''.join(rows)}</table>"
    )


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("target")
    parser.add_argument("--language", default="en", choices=LANGUAGES)
    options = parser.parse_args()
    with in_language(options.language):
        Path(options.target).write_text(page(), encoding="utf-8")
