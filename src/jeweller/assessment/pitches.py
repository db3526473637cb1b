"""Notes and accidentals: for every written note what sounded instead, with the cause the evidence allows."""

from __future__ import annotations

import math
from fractions import Fraction

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding, bounded_confidence, rests_on
from jeweller.assessment.limits import PITCHES_LIMITS
from jeweller.assessment.octaves import OctaveJudge
from jeweller.features.robust import median
from jeweller.notation.model import Note
from jeweller.notation.performance import PerformedNote
from jeweller.notation.pitch import Pitch, in_key, key_alter, spell
from jeweller.notes.restarts import usual_level
from jeweller.notes.settings import DOUBTS, SAME_PITCH
from jeweller.notes.table import PlayedNote
from jeweller.report_format import FindingDetail, RestsOn


def assess_pitches(case: AssessmentContext) -> list[Finding]:
    """Findings of the facets notes and accidentals, habits not yet gathered."""
    found: list[Finding] = []
    f = case.table
    skipped = {i for jump in f.jumps if jump.target > jump.origin for i in range(jump.origin, jump.target)}
    octave = OctaveJudge(case)
    for i, note in enumerate(case.notes):
        if i < f.first or i > f.last or i in skipped:
            continue
        event = case.event(i)
        if event is None:
            found.append(_missed(case, i, 0.85))
            continue
        doubt = case.table.doubts[i]
        if doubt.not_sounded:
            if not doubt.written_sounded:
                found.append(_missed(case, i, doubt.not_sounded))
            continue
        apart = case.apart(i)
        # The notes of an ornament are not apart by what stands out of them.
        octaves = (
            octave.judge(i, event, apart)
            if note.written.ornament is None or abs(apart) > SAME_PITCH
            else None
        )
        if octaves is not None:
            amount, confidence = octaves
            low = amount in (-19, -24) and event.clarity < DOUBTS.blurred
            if amount == 0 or _unfolded(case, i, amount) == 0 or (low and doubt.written_sounded):
                continue
            found.append(
                wrong_pitch(case, i, event, note.sounding_midi + amount, confidence, octave.why.get(i))
            )
            continue
        if math.isnan(apart) or abs(apart) * 100 <= case.settings.wrong_cents:
            continue
        apart = _unfolded(case, i, apart)
        heard = note.sounding_midi + round(apart)
        if heard == note.sounding_midi or abs(apart) * 100 <= case.settings.wrong_cents:
            continue
        if doubt.after_grace_s >= DOUBTS.after_grace_s:
            found.append(_grace_held(case, i, event))
            continue
        blurred = event.clarity < DOUBTS.blurred or event.expected_clarity > DOUBTS.also_clear
        if blurred and doubt.written_sounded:
            continue
        found.append(wrong_pitch(case, i, event, heard, _pitch_confidence(case, event, apart)))
    found.extend(_extras(case))
    return found


def _unfolded(case: AssessmentContext, i: int, apart: float) -> float:
    """Semitones from the written pitch. What lies below the instrument is a tone heard at a multiple of its
    period.
    """
    if case.notes[i].sounding_midi + apart > case.instrument.low - 0.5:
        return apart
    return min((apart + d for d in (12, 19, 24)), key=abs)


def _grace_held(case: AssessmentContext, i: int, event: PlayedNote) -> Finding:
    note = case.notes[i]
    return case.finding(
        i,
        "grace_slipped",
        at_s=event.on_s,
        until_s=event.next_s,
        confidence=0.75,
        severity=0.4,
        detail={
            "written": note.written.pitch.name if note.written.pitch else "",
            "turns": 0,
            "how": "long",
            "first": "",
            "milliseconds": round(1000 * (event.off_s - event.on_s)),
        },
    )


