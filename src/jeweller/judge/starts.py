"""How notes begin: attacks that catch another partial, or squeak, before the note speaks."""

from __future__ import annotations

import math

from jeweller.follow.result import Event
from jeweller.follow.starts import SQUEAKS, Start
from jeweller.judge.case import Case
from jeweller.judge.finding import Finding
from jeweller.judge.pitches import wrong_pitch
from jeweller.score.pitch import spell

PARTIALS = (*SQUEAKS, 5.0, -5.0)  # semitones to what a crack catches on brass
WHOLE = 0.8  # of the note: what sounds so long is the note
LONGEST_CRACK_S = 0.24  # longer is a note of its own, if it is near
BLIP_CLEAR, BLIP_HELD_S, BLIP_GAIN = 0.85, 0.055, 2.0  # periodicity, seconds the spectrum needs it, what it explains: 20 of 20 planted, 0 of 133 others
NEAR_LAST = 5.0  # semitones to the note before: fingers on their way
NEAR_STEPS = 8.5  # semitones: what fingers may let slip in between
IN_TIME_S = 0.035  # the note came in time, and the sound before it did not, if by so much
HELD_S = 0.045  # from here a tone in the start of a note is a crack
USUAL_GAIN = 0.8  # what it usually explains
SURE_GAIN = 1.2  # and what a sound between two notes explains, heard by the spectrum alone
LEAST_GAIN, UNSEEN = 0.2, 0.8  # log odds lost by what the pitch line hears and the spectrum does not need
LIKE_OTHERS, ALIKE_GAIN = 0.8, 0.5  # log odds lost for every other note that begins with the same tone, about as strong
NOT_PARTIAL = 2.5  # log odds lost by a pitch that is none of them


def judge_starts(case: Case, starts: list[Start], shift: int) -> list[Finding]:
    """`shift`: semitones by which the whole take was transposed, taken out of the case but not of the starts."""
    found = []
    for s in starts:
        event = case.event(s.index)
        if event is None:
            continue
        apart = s.midi - shift - event.midi
        brass = case.instrument.family == "brass"
        partial = min(abs(apart - p) for p in (PARTIALS if brass else SQUEAKS)) < 0.5
        if brass and abs(apart) > 2.5 and abs(apart - round(apart)) < 0.4:
            partial = partial or bool(case.instrument.same_fingering(case.notes[s.index].sounding_midi, case.notes[s.index].sounding_midi + round(apart)))
        aside = not partial and _near_the_last(case, s, shift)
        if aside or (abs(apart) < NEAR_STEPS and (not partial or s.length_s > LONGEST_CRACK_S or _between(case, s))):
            found += _blip(case, s, event, apart)  # a neighbouring note is fingers, not the attack
            continue
        if partial and s.length_s > WHOLE * (event.off_s - s.on_s):
            found.append(wrong_pitch(case, s.index, event, round(s.midi) - shift, 1.0 / (1.0 + math.exp(-_odds_by_pitch(s)))))
            continue
        odds = max(_odds_by_pitch(s), _odds_by_spectrum(s)) - (0.0 if partial else NOT_PARTIAL)
        if s.index in case.graced:
            odds -= 1.5  # a grace note that slipped looks alike
        odds -= LIKE_OTHERS * min(_alike(s, starts), 3)
        confidence = 1.0 / (1.0 + math.exp(-odds))
        note = case.notes[s.index]
        bar, passing, beat = case.where(s.index)
        fifths = case.following.line.bars[note.bar_index].bar.fifths
        caught = spell(round(s.midi - shift - case.offset_cents / 100) - case.following.line.part.chromatic, fifths)
        found.append(Finding("cracked", bar, passing, beat, s.on_s, event.off_s, (note.id,), (note.score_id,), confidence, 0.35, cause="air",
                             detail={"written": note.written.pitch.name if note.written.pitch else "", "heard": caught.name, "semitones": round(apart),
                                     "milliseconds": round(1000 * s.length_s)}))  # fmt: skip
    return found


