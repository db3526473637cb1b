"""What is said about wrong, missed and extra notes, accidentals, ornaments."""

from __future__ import annotations

from jeweller.assessment.finding import Finding
from jeweller.assessment.phrases import natural, octaves, spell_accidental
from jeweller.assessment.sentence import Texts, describe_place, fill_in
from jeweller.i18n import N_, NN_, _


def _write_previous_key(f: Finding) -> Texts:
    return (
        _("{at}: {n} notes of {of} sounded as in another key: the one of a piece before?").format(
            at=describe_place(f), n=f.count, of=f.detail.get("of", f.count)
        ),
        _("Play the scale of this key first; then name every note that the signature changes, and play."),
    )


def write_missed_accidental(f: Finding) -> Texts:
    d = f.detail
    if f.cause == "previous_key":
        return _write_previous_key(f)
    letter = d.get("letter", "")
    heard, written = natural(d.get("heard_letter", "")), natural(letter)
    times, of = d.get("count", f.count), d.get("of", 1)
    source = d.get("source", "")
    values = {"heard": heard, "written": written, "altered": spell_accidental(letter), "n": times, "of": of}
    one, several = {
        "key_signature": (
            N_("{at}: {heard} sounded; the key signature says {altered}."),
            N_("{at}: {heard} sounded; the key signature says {altered}, {n} times of {of}."),
        ),
        "printed": (
            N_("{at}: {heard} sounded; {written} is printed."),
            N_("{at}: {heard} sounded; {written} is printed, {n} times of {of}."),
        ),
        "carried": (
            N_("{at}: {heard} sounded; {written} still holds from earlier in the bar."),
            N_("{at}: {heard} sounded; {written} still holds from earlier in the bar, {n} times of {of}."),
        ),
    }.get(
        source,
        (
            N_("{at}: {heard} sounded; {written} is written."),
            N_("{at}: {heard} sounded; {written} is written, {n} times of {of}."),
        ),
    )
    text = fill_in(several if of > 1 else one, f, **values)
    if source == "key_signature":
        return text, _(
            "Before you play, name every {letter}: {sign}. Then finger the line once without playing."
        ).format(letter=letter[0], sign=spell_accidental(letter).split(" ", 1)[-1])
    if source == "carried":
        return text, _(
            "An accidental holds to the bar line: pencil the sign before every {letter} "
            "of the bar, then play it slowly."
        ).format(letter=letter[0])
    return text, _(
        "Stop before the sign, name the note ({written}), finger it, then play the two notes around it."
    ).format(written=written)


def _write_slide(f: Finding) -> Texts:
    """A slide in a wrong place: which way, before which letter."""
    d, out = f.detail, f.detail["slide"] == "in"
    message = (
        NN_(
            "{at}: {heard} sounded where {written} is written: the slide was too far in.",
            "{at}: {heard} sounded where {written} is written, {times} times: the slide was too far in.",
        )
        if out
        else NN_(
            "{at}: {heard} sounded where {written} is written: the slide was too far out.",
            "{at}: {heard} sounded where {written} is written, {times} times: the slide was too far out.",
        )
    )
    advice = (
        _("{written} is in position {position}, about a hand further out. Slide there from the note before.")
        if out
        else _(
            "{written} is in position {position}, about a hand further in. Slide there from the note before."
        )
    )
    written = natural(d["letter"])
    return fill_in(message, f, heard=natural(d["heard_letter"]), written=written), advice.format(
        written=written, position=d["position"]
    )


def write_added_accidental(f: Finding) -> Texts:
    if f.cause == "previous_key":
        return _write_previous_key(f)
    if f.cause == "neighbour_slide_position" and "position" in f.detail:
        return _write_slide(f)
    heard, written = natural(f.detail.get("heard_letter", "")), natural(f.detail.get("letter", ""))
    return (
        fill_in(
            N_("{at}: {heard} sounded where {written} is written; nothing alters it there."),
            f,
            heard=heard,
            written=written,
        ),
        _(
            "Name the note first: {written}. Play it between its neighbours, slowly, until the "
            "finger knows it."
        ).format(written=written),
    )


def write_wrong_note(f: Finding) -> Texts:
    d = f.detail
    if d.get("stroke"):
        heard, written = (_(d[k])[0].lower() + _(d[k])[1:] for k in ("heard", "written"))
        return (
            fill_in(
                N_("{at}: the {heard} was struck where the {written} is written."),
                f,
                heard=heard,
                written=written,
            ),
            _(
                "Say the names of the strokes in order, then play the bar at half speed, looking "
                "where each one goes."
            ),
        )
    if f.cause == "neighbour_slide_position" and "position" in d:
        return _write_slide(f)
    return (
        fill_in(
            NN_(
                "{at}: {heard} sounded where {written} is written.",
                "{at}: {heard} sounded where {written} is written, {times} times.",
            ),
            f,
            heard=d["heard"],
            written=d["written"],
        ),
        _("Name the notes on both sides of it, finger {written}, then join the three slowly.").format(
            written=natural(d.get("letter", ""))
        ),
    )


def _write_register(f: Finding) -> Texts:
    message = (
        N_("from {written} up everything sounded a twelfth low, {n} notes of {of}.")
        if round(f.detail["semitones"]) == -19
        else N_("from {written} up everything sounded an octave low, {n} notes of {of}.")
    )
    return (
        _(message).format(written=f.detail["from"], n=f.count, of=f.detail.get("of", f.count)),
        _("Slur up from the last note that speaks, with faster air, until the upper one holds."),
    )


