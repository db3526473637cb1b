"""Counts what a report got right against the truth of a take: notes, faults, causes, confidences. Matching is
one to one, by kind and by bar or time.
"""

from __future__ import annotations

from typing import Any

import numpy as np

# What else a report may call a planted fault and still be right.
ACCEPT = {
    "wrong_note": {"wrong_octave", "wrong_partial"},
    "added_accidental": {"wrong_note"},
    "wrong_octave": {"wrong_partial"},
    "extra_note": {"restart"},
    "rest_short": {"beat_dropped"},
    "rest_long": {"beat_added", "hesitation"},
    "rest_filled": {"held_over"},
    "hesitation": {"beat_added"},
    "grace_slipped": {"grace_missed"},
    "trill_missed": {"trill_thin"},
}
SURE = 0.5
LISTEN_HERE = {"fuzzy"}  # always "listen here" by the report's contract: found where that is said


def matches(finding: dict[str, Any], fault: dict[str, Any]) -> bool:
    if finding["kind"] != fault["kind"] and finding["kind"] not in ACCEPT.get(fault["kind"], ()):
        return False
    return near(finding, fault)


def near(finding: dict[str, Any], fault: dict[str, Any]) -> bool:
    if str(finding["bar"]) == str(fault["bar"]) or str(fault["bar"]) in finding.get("places", ()):
        return True
    start, end = finding["at_s"], finding["until_s"] or finding["at_s"]
    return start is not None and start - 1.0 <= fault["until_s"] and fault["at_s"] - 1.0 <= end


def pair(findings: list[dict[str, Any]], faults: list[dict[str, Any]]) -> dict[int, int]:
    """Largest one-to-one matching: {index of fault: index of finding}."""
    owner: dict[int, int] = {}

    def seat(i: int, tried: set[int]) -> bool:
        for j, finding in enumerate(findings):
            if j not in tried and matches(finding, faults[i]):
                tried.add(j)
                if j not in owner or seat(owner[j], tried):
                    owner[j] = i
                    return True
        return False

    for i in range(len(faults)):
        seat(i, set())
    return {i: j for j, i in owner.items()}


def count(
    truth: dict[str, Any],
    report: dict[str, Any],
    kinds: frozenset[str] = frozenset(),
    leave: frozenset[str] = frozenset(),
    sure_from: float = SURE,
) -> dict[str, Any]:
    """The counts of one take. `kinds`: only these are judged (empty: all); `leave`: these are neither planted
    nor said.

    From the confidence `sure_from` on a finding counts as said surely.
    """
    waiting: dict[tuple[str, float], list[dict[str, Any]]] = {}
    for n in report["notes"]:
        if not n["grace"]:
            waiting.setdefault((n["bar"], round(n["offset_q"], 2)), []).append(n)
    out: dict[str, Any] = dict.fromkeys(
        (
            "notes",
            "agree",
            "tp",
            "fp",
            "fn",
            "faults",
            "hits",
            "findings",
            "clean_notes",
            "clean_false",
            "clean_unsure",
            "causes",
            "causes_right",
            "near",
            "near_false",
        ),
        0.0,
    )
    errors = []
    wrong_verdicts = []
    for t in truth["notes"]:
        place = waiting.get((str(t["bar"]), round(t["q"], 2)))
        got = place.pop(0) if place else {"verdict": None, "heard": None}
        bad, want = got["verdict"] in ("wrong", "missed"), t["verdict"] != "ok"
        out["notes"] += 1
        out["agree"] += got["verdict"] == t["verdict"]
        out["tp"] += bad and want
        out["fp"] += bad and not want
        out["fn"] += want and not bad
        if got["verdict"] != t["verdict"]:
            wrong_verdicts.append((t["bar"], t["q"], t["verdict"], got["verdict"]))
        if got["verdict"] == t["verdict"] == "ok" and got["heard"]:
            errors.append(got["heard"]["on_s"] - t["on_s"])
    judged = [f for f in report["findings"] if f["kind"] not in leave and (not kinds or f["kind"] in kinds)]
    faults = [f for f in truth["faults"] if f["kind"] not in leave and (not kinds or f["kind"] in kinds)]
    sure = [f for f in judged if f["confidence"] >= sure_from]
    pairs = pair(sure, faults)
    all_pairs = pair(judged, faults)
    listened = {
        i for i, f in enumerate(faults) if f["kind"] in LISTEN_HERE and i in all_pairs and i not in pairs
    }
    taken = set(pairs.values())
    left = [f for j, f in enumerate(sure) if j not in taken]
    out["faults"], out["hits"], out["findings"] = (
        len(faults),
        len(pairs) + len(listened),
        len(sure) + len(listened),
    )
    if not truth["faults"]:
        out["clean_notes"], out["clean_false"] = len(truth["notes"]), len(left)
        out["clean_unsure"] = len(judged) - len(sure)
    for i, j in pairs.items():
        said = sure[j]["cause"]
        if said is not None:
            out["causes"] += 1
            out["causes_right"] += said == faults[i].get("cause") or (
                faults[i].get("cause") is None and said in ALSO.get(faults[i]["kind"], ())
            )
    near_misses = truth.get("near", [])
    out["near"] = len(near_misses)
    out["near_false"] = sum(any(f["kind"] == n["kind"] and near(f, n) for f in left) for n in near_misses)
    out["kinds"] = {}
    for i, f in enumerate(faults):
        k = out["kinds"].setdefault(f["kind"], [0, 0, 0])
        k[1] += 1
        k[0] += i in pairs or i in listened
    for f in left:
        out["kinds"].setdefault(f["kind"], [0, 0, 0])[2] += 1
    out["missed"] = [f for i, f in enumerate(faults) if i not in pairs and i not in listened]
    out["false"] = left
    out["wrong_verdicts"] = wrong_verdicts
    # What a missed fault was called instead, if anything was said at its place.
    out["confusion"] = []
    for i, f in enumerate(faults):
        said = (
            sure[pairs[i]]["kind"]
            if i in pairs
            else next(
                (g["kind"] for g in left if near(g, f) and abs((g["at_s"] or 0) - f["at_s"]) < 3), "(nothing)"
            )
        )
        out["confusion"].append((f["kind"], said))
    hit = set(all_pairs.values())
    out["confidences"] = [(f["confidence"], j in hit) for j, f in enumerate(judged)]
    out["onset_errors"] = errors
    return out