def _near_the_last(case: Case, s: Start, shift: int) -> bool:
    """Whether the sound lies near the note before."""
    before = next((e for k in range(s.index - 1, -1, -1) if (e := case.event(k)) is not None), None)
    return before is not None and abs(s.midi - shift - before.midi) < NEAR_LAST


def _alike(s: Start, starts: list[Start]) -> int:
    """How many other notes begin with the same tone: then it is how this instrument speaks."""
    return sum(o is not s and abs(o.midi - s.midi) < 0.7 and o.gain >= ALIKE_GAIN * s.gain and o.length_s >= 0.6 * s.length_s for o in starts)


def _between(case: Case, s: Start) -> bool:
    """Whether the note came in time and the sound lay before it: then it stands between two notes."""
    expected = case.expected.get(s.index)
    return expected is not None and abs(s.off_s - expected) < abs(s.on_s - expected) - IN_TIME_S


def _odds_by_pitch(s: Start) -> float:
    """Log odds of a crack by the pitch line: it is long enough, clear, has an attack, and is not soft."""
    odds = 0.3 + _clip((s.length_s - 0.04) / 0.03, -1.5, 1.5) + _clip((s.clarity - 0.94) / 0.03, -2.0, 1.0)
    return odds + 0.8 * _clip((s.attack - 0.2) / 0.2, -1.0, 1.0) - max(0.0, s.below_db - 5.0) / 3.0 - (UNSEEN if s.gain < LEAST_GAIN else 0.0)


def _odds_by_spectrum(s: Start) -> float:
    """Log odds of a crack by the spectrum: it needs another partial for long enough, nothing else explains it, and then the note speaks."""
    if s.gain <= 0.0:
        return -9.0
    odds = _clip((s.held_s - HELD_S) / 0.006, -2.5, 2.5) + 0.6 * _clip(math.log(s.gain / USUAL_GAIN), -1.5, 1.5) + 3.0 * (s.part - 0.45)
    return odds - (1.5 if s.edge and s.clarity == 0.0 else 0.0) - max(0.0, 0.6 - s.after) / 0.2


def _blip(case: Case, s: Start, event: Event, apart: float) -> list[Finding]:
    """A short sound between two notes, neither of them: fingers that did not move together. A tone that wavers is no other note."""
    if abs(apart) < 0.7 + event.spread or s.index in case.graced:
        return []
    if s.clarity > BLIP_CLEAR and s.held_s >= BLIP_HELD_S:  # heard by the pitch line, and needed by the spectrum
        odds = 1.0 + _clip((s.held_s - BLIP_HELD_S) / 0.01, -2.0, 1.5) + 0.8 * _clip(math.log(s.gain / BLIP_GAIN), -1.5, 1.5)
        return [_said(case, s, apart, odds)]
    if s.length_s < 0.05:
        return []
    odds = -0.2 + _clip((s.length_s - 0.06) / 0.03, -1.0, 1.0) + _clip((s.clarity - 0.96) / 0.03, -2.0, 1.0)
    odds += _clip((s.attack - 0.4) / 0.3, -1.0, 1.0) - max(0.0, s.below_db - 5.0) / 3.0 - 3.0 * max(0.0, s.spread - 0.15) / 0.15
    if not s.edge:
        odds = max(odds, _odds_by_spectrum(s) - 0.5 - (2.0 if s.gain < SURE_GAIN else 0.0))
    return [_said(case, s, apart, odds)]


def _said(case: Case, s: Start, apart: float, odds: float) -> Finding:
    note = case.notes[s.index]
    bar, passing, beat = case.where(s.index)
    fifths = case.following.line.bars[note.bar_index].bar.fifths
    heard = spell(note.sounding_midi + round(apart) - case.following.line.part.chromatic, fifths)
    return Finding("extra_note", bar, passing, beat, s.on_s, s.off_s, (), (note.score_id,), 1.0 / (1.0 + math.exp(-odds)), 0.4, cause="fingers_not_together",
                    detail={"heard": heard.name, "heard_letter": heard.letter, "after": "", "milliseconds": round(1000 * s.length_s)})  # fmt: skip


def _clip(value: float, low: float, high: float) -> float:
    return max(low, min(high, value))