def assess_attacks(case: AssessmentContext) -> list[Finding]:
    """For rhythm alone: notes without an attack, and attacks that are no notes."""
    f = case.table
    skipped = {i for jump in f.jumps if jump.target > jump.origin for i in range(jump.origin, jump.target)}
    found: list[Finding] = []
    for i in range(f.first, f.last + 1):
        event = case.event(i)
        if i not in skipped and (event is None or event.attack < PITCHES_LIMITS.attack):
            found.append(
                _missed(case, i, 0.8 if event is None or event.attack < 0.5 * PITCHES_LIMITS.attack else 0.45)
            )
    for k, event in enumerate(f.events):
        if event.index is None and event.attack > PITCHES_LIMITS.attack:
            i = min(event.before, len(case.notes) - 1)
            found.append(
                case.finding(
                    max(0, i - 1),
                    "extra_note",
                    at_s=event.on_s,
                    until_s=event.off_s,
                    notes=(),
                    score_ids=(case.notes[max(0, i - 1)].score_id,),
                    confidence=0.7 if event.attack > 2 * PITCHES_LIMITS.attack else 0.4,
                    severity=0.4,
                    extras=(k,),
                    detail={"heard": "a stroke", "heard_letter": ""},
                )
            )
    return found


def _pitch_confidence(case: AssessmentContext, event: PlayedNote, apart: float) -> float:
    """How sure another pitch sounded: clear, long enough, steady, and the written pitch not there."""
    length = event.off_s - event.on_s
    doubt = 0.0
    doubt += 1.2 * max(0.0, 0.85 - event.clarity) / 0.25
    doubt += 1.0 * max(0.0, 0.12 - length) / 0.06
    doubt += 1.0 * max(0.0, event.spread - 0.35) / 0.35
    doubt += 1.6 * max(0.0, event.expected_clarity - event.clarity + 0.10) / 0.10
    doubt += 0.8 * max(0.0, abs(apart - round(apart)) - 0.3) / 0.2
    return 1.0 / (1.0 + math.exp(-(3.0 - 2.0 * doubt)))


def _missed(case: AssessmentContext, i: int, confidence: float) -> Finding:
    note = case.notes[i]
    before = next((e for k in range(i - 1, -1, -1) if (e := case.event(k)) is not None), None)
    at = (
        before.on_s + float(note.onset - case.notes[before.index or 0].onset) * case.spq(i)
        if before is not None
        else 0.0
    )
    length = float(note.duration) * case.spq(i)
    if note.sounding_midi == case.notes[i - 1].sounding_midi and i and case.notes[i - 1].end == note.onset:
        # The same pitch again: it may only have been joined to the note before, the more if that sounds on
        # through its time.
        joined = (
            before is not None
            and before.index == i - 1
            and before.off_s > at + PITCHES_LIMITS.sounds_on * length
        )
        confidence = PITCHES_LIMITS.joined if joined else 0.75 * confidence
    return case.finding(
        i,
        "missed_note",
        at_s=at,
        until_s=at + length,
        confidence=confidence,
        severity=0.6,
        detail={"written": note.written.pitch.name if note.written.pitch else ""},
    )