# A cause the truth leaves open that the sound alone bears out.
ALSO = {
    "held_over": ("long_note_miscounted",),
    "beat_dropped": ("long_note_miscounted",),
    "rest_short": ("rest_miscounted",),
    "rest_long": ("rest_miscounted",),
    "cut_short": ("long_note_miscounted", "breath", "air"),
    "wrong_octave": ("register_key", "partial_same_fingering"),
}

FIGURES = {
    "verdict agrees with the truth": lambda t: t["agree"] / max(1, t["notes"]),
    "F1 on wrong and missed notes": lambda t: 2 * t["tp"] / max(1, 2 * t["tp"] + t["fp"] + t["fn"]),
    "false findings per 100 clean notes": lambda t: 100 * t["clean_false"] / max(1, t["clean_notes"]),
    "unsure findings per 100 clean notes": lambda t: 100 * t["clean_unsure"] / max(1, t["clean_notes"]),
    "planted faults found": lambda t: t["hits"] / max(1, t["faults"]),
    "findings that match a fault": lambda t: t["hits"] / max(1, t["findings"]),
    "right cause, where one is said": lambda t: t["causes_right"] / max(1, t["causes"]),
    "findings per planted fault": lambda t: t["findings"] / max(1, t["faults"]),
    "near misses that were reported": lambda t: t["near_false"] / max(1, t["near"]),
}


def total(rows: list[dict[str, Any]]) -> dict[str, float]:
    keys = [k for k, v in rows[0].items() if isinstance(v, (int, float))] if rows else []
    return {k: float(sum(r[k] for r in rows)) for k in keys}


def calibration(rows: list[dict[str, Any]]) -> dict[str, Any]:
    """Expected calibration error over ten bins, the filled bins, and the area under the curve of confidence
    against being right.
    """
    pairs = np.array([(c, h) for r in rows for c, h in r["confidences"]], float).reshape(-1, 2)
    if len(pairs) < 10 or pairs[:, 1].min() == pairs[:, 1].max():
        return {"error": None, "area": None, "bins": []}
    bins = []
    error = 0.0
    for k in range(10):
        inside = pairs[(pairs[:, 0] >= k / 10) & (pairs[:, 0] < (k + 1) / 10 + (k == 9))]
        if len(inside):
            bins.append(
                {
                    "from": k / 10,
                    "count": len(inside),
                    "said": round(float(inside[:, 0].mean()), 3),
                    "right": round(float(inside[:, 1].mean()), 3),
                }
            )
            error += len(inside) / len(pairs) * abs(float(inside[:, 0].mean() - inside[:, 1].mean()))
    order = np.argsort(pairs[:, 0], kind="stable")
    _, inverse, number = np.unique(pairs[order, 0], return_inverse=True, return_counts=True)
    ranks = (np.cumsum(number) - (number - 1) / 2)[inverse]
    good = pairs[order, 1] > 0
    area = (ranks[good].sum() - good.sum() * (good.sum() + 1) / 2) / (good.sum() * (~good).sum())
    return {"error": round(error, 4), "area": round(float(area), 4), "bins": bins}
