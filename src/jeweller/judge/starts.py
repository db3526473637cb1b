"""How notes begin: attacks that catch another partial, or squeak, before the note speaks."""

from __future__ import annotations

import math

from jeweller.follow.result import Event
from jeweller.follow.starts import Start
from jeweller.judge.case import Case
from jeweller.judge.finding import Finding
from jeweller.score.pitch import spell

PARTIALS = (7.0, 12.0, 19.0, 24.0, 28.0)  # semitones to the partials that a crack catches on any wind
NOT_PARTIAL = 2.5  # log odds lost by a pitch that is none of them


def judge_starts(case: Case, starts: list[Start], shift: int) -> list[Finding]:
    """`shift`: semitones by which the whole take was transposed, taken out of the case but not of the starts."""
    found = []
    for s in starts:
        event = case.event(s.index)
        if event is None:
            continue
        apart = s.midi - shift - event.midi
        partial = min(abs(apart - p) for p in PARTIALS) < 0.5
        if case.instrument.family == "brass" and abs(apart) > 2.5 and abs(apart - round(apart)) < 0.4:
            partial = partial or bool(case.instrument.same_fingering(case.notes[s.index].sounding_midi, case.notes[s.index].sounding_midi + round(apart)))
        if not partial and abs(apart) < 6.5:
            found += _blip(case, s, event, apart)  # a neighbouring note is fingers, not the attack
            continue
        odds = 0.3 + _clip((s.length_s - 0.04) / 0.03, -1.5, 1.5) + _clip((s.clarity - 0.94) / 0.03, -2.0, 1.0)
        odds += 0.8 * _clip((s.attack - 0.2) / 0.2, -1.0, 1.0) - max(0.0, s.below_db - 5.0) / 3.0 - (0.0 if partial else NOT_PARTIAL)
        if s.index in case.graced:
            odds -= 1.5  # a grace note that slipped looks alike
        confidence = 1.0 / (1.0 + math.exp(-odds))
        note = case.notes[s.index]
        bar, passing, beat = case.where(s.index)
        fifths = case.following.line.bars[note.bar_index].bar.fifths
        caught = spell(round(s.midi - shift - case.offset_cents / 100) - case.following.line.part.chromatic, fifths)
        found.append(Finding("cracked", bar, passing, beat, s.on_s, event.off_s, (note.id,), (note.score_id,), confidence, 0.35, cause="air",
                             detail={"written": note.written.pitch.name if note.written.pitch else "", "heard": caught.name, "semitones": round(apart),
                                     "milliseconds": round(1000 * s.length_s)}))  # fmt: skip
    return found


def _blip(case: Case, s: Start, event: Event, apart: float) -> list[Finding]:
    """A short sound between two notes, neither of them: fingers that did not move together."""
    if abs(apart) < 0.7 or s.length_s < 0.05 or s.index in case.graced:
        return []
    odds = -0.2 + _clip((s.length_s - 0.06) / 0.03, -1.0, 1.0) + _clip((s.clarity - 0.96) / 0.03, -2.0, 1.0)
    odds += _clip((s.attack - 0.4) / 0.3, -1.0, 1.0) - max(0.0, s.below_db - 5.0) / 3.0 - 3.0 * max(0.0, s.spread - 0.15) / 0.15
    note = case.notes[s.index]
    bar, passing, beat = case.where(s.index)
    fifths = case.following.line.bars[note.bar_index].bar.fifths
    heard = spell(note.sounding_midi + round(apart) - case.following.line.part.chromatic, fifths)
    return [Finding("extra_note", bar, passing, beat, s.on_s, s.off_s, (), (note.score_id,), 1.0 / (1.0 + math.exp(-odds)), 0.4, cause="fingers_not_together",
                    detail={"heard": heard.name, "heard_letter": heard.letter, "after": "", "milliseconds": round(1000 * s.length_s)})]  # fmt: skip


def _clip(value: float, low: float, high: float) -> float:
    return max(low, min(high, value))
