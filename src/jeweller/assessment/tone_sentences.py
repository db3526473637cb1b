"""What is said about tuning, articulation and sound."""

from __future__ import annotations

from jeweller.assessment.finding import Finding
from jeweller.assessment.sentence import Texts, by_hands, fill_in
from jeweller.i18n import N_, NN_, _
from jeweller.phrases import interval


def write_out_of_tune(f: Finding) -> Texts:
    d = f.detail
    message = (
        N_("{at}: {written} is {cents} cents high against your own tuning.")
        if d["cents"] > 0
        else N_("{at}: {written} is {cents} cents low against your own tuning.")
    )
    said = fill_in(message, f, written=d["written"], cents=abs(d["cents"]))
    if "position" in d:
        advice = (
            _("Position {position} is a little further out: play it long and slide until it rings.")
            if d["slide"] == "in"
            else _("Position {position} is a little further in: play it long and slide until it rings.")
        )
        return said, advice.format(position=d["position"])
    return said, _("Play the note long against a held tone and move it until the beating stops.")


MOUTH = ("reed", "bocal")  # nothing there is pulled: the mouth tunes


def write_tuned(f: Finding) -> Texts:
    d = f.detail
    values = {"cents": abs(d["cents"]), "slide": _(d["move"])}
    if d["move"] in MOUTH:
        text = (
            N_("the whole take is {cents} cents high: check reed and lip, and measure again when warm.")
            if d["cents"] > 0
            else N_("the whole take is {cents} cents low: check reed and lip, and measure again when warm.")
        )
        advice = N_("After warming up, check one long note: a rounder mouth is lower, a firmer one higher.")
    elif d["cents"] > 0:
        text = N_(
            "the whole take is {cents} cents high: pull the {slide} a little and measure again when warm."
        )
        advice = N_("After warming up, pull the {slide} a little and check one long note.")
    else:
        text = N_(
            "the whole take is {cents} cents low: push in the {slide} a little and measure again when warm."
        )
        advice = N_("After warming up, push in the {slide} a little and check one long note.")
    return _(text).format(**values), _(advice).format(**values)


def write_wrong_transposition(f: Finding) -> Texts:
    d = f.detail
    if "clef" in d:
        return (
            _(
                "the whole take is this part as it reads in the {clef} clef. Other findings name "
                "the notes as "
                "they were read."
            ).format(clef=_(d["clef"])),
            _(
                "Put a finger on the clef, name its own line aloud, then name the first bar's notes before "
                "you play it."
            ),
        )
    message = (
        N_("the whole take sounds {interval} higher than this part asks for.")
        if d["semitones"] > 0
        else N_("the whole take sounds {interval} lower than this part asks for.")
    )
    return (
        _(message).format(interval=interval(d["semitones"])),
        _("Check that this is the part for your instrument, and its clef."),
    )


def write_cracked(f: Finding) -> Texts:
    return (
        fill_in(
            NN_(
                "{at}: the start catches another note before {written} speaks.",
                "{at}: the start catches another note before {written} speaks, {times} times.",
            ),
            f,
            written=f.detail["written"],
        ),
        _("Air first, then the tongue: start the note four times from a breath, softly."),
    )


def write_tongued_in_slur(f: Finding) -> Texts:
    return (
        fill_in(NN_("{at}: tongued inside a slur.", "{at}: tongued inside a slur, {times} times."), f),
        by_hands(
            f,
            slide=N_("Say “doo” so softly that the air never stops; the slide moves late and quickly."),
            other=N_(
                "Play the slur on one breath with “taah” only on its first note; the fingers make the others."
            ),
        ),
    )


def write_slurred_over_tongue(f: Finding) -> Texts:
    return (
        fill_in(
            NN_(
                "{at}: slurred where each note should be tongued.",
                "{at}: slurred where each note should be tongued, {times} times.",
            ),
            f,
        ),
        _("Say “too” to every note of the bar, then play it the same way."),
    )


def write_breath_in_slur(f: Finding) -> Texts:
    return (
        fill_in(NN_("{at}: a breath inside a slur.", "{at}: a breath inside a slur, {times} times."), f),
        _("Mark the breath after the slur in pencil; take in more air before it begins."),
    )


def write_breath_every_note(f: Finding) -> Texts:
    return (
        _("a breath is taken between nearly all notes."),
        _("Play four notes on one breath: the air keeps going, only the tongue touches it."),
    )


def write_not_joined(f: Finding) -> Texts:
    of = f.detail.get("of", 0)
    message: str | tuple[str, str] = (
        N_("the notes are not joined: gaps at {times} of {of} joins.")
        if of > 1
        else NN_("the notes are not joined: a gap.", "the notes are not joined: gaps at {times} joins.")
    )
    return (
        fill_in(message, f, of=of),
        by_hands(
            f,
            slide=N_("Blow one long note and let the slide move under it, quickly and late."),
            other=N_("Blow one long note and let the fingers change under it."),
        ),
    )


def write_not_detached(f: Finding) -> Texts:
    return (
        fill_in(
            NN_(
                "a note marked short sounds its full length.",
                "the notes marked short sound their full length, {times} times.",
            ),
            f,
        ),
        _("Say “tut”: the tongue that ends one note waits for the next."),
    )


def write_sagging(f: Finding) -> Texts:
    return (
        fill_in(
            N_("{at}: {written} sinks {cents} cents and grows softer towards its end."),
            f,
            written=f.detail["written"],
            cents=abs(f.detail["cents"]),
        ),
        _("Keep the air moving to the last beat of the long note: aim it at the far wall."),
    )


def write_unsteady(f: Finding) -> Texts:
    return (
        fill_in(N_("{at}: {written} wavers."), f, written=f.detail["written"]),
        _("Long notes against a held tone, eight counts each, softly."),
    )


def write_fuzzy(f: Finding) -> Texts:
    if f.detail.get("scope") == "throughout":
        return (
            _("there is breath in the sound throughout; it may be the microphone, too."),
            _("Play one long tone close by, then two steps away: is it the air you hear, or the room?"),
        )
    return (
        fill_in(
            N_("{at}: {written} sounds less clear than your other notes."), f, written=f.detail["written"]
        ),
        by_hands(
            f,
            reed=N_("Listen to the start of the note: air first, the reed free to swing."),
            flute=N_("Listen to the start of the note: air first, aimed at the far edge."),
            recorder=N_("Listen to the start of the note: air first, gently and steadily."),
            other=N_("Listen to the start of the note: air first, lips relaxed."),
        ),
    )


def write_dynamics_flat(f: Finding) -> Texts:
    of = f.detail.get("of", 0)
    text = (
        _("the dynamics need more difference ({of} places).").format(of=of)
        if of > 1
        else _("the dynamics need more difference.")
    )
    return text, _(
        "Play the line once all soft and once all loud, then as printed: make more of it than you think."
    )