def wrong_pitch(
    case: AssessmentContext,
    i: int,
    event: PlayedNote,
    heard: int,
    confidence: float,
    why: RestsOn | None = None,
) -> Finding:
    """Another pitch than written (`heard`, sounding MIDI), by what it is to the written one, with the cause
    the evidence allows.
    """
    note = case.notes[i]
    written = note.written.known_pitch
    fifths = case.table.line.bars[note.bar_index].bar.fifths
    heard_written = heard - case.table.line.part.chromatic
    apart = heard - note.sounding_midi
    kind, cause, source = "wrong_note", None, ""
    fingering = case.instrument.same_fingering(note.sounding_midi, heard)
    if apart % 12 == 0:
        kind = "wrong_octave"
        cause = (
            "partial_same_fingering"
            if fingering and case.instrument.family == "brass"
            else "register_key"
            if fingering
            else None
        )
    elif abs(apart) == 1:
        kind, source = accidental_kind(note.written, written, heard_written, fifths, case, i)
        cause = {
            "key_signature": "forgot_key_signature",
            "printed": "forgot_printed_accidental",
            "carried": "accidental_not_carried",
        }.get(source)
        if _earlier_key(case, note, heard_written, fifths):
            cause = "previous_key"
        elif cause is None and case.instrument.slide_place(note.sounding_midi, apart) is not None:
            cause = "neighbour_slide_position"  # no finger falls between two semitones
    elif fingering and abs(apart) > 2:
        kind = "wrong_partial"
        cause = "partial_same_fingering" if case.instrument.family == "brass" else "register_key"
    near = written if abs(apart) <= 1 and kind != "wrong_note" else None
    heard_pitch = spell(heard_written, fifths, near)
    return case.finding(
        i,
        kind,
        at_s=event.on_s,
        until_s=event.off_s,
        confidence=confidence,
        severity=0.7 if abs(apart) > 2 else 0.6,
        detail={
            "written": written.name,
            "heard": heard_pitch.name,
            "semitones": apart,
            "source": source,
            "letter": written.letter,
            "heard_letter": heard_pitch.letter,
            "fingering": fingering or "",
            **slide_detail(case, note.sounding_midi, case.apart(i) if abs(apart) <= 1 else math.nan),
            "signature": fifths,
            "rests_on": why
            or rests_on(
                "wrong_cents",
                100 * abs(case.apart(i)),
                case.settings.wrong_cents,
                100 * event.spread,
                "cents",
                sure_at=0.5,
            ),
            "clearness_heard": round(event.clarity, 2),
            "clearness_written": round(event.expected_clarity, 2),
        },
        cause=cause,
    )


def slide_detail(case: AssessmentContext, sounding_midi: int, apart: float) -> FindingDetail:
    """Which position a pitch has and which way the slide was off; nothing without a slide."""
    place = None if math.isnan(apart) else case.instrument.slide_place(sounding_midi, apart)
    return {} if place is None else {"position": place, "slide": "in" if apart > 0 else "out"}


def _earlier_key(case: AssessmentContext, note: PerformedNote, heard_written: int, fifths: int) -> bool:
    """Whether what sounded belongs to the key that the piece had before, and not to the one it has now."""
    keys = [b.bar.fifths for b in case.table.line.bars[: note.bar_index + 1]]
    before = next((k for k in reversed(keys) if k != fifths), None)
    return before is not None and in_key(heard_written, before) and not in_key(heard_written, fifths)


def accidental_kind(
    note: Note, written: Pitch, heard_written: int, fifths: int, case: AssessmentContext, i: int
) -> tuple[str, str]:
    """A semitone off: (kind, where the forgotten alteration comes from: key_signature, printed, carried or
    "").
    """
    from_key = key_alter(written.step, fifths)
    natural = heard_written - (written.midi - written.alter)  # what the player's letter was altered by
    if written.alter != 0 and natural == 0:
        return "missed_accidental", _source(note, written, from_key, case, i)
    if written.alter != from_key and natural == from_key:
        return "missed_accidental", _source(note, written, from_key, case, i)
    if not in_key(heard_written, fifths):
        return "added_accidental", ""
    return "wrong_note", ""


def _source(note: Note, written: Pitch, from_key: int, case: AssessmentContext, i: int) -> str:
    if note.accidental and not note.cautionary and written.alter != from_key:
        return "printed"
    if written.alter == from_key:
        return "printed" if note.accidental else "key_signature"
    return "carried"


def _clear_only_now(case: AssessmentContext, before: PlayedNote, event: PlayedNote) -> bool:
    """Whether a sound is the note before it, which was blurred at first and is heard clearly only now."""
    if (
        before.index is None
        or event.attack >= DOUBTS.held_attack
        or event.on_s - before.off_s >= DOUBTS.no_room_s
    ):
        return False
    meant = case.notes[before.index].sounding_midi
    return abs(before.midi - meant) > PITCHES_LIMITS.blurred_apart and abs(event.midi - meant) < 0.5


