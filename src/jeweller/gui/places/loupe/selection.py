"""What is chosen under the loupe, and which stretch of the take it means; no widget."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from jeweller.decisions.standing import FindingState
from jeweller.report_format import ReportFinding

if TYPE_CHECKING:
    from jeweller.pipeline.review import Review

LEAD_BEATS = 2.0  # playing begins so many beats before the chosen place
TAIL_BEATS = 4.0  # of both together, unless looped, so many beats behind it
NEAR_S = 0.05  # a place in the sound so near to a finding is meant for it
LONGEST_S = 8.0  # a finding over longer than that is not chosen by a place in the sound


class Selection:
    """What is chosen in a `Review`: a finding's key or a note's id, a stretch that was dragged in the sound
    (`span`, seconds in the take), or a place in it (`play_from`).
    """

    def __init__(self) -> None:
        self.review: Review | None = None
        self.chosen: str | None = None
        self.span: tuple[float, float] | None = None
        self.play_from: float | None = None

    def open(self, review: Review) -> None:
        """A new review: its first finding is chosen."""
        self.review = review
        self.choose(next((s.key for s in review.shown if s.number == 1), None))

    def close(self) -> None:
        """No review, nothing chosen."""
        self.review = None
        self.choose(None)

    def choose(self, key: str | None) -> None:
        """Another choice; what was dragged in the sound is forgotten."""
        self.chosen = key
        self.play_from = self.span = None

    @property
    def finding(self) -> ReportFinding | None:
        if self.review is None or self.chosen is None:
            return None
        return next((s.finding for s in self.review.shown if s.key == self.chosen), None)

    @property
    def note_id(self) -> str | None:
        """The chosen note, or the first note of the chosen finding."""
        if self.review is None or self.chosen is None:
            return None
        finding = self.finding
        if finding is None:
            return self.chosen if any(n["id"] == self.chosen for n in self.review.report["notes"]) else None
        if finding["notes"]:
            return str(finding["notes"][0])
        note = self.review.note_at(finding["at_s"])
        return str(note["id"]) if note is not None else None

    def seconds(self) -> tuple[float, float] | None:
        """From where to where in the take what is chosen sounds."""
        finding = self.finding
        if finding is not None and self.review is not None:
            return self.review.places(finding)[0]
        note_id = self.note_id
        if note_id is None or self.review is None:
            return None
        note = next(n for n in self.review.report["notes"] if n["id"] == note_id)
        if note["heard"] is None:
            at = self.review.time_of(note_id)
            return at, at + 0.1
        return float(note["heard"]["on_s"]), float(note["heard"]["off_s"])

    def key_at(self, seconds: float) -> str | None:
        """The finding that stands at a place in the sound, else the note that sounds there."""
        if self.review is None:
            return None
        for shown in self.review.shown:
            if shown.state != FindingState.DISMISSED and any(
                a - NEAR_S <= seconds <= b + NEAR_S and b - a < LONGEST_S
                for a, b in self.review.places(shown.finding)
            ):
                return shown.key
        note = self.review.note_at(seconds)
        return note["id"] if note is not None else None

    def next_finding(self, keys: Sequence[str], step: int) -> str | None:
        """The key `step` findings on from the chosen one, round and round."""
        if not keys:
            return None
        at = keys.index(self.chosen) if self.chosen in keys else (-1 if step > 0 else len(keys))
        return keys[(at + step) % len(keys)]

    def next_open(self) -> str | None:
        """The next finding that was not decided yet, round and round; None where there is no other."""
        if self.review is None:
            return None
        shown = self.review.shown
        at = next((k for k, s in enumerate(shown) if s.key == self.chosen), -1)
        rest = [*shown[at + 1 :], *shown[: max(at, 0)]]
        return next((s.key for s in rest if s.state == FindingState.OPEN), None)

    def next_note(self, step: int) -> str | None:
        """The id of the note `step` notes on from the chosen one, as far as there are any."""
        if self.review is None:
            return None
        ids = [n["id"] for n in self.review.report["notes"] if not n["grace"]]
        current = self.note_id
        at = ids.index(current) if current in ids else (-1 if step > 0 else len(ids))
        return ids[min(max(at + step, 0), len(ids) - 1)]

    def stretch(self, loop: bool, both: bool = False) -> tuple[float, float] | None:
        """Seconds in the take that are played now; `both`: the take and then the model, so not all of it."""
        if self.review is None:
            return None
        if self.span is not None:
            return self.span
        note_id = self.note_id
        if loop and note_id is not None:
            return self.review.bar_span(note_id)
        total = self.review.checked.recording.duration
        if self.play_from is not None:
            return self.play_from, total
        place, beat = self.seconds(), self.review.beat_seconds()
        if place is None:
            start, end = 0.0, total
        else:
            start, end = max(0.0, place[0] - LEAD_BEATS * beat), total
        if both and not loop:
            end = min(end, (place or (start, end))[1] + TAIL_BEATS * beat)
        return start, end

    def quarters(self, seconds: float) -> float | None:
        """Where in the part, in quarters from its beginning, a time of the take lies."""
        import numpy as np

        points = self.review.score_clock() if self.review is not None else []
        if not points or seconds < points[0][0] - 0.5:
            return None
        return float(np.interp(seconds, [p[0] for p in points], [p[1] for p in points]))

    @property
    def written_spq(self) -> float | None:
        """Seconds a quarter takes at the printed speed."""
        bpm = self.review.checked.line.written_bpm if self.review is not None else None
        return 60.0 / bpm if bpm else None
