"""What a list shows of a take, as it stands: marks by facet, how much is sure and how much is to be listened to, the mark, the need for an ear."""

from __future__ import annotations

from typing import Any

from jeweller.judge.finding import SURE, UNMARKED
from jeweller.ledger.acts import Standing
from jeweller.mark.scheme import Scheme
from jeweller.report.decided import remarked, rows_of

UNSURE_NEED, SURE_NEED = 0.5, 1.0  # how much a finding asks for an ear, times its severity
UNFOLLOWED_NEED = 100.0  # a recording that does not follow its part comes first


def summarise(report: dict[str, Any], now: Standing, scheme: Scheme) -> dict[str, Any]:
    """The summary of one take; JSON values only."""
    rows = rows_of(report, now.decisions)
    standing = [r.finding for r in rows if r.stands]
    if not report["followed"]:
        return {"followed": False, "facets": {}, "sure": 0, "unsure": 0, "open": 0, "mark": None, "band": "", "typed": now.mark, "state": now.state,
                "need": UNFOLLOWED_NEED, "bpm": None, "comments": len(now.comments)}  # fmt: skip
    after = remarked(report, standing, scheme)
    waiting = [r for r in rows if r.state == "open" and r.finding.kind not in UNMARKED]
    need = sum(r.finding.severity * (SURE_NEED if r.finding.confidence >= SURE else UNSURE_NEED) for r in waiting)
    return {
        "followed": True, "facets": {f: v["mark"] for f, v in after["facets"].items()},
        "sure": sum(f.confidence >= SURE and f.kind not in UNMARKED for f in standing), "unsure": sum(f.confidence < SURE for f in standing),
        "open": len(waiting), "mark": after["mark"]["value"], "out_of": after["mark"]["out_of"], "band": after["mark"]["band"], "typed": now.mark,
        "state": now.state, "need": round(need, 3), "bpm": report["tempo"]["played_bpm"], "comments": len(now.comments),
    }  # fmt: skip