def _in_a_rest(case: AssessmentContext, i: int, event: PlayedNote) -> bool:
    """Whether a sound before main note i lies by itself in a written rest of a beat or more."""
    last, this = case.event(i - 1) if i else None, case.event(i)
    if last is None or this is None or case.rest_after[i - 1] is None:
        return False
    rest = float(case.notes[i].onset - case.notes[i - 1].end)
    return rest >= case.beat_q and event.on_s > last.off_s and event.off_s < this.on_s


def _of_an_ornament(case: AssessmentContext, i: int, event: PlayedNote) -> bool:
    """Whether a sound in the time of main note i is that note itself, heard again behind its ornament."""
    if i < 0 or not case.notes[i].written.ornament or case.event(i) is None:
        return False
    return abs(event.midi - case.notes[i].sounding_midi - case.offset_cents / 100) < SAME_PITCH


def _sounds_at(
    case: AssessmentContext, anchor: int, following: int, event: PlayedNote
) -> tuple[str, int, float]:
    """(bar, pass, beat) where a sound behind main note `anchor` lies by the beat of that note: no later than
    in the bar of the note that follows.
    """
    note, on, bars = case.notes[anchor], case.event(anchor), case.table.line.bars
    later = (event.on_s - on.on_s) / case.beat_s(anchor) * case.beat_q if on is not None else 0.0
    index, quarters = note.bar_index, float(note.offset) + later
    near = PITCHES_LIMITS.near_the_bar * case.beat_q
    while index < case.notes[following].bar_index and quarters > float(bars[index].length) - near:
        quarters -= float(bars[index].length)
        index += 1
    beat = case.table.line.beat_in_bar(index, Fraction(max(0.0, quarters)).limit_denominator(960))
    return bars[index].number, bars[index].passing, max(1.0, beat)


def _extras(case: AssessmentContext) -> list[Finding]:
    """Sounds that are not written: a note too many. Abandoned tries are told by `counting`."""
    found = []
    written = [e for e in case.table.events if e.index is not None]
    first_s, last_s = (written[0].on_s, written[-1].on_s) if written else (0.0, 0.0)
    for k, event in enumerate(case.table.events):
        if event.index is not None or math.isnan(event.midi):
            continue
        length = event.off_s - event.on_s
        if length < PITCHES_LIMITS.min_extra_s:
            continue
        i = min(event.before, len(case.notes) - 1)
        before = case.table.events[k - 1] if k else None
        if before is not None and _clear_only_now(case, before, event):
            continue
        if _of_an_ornament(case, i - 1, event):
            continue
        same = before is not None and abs(before.midi - event.midi) < SAME_PITCH
        doubt = 1.5 * max(0.0, 0.85 - event.clarity) / 0.2 + 1.2 * max(0.0, 0.11 - length) / 0.05
        doubt += 1.4 if same and event.attack < 0.5 else 0.0
        doubt += 1.0 * max(0.0, (case.table.loud_db - 16) - event.level_db) / 8
        # speech, the next room
        doubt += (
            max(0.0, event.spread - 0.25) / 0.2
            + max(0.0, usual_level(case.table.events, k) - event.level_db - 9.0) / 5.0
        )
        doubt += 2.5 if k == 0 else 0.0  # before the music: a sounded first note is not music
        confidence = 1.0 / (1.0 + math.exp(-(2.2 - 2.0 * doubt)))
        beside = not first_s < event.on_s < last_s or _in_a_rest(case, i, event)
        if beside:
            # Before and after the music, and in its rests, anybody may play, or talk: a place to listen to.
            confidence = min(confidence, PITCHES_LIMITS.beside_music)
        last = case.event(i - 1) if i else None
        anchor = i - 1 if i and last is not None and event.on_s < last.next_s + 0.05 else i
        bar, passing, beat = _sounds_at(case, anchor, i, event)
        note = case.notes[anchor]
        pitch = spell(
            round(event.midi - case.offset_cents / 100) - case.table.line.part.chromatic,
            case.table.line.bars[note.bar_index].bar.fifths,
        )
        cause = "fingers_not_together" if length < 0.12 and not same else None
        found.append(
            Finding(
                kind="extra_note",
                bar=bar,
                passing=passing,
                beat=beat,
                at_s=event.on_s,
                until_s=event.off_s,
                notes=(),
                score_ids=(note.score_id,),
                confidence=confidence,
                severity=0.4,
                extras=(k,),
                detail={
                    "heard": pitch.name,
                    "heard_letter": pitch.letter,
                    "after": note.written.pitch.name if note.written.pitch else "",
                },
                cause=cause,
                weighed=beside,
            )
        )
    return found


