"""Pairs of score, take and part that were open before, newest first, in the settings."""

from __future__ import annotations

import json
from pathlib import Path

from PySide6.QtCore import QSettings

from jeweller.gui.services.kept import kept_json
from jeweller.i18n import _

KEPT = 8
Pair = tuple[str, str, str]


def recent_pairs(settings: QSettings) -> list[Pair]:
    """(score, take, part) of those whose files are still there."""
    try:
        pairs = [(str(s), str(t), str(p)) for s, t, p in kept_json(settings, "recent", [])]
    except (ValueError, TypeError):
        return []
    return [p for p in pairs if Path(p[0]).exists() and Path(p[1]).exists()]


def recent_label(pair: Pair) -> str:
    """What a pair is called where one chooses among them."""
    score, take, part = pair
    return f"{Path(take).name} · {part or _('part')} · {Path(score).stem}"


def remember_pair(settings: QSettings, pair: Pair) -> None:
    pairs = [pair, *(p for p in recent_pairs(settings) if p[:2] != pair[:2])][:KEPT]
    settings.setValue("recent", json.dumps(pairs))
