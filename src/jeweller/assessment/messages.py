"""What is said: a sentence for the teacher and one for the player, for each kind of finding. Facts first;
concrete, kind, short.

Both are made of what the finding holds (kind, place, count, cause, detail) and of nothing else, so that a
stored finding can be said again, in another language too.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from jeweller.assessment import note_sentences, time_sentences, tone_sentences
from jeweller.assessment.finding import Finding
from jeweller.assessment.sentence import Texts, describe_place
from jeweller.i18n import N_, SOURCE, _, chosen_language
from jeweller.phrases import capitalized
from jeweller.report_format import ReportFinding

CAUSE_WORDS = {
    "forgot_key_signature": N_("key signature forgotten"),
    "forgot_printed_accidental": N_("printed accidental overlooked"),
    "accidental_not_carried": N_("accidental not carried through the bar"),
    "previous_key": N_("carried over from another key"),
    "partial_same_fingering": N_("right fingering, wrong partial: lips and air, not fingers"),
    "register_key": N_("right fingers, wrong register"),
    "neighbour_fingering": N_("a neighbouring fingering"),
    "other_instrument_habit": N_("the fingering of another instrument this player knows"),
    "neighbour_slide_position": N_("a neighbouring slide position"),
    "fingers_not_together": N_("two fingers not moving together"),
    "air": N_("air"),
    "breath": N_("breath"),
    "rest_miscounted": N_("rest miscounted"),
    "long_note_miscounted": N_("long note miscounted"),
    "too_fast_for_now": N_("too fast for now"),
    "register_lost": N_("the register is lost from there up"),
    "long_notes_short": N_("long notes get a count too few"),
    "rests_not_counted": N_("rests are not counted"),
    "counts_in_another_metre": N_("counted in another metre"),
    "runs_squeezed": N_("runs hurry and wait for the beat"),
}
FACET_NAMES = {
    "notes": N_("Notes"),
    "accidentals": N_("Accidentals"),
    "count": N_("Count"),
    "rhythm": N_("Rhythm"),
    "ornaments": N_("Ornaments"),
    "articulation": N_("Articulation"),
    "sound": N_("Sound"),
}
KIND_NAMES = {
    "wrong_note": N_("wrong note"),
    "wrong_octave": N_("wrong octave"),
    "wrong_partial": N_("wrong partial"),
    "missed_note": N_("missed note"),
    "extra_note": N_("extra note"),
    "wrong_transposition": N_("wrong transposition"),
    "missed_accidental": N_("missed accidental"),
    "added_accidental": N_("added accidental"),
    "cut_short": N_("cut short"),
    "held_over": N_("held over"),
    "rest_filled": N_("rest filled"),
    "rest_short": N_("rest short"),
    "rest_long": N_("rest long"),
    "beat_dropped": N_("beat dropped"),
    "beat_added": N_("beat added"),
    "hesitation": N_("hesitation"),
    "restart": N_("restart"),
    "bar_skipped": N_("bar skipped"),
    "repeat_skipped": N_("repeat skipped"),
    "tie_struck": N_("tied note struck again"),
    "past_fine": N_("played on past Fine"),
    "jump_skipped": N_("D.C., D.S. or coda not taken"),
    "wrong_ending": N_("wrong ending"),
    "metre": N_("another metre"),
    "early": N_("early"),
    "late": N_("late"),
    "uneven": N_("uneven"),
    "dot_lost": N_("dot lost"),
    "dot_overdone": N_("dot overdone"),
    "rushing": N_("rushing"),
    "dragging": N_("dragging"),
    "off_click": N_("off click"),
    "wrong_tempo": N_("wrong tempo"),
    "grace_missed": N_("grace missed"),
    "grace_slipped": N_("grace slipped"),
    "trill_missed": N_("trill missed"),
    "trill_start": N_("trill start"),
    "trill_thin": N_("trill thin"),
    "ornament_wrong": N_("ornament wrong"),
    "tongued_in_slur": N_("tongued in slur"),
    "slurred_over_tongue": N_("slurred over tongue"),
    "breath_in_slur": N_("breath in slur"),
    "breath_every_note": N_("breath every note"),
    "not_detached": N_("not detached"),
    "not_joined": N_("not joined"),
    "out_of_tune": N_("out of tune"),
    "tuned_high": N_("tuned high"),
    "tuned_low": N_("tuned low"),
    "cracked": N_("cracked"),
    "fuzzy": N_("fuzzy"),
    "sagging": N_("sagging"),
    "unsteady": N_("unsteady"),
    "dynamics_flat": N_("dynamics flat"),
}
TEACHER = "teacher"  # who wrote a finding that was added or reworded by hand


def kind_name(kind: str) -> str:
    """A kind of finding in the teacher's words.

    >>> kind_name("wrong_note")
    'wrong note'
    """
    return _(KIND_NAMES[kind])


def write_texts(finding: Finding) -> Finding:
    """The finding with its `text` and `advice`."""
    text, advice = texts_of(finding)
    return finding.replace(text=text, advice=advice)


def texts_of(finding: Finding) -> Texts:
    """What is said about a finding: to the teacher, to the player."""
    text, advice = WRITERS.get(finding.kind, _other)(finding)
    return capitalized(text), advice


def cause_words(cause: str | None) -> str:
    """Why it happened, as far as it is known; empty where it is not."""
    return _(CAUSE_WORDS[cause]) if cause in CAUSE_WORDS else ""


def localized(finding: ReportFinding) -> ReportFinding:
    """A finding of a report with its sentences in the language that is chosen. What a teacher wrote stays
    as it was written, and so does what an older version knew to say and this one does not.
    """
    said = retell(finding)
    return finding if said is None else {**finding, "text": said[0], "advice": said[1]}


def retell(finding: Mapping[str, Any]) -> Texts | None:
    """The sentences about a finding that was stored, in the language that is chosen; None where they stay
    as they are stored. Asks for kind, bar, beat, count, places, detail and cause.
    """
    if chosen_language() == SOURCE or finding["detail"].get("by") == TEACHER:
        return None
    try:
        return texts_of(
            Finding(
                kind=finding["kind"],
                bar=finding["bar"],
                passing=1,
                beat=finding["beat"],
                at_s=0.0,
                until_s=0.0,
                notes=(),
                score_ids=(),
                confidence=1.0,
                severity=0.0,
                count=finding["count"],
                places=tuple(finding["places"]),
                detail=finding["detail"],
                cause=finding["cause"],
            )
        )
    except (KeyError, TypeError):
        return None


def _other(f: Finding) -> Texts:
    return (
        f"{describe_place(f)}: {f.kind.replace('_', ' ')}.",
        _("Listen to this place once more, slowly."),
    )


WRITERS: dict[str, Callable[[Finding], Texts]] = {
    "missed_accidental": note_sentences.write_missed_accidental,
    "added_accidental": note_sentences.write_added_accidental,
    "wrong_note": note_sentences.write_wrong_note,
    "wrong_octave": note_sentences.write_wrong_octave,
    "wrong_partial": note_sentences.write_wrong_partial,
    "missed_note": note_sentences.write_missed_note,
    "extra_note": note_sentences.write_extra_note,
    "bar_skipped": note_sentences.write_bar_skipped,
    "repeat_skipped": note_sentences.write_repeat_skipped,
    "tie_struck": time_sentences.write_tie_struck,
    "past_fine": time_sentences.write_past_fine,
    "jump_skipped": time_sentences.write_jump_skipped,
    "wrong_ending": time_sentences.write_wrong_ending,
    "metre": time_sentences.write_metre,
    "rest_short": time_sentences.write_rest_length,
    "rest_long": time_sentences.write_rest_length,
    "rest_filled": time_sentences.write_rest_filled,
    "cut_short": time_sentences.write_cut_short,
    "held_over": time_sentences.write_held_over,
    "beat_dropped": time_sentences.write_beat_dropped,
    "beat_added": time_sentences.write_beat_added,
    "hesitation": time_sentences.write_hesitation,
    "restart": time_sentences.write_restart,
    "early": time_sentences.write_early_late,
    "late": time_sentences.write_early_late,
    "uneven": time_sentences.write_uneven,
    "dot_lost": time_sentences.write_dotted,
    "dot_overdone": time_sentences.write_dotted,
    "rushing": time_sentences.write_tempo_drift,
    "dragging": time_sentences.write_tempo_drift,
    "off_click": time_sentences.write_off_click,
    "wrong_tempo": time_sentences.write_wrong_tempo,
    "out_of_tune": tone_sentences.write_out_of_tune,
    "tuned_high": tone_sentences.write_tuned,
    "tuned_low": tone_sentences.write_tuned,
    "wrong_transposition": tone_sentences.write_wrong_transposition,
    "grace_missed": note_sentences.write_grace_missed,
    "grace_slipped": note_sentences.write_grace_slipped,
    "trill_missed": note_sentences.write_trill_missed,
    "trill_thin": note_sentences.write_trill_thin,
    "trill_start": note_sentences.write_trill_start,
    "ornament_wrong": note_sentences.write_ornament_wrong,
    "cracked": tone_sentences.write_cracked,
    "tongued_in_slur": tone_sentences.write_tongued_in_slur,
    "slurred_over_tongue": tone_sentences.write_slurred_over_tongue,
    "breath_in_slur": tone_sentences.write_breath_in_slur,
    "breath_every_note": tone_sentences.write_breath_every_note,
    "not_joined": tone_sentences.write_not_joined,
    "not_detached": tone_sentences.write_not_detached,
    "sagging": tone_sentences.write_sagging,
    "unsteady": tone_sentences.write_unsteady,
    "fuzzy": tone_sentences.write_fuzzy,
    "dynamics_flat": tone_sentences.write_dynamics_flat,
}