def assess_tuning(case: AssessmentContext, taken_out: int = 0) -> list[Finding]:
    """Single notes out of tune, and the take as a whole high or low (never marked). `taken_out`: semitones of
    the pitch reference already taken out.
    """
    found: list[Finding] = []
    s = case.settings
    deviations = [abs(case.apart(i)) * 100 for i in range(len(case.notes)) if abs(case.apart(i)) < SAME_PITCH]
    spread = max(1.4826 * median(deviations) if deviations else 10.0, 5.0)
    for i, note in enumerate(case.notes):
        event = case.event(i)
        apart = case.apart(i) * 100
        if (
            event is None
            or not s.tune_cents < abs(apart) <= s.wrong_cents
            or float(note.duration) < 0.5 * case.beat_q
        ):
            continue
        if note.written.ornament:
            continue  # its notes together have no one pitch
        error = max(spread, 100 * event.spread) * 0.8
        # A pitch that is so whenever it is played is the instrument's way, or the fingering's: said, but not
        # as sure.
        near = [
            k
            for k, n in enumerate(case.notes)
            if k != i and abs(n.sounding_midi - note.sounding_midi) <= 1 and abs(case.apart(k)) < SAME_PITCH
        ]
        others = [100 * case.apart(k) for k in near]
        usual = abs(apart - median(others)) < PITCHES_LIMITS.tendency_cents if len(others) >= 2 else False
        found.append(
            case.finding(
                i,
                "out_of_tune",
                notes=(note.id,),
                score_ids=(note.score_id,),
                confidence=bounded_confidence(abs(apart), s.tune_cents, error, sure_at=0.6)
                * (0.5 if usual else 1.0),
                severity=0.3,
                cause="neighbour_slide_position" if case.instrument.slide else None,
                detail={
                    **slide_detail(case, note.sounding_midi, case.apart(i)),
                    "cents": round(apart),
                    "written": note.written.pitch.name if note.written.pitch else "",
                    "letter": note.written.pitch.letter if note.written.pitch else "",
                    "rests_on": rests_on("tune_cents", abs(apart), s.tune_cents, error, "cents", sure_at=0.6),
                },
            )
        )
    offset = case.offset_cents + 100 * taken_out - 1200 * math.log2(s.pitch_reference / 440.0)
    sounded = [i for i in range(len(case.notes)) if case.event(i) is not None]
    if abs(offset) > s.tuned_cents and len(sounded) >= 6:
        i = sounded[0]
        first, last = case.sounded(sounded[0]), case.sounded(sounded[-1])
        found.append(
            case.finding(
                i,
                "tuned_high" if offset > 0 else "tuned_low",
                at_s=first.on_s,
                until_s=last.off_s,
                notes=(),
                score_ids=("whole",),
                confidence=bounded_confidence(
                    abs(offset), s.tuned_cents, spread / math.sqrt(len(sounded)) + 2
                ),
                severity=0.1,
                detail={
                    "cents": round(offset),
                    "move": case.instrument.tuning,
                    "rests_on": rests_on(
                        "tuned_cents",
                        abs(offset),
                        s.tuned_cents,
                        spread / math.sqrt(len(sounded)) + 2,
                        "cents",
                    ),
                },
            )
        )
    return found