def write_wrong_octave(f: Finding) -> Texts:
    if f.cause == "register_lost":
        return _write_register(f)
    d = f.detail
    if d["semitones"] > 0:
        message = NN_(
            "{at}: {written} sounded {octaves} above.",
            "{at}: {written} sounded {octaves} above, {times} times.",
        )
        advice = _("Relax the lips, keep the air slow and warm, and start the note again.")
    else:
        message = NN_(
            "{at}: {written} sounded {octaves} below.",
            "{at}: {written} sounded {octaves} below, {times} times.",
        )
        advice = _("Sing the note first, then play it with a steady, faster air stream.")
    return fill_in(message, f, written=d["written"], octaves=octaves(d["semitones"])), advice


def write_wrong_partial(f: Finding) -> Texts:
    d = f.detail
    text = (
        fill_in(
            N_("{at}: {heard} sounded where {written} is written; {fingering}, another partial."),
            f,
            heard=d["heard"],
            written=d["written"],
            fingering=d["fingering"],
        )
        if d.get("fingering")
        else fill_in(
            N_("{at}: {heard} sounded where {written} is written."),
            f,
            heard=d["heard"],
            written=d["written"],
        )
    )
    return text, _(
        "The fingers were right: buzz or sing the pitch first, then play it, lips and air doing the work."
    )


def write_missed_note(f: Finding) -> Texts:
    text = (
        fill_in(N_("{at}: {times} notes were not played."), f)
        if f.count > 1
        else fill_in(N_("{at}: {written} was not played."), f, written=f.detail["written"])
        if "written" in f.detail
        else fill_in(N_("{at}: a note was not played."), f)
    )
    return text, _(
        "Point at every note while you say its name; then play the bar at half speed with none left out."
    )


def write_extra_note(f: Finding) -> Texts:
    if f.cause == "fingers_not_together":
        return (
            fill_in(
                N_("{at}: {heard} sounded and is not written there. A short blip between two notes."),
                f,
                heard=f.detail["heard"],
            ),
            _("Move both fingers in one motion: change between the two notes four times slowly."),
        )
    return (
        fill_in(N_("{at}: {heard} sounded and is not written there."), f, heard=f.detail["heard"]),
        _("Play the bar from the page, note by note, at half speed: only what is written."),
    )


def write_bar_skipped(f: Finding) -> Texts:
    d = f.detail
    text = (
        _("bar {bar} was left out.").format(bar=d["from"])
        if d["from"] == d["to"]
        else _("bars {first} to {last} were left out.").format(first=d["from"], last=d["to"])
    )
    return text, _("Number the bars in pencil and point at the line while you listen to it once.")


def write_repeat_skipped(f: Finding) -> Texts:
    return (
        _("the repeat from bar {first} to bar {last} was not taken.").format(
            first=f.detail["from"], last=f.detail["to"]
        ),
        _("Circle the repeat signs and trace the way with a finger before you play."),
    )


def write_grace_missed(f: Finding) -> Texts:
    return (
        fill_in(N_("{at}: the grace note before {written} is missing."), f, written=f.detail["written"]),
        _("Play the bar once without and once with the grace note, light and before the beat."),
    )


def write_grace_slipped(f: Finding) -> Texts:
    message = {
        "after": N_("{at}: the grace note on {written} came after its main note."),
        "long": N_("{at}: the grace note before {written} is long enough to be a note of its own."),
        "pitch": N_("{at}: the grace note before {written} came out on another pitch."),
    }.get(str(f.detail.get("how")), N_("{at}: the grace note before {written} came out differently."))
    return (
        fill_in(message, f, written=f.detail["written"]),
        _("Play the grace note and its main note slowly as two equal notes, then let the first get lighter."),
    )


def write_trill_missed(f: Finding) -> Texts:
    return (
        fill_in(
            N_("{at}: the trill on {written} was played as a plain note."), f, written=f.detail["written"]
        ),
        _(
            "Alternate the two notes slowly, four times, starting where the beat is; then let it get faster "
            "by itself."
        ),
    )


def write_trill_thin(f: Finding) -> Texts:
    turns = f.detail["turns"]
    message = (
        N_("{at}: the trill on {written} has only one turn.")
        if turns == 1
        else N_("{at}: the trill on {written} has only {turns} turns.")
    )
    return (
        fill_in(message, f, written=f.detail["written"], turns=turns),
        _("Begin the trill at once and keep it going to the end of the note."),
    )


def write_trill_start(f: Finding) -> Texts:
    message = (
        N_("{at}: the trill on {written} begins on its upper note.")
        if f.detail.get("first") == "upper"
        else N_("{at}: the trill on {written} begins on its main note.")
    )
    return (
        fill_in(message, f, written=f.detail["written"]),
        _("Play the first two notes of the trill slowly in the right order, then let it go."),
    )


def write_ornament_wrong(f: Finding) -> Texts:
    message = (
        N_("{at}: the ornament on {written} was played as a plain note.")
        if f.detail.get("how") == "plain"
        else N_("{at}: the ornament on {written} went the other way round.")
    )
    return (
        fill_in(message, f, written=f.detail["written"]),
        _("Write the small notes out above the bar and play them as even sixteenths, slowly."),
    )
