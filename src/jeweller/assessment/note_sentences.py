"""What is said about wrong, missed and extra notes, accidentals, ornaments."""

from __future__ import annotations

from jeweller.assessment.finding import Finding
from jeweller.assessment.sentence import Texts, by_hands, fill_in
from jeweller.i18n import N_, NN_, _
from jeweller.phrases import natural, note_name, octaves, spell_accidental


def _write_previous_key(f: Finding) -> Texts:
    return (
        fill_in(N_("{at}: notes of another key, {often}: the key of the piece before?"), f),
        _("Play the scale of this key first; then name every note that the signature changes, and play."),
    )


def write_missed_accidental(f: Finding) -> Texts:
    d = f.detail
    if f.cause == "previous_key":
        return _write_previous_key(f)
    letter = d.get("letter", "")
    heard, written = natural(d.get("heard_letter", "")), natural(letter)
    of = d.get("of", 1)
    source = d.get("source", "")
    values = {"heard": heard, "written": written, "altered": spell_accidental(letter)}
    one, several = {
        "key_signature": (
            N_("{at}: {heard} sounded; the key signature says {altered}."),
            N_("{at}: {heard} sounded; the key signature says {altered}, {often}."),
        ),
        "printed": (
            N_("{at}: {heard} sounded; {written} is printed."),
            N_("{at}: {heard} sounded; {written} is printed, {often}."),
        ),
        "carried": (
            N_("{at}: {heard} sounded; {written} still holds from earlier in the bar."),
            N_("{at}: {heard} sounded; {written} still holds from earlier in the bar, {often}."),
        ),
    }.get(
        source,
        (
            N_("{at}: {heard} sounded; {written} is written."),
            N_("{at}: {heard} sounded; {written} is written, {often}."),
        ),
    )
    text = fill_in(several if of > 1 else one, f, **values)
    if source == "key_signature":
        return text, by_hands(
            f,
            slide=N_(
                "Say “{altered}” each time you come to {letter}. Then go through the "
                "line once with the slide "
                "alone."
            ),
            mallets=N_(
                "Say “{altered}” each time you come to {letter}. Then point at each bar of the line once."
            ),
            other=N_(
                "Say “{altered}” each time you come to {letter}. Then finger the line once without playing."
            ),
        ).format(letter=note_name(letter[0]), altered=spell_accidental(letter))
    if source == "carried":
        return text, _(
            "An accidental holds to the bar line: pencil the sign before every {letter} "
            "of the bar, then play it slowly."
        ).format(letter=note_name(letter[0]))
    return text, by_hands(
        f,
        slide=N_(
            "Stop before the sign, say the note ({written}), put the slide there, "
            "then play the notes around it."
        ),
        mallets=N_(
            "Stop before the sign, say the note ({written}), find its bar, then play the notes around it."
        ),
        other=N_("Stop before the sign, say the note ({written}), finger it, then play the notes around it."),
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
            N_("{at}: {heard} sounded where {written} is written; no sign changes it."),
            f,
            heard=heard,
            written=written,
        ),
        _(
            "Say the note first: {written}. Play it between its neighbours, slowly, until it comes by itself."
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
        by_hands(
            f,
            slide=N_(
                "Say the notes on both sides of it, put the slide where {written} is, "
                "then join the three slowly."
            ),
            mallets=N_("Say the notes on both sides of it, find {written}, then join the three slowly."),
            other=N_("Say the notes on both sides of it, finger {written}, then join the three slowly."),
        ).format(written=natural(d.get("letter", ""))),
    )


def _write_register(f: Finding) -> Texts:
    message = (
        N_("from {written} up every note came out a twelfth too low, {often}.")
        if round(f.detail["semitones"]) == -19
        else N_("from {written} up every note came out an octave too low, {often}.")
    )
    return (
        fill_in(message, f, written=f.detail["from"]),
        _("Slur up from the last note that speaks, with faster air, until the upper one holds."),
    )


def write_wrong_octave(f: Finding) -> Texts:
    if f.cause == "register_lost":
        return _write_register(f)
    d = f.detail
    several = f.count > 1
    if d["semitones"] > 0:
        message = (
            N_("{at}: {written} came out {octaves} too high, {often}.")
            if several
            else N_("{at}: {written} came out {octaves} too high.")
        )
        advice = by_hands(
            f,
            flute=N_("Slower air, aimed further down, and start the note again softly."),
            recorder=N_("Close the thumb hole wholly, breathe softly, and start the note again."),
            reed=N_("Take the thumb off the register key, keep the air warm, and start the note again."),
            other=N_("Relax the lips, keep the air slow and warm, and start the note again."),
        )
    else:
        message = (
            N_("{at}: {written} came out {octaves} too low, {often}.")
            if several
            else N_("{at}: {written} came out {octaves} too low.")
        )
        advice = by_hands(
            f,
            flute=N_("Faster air through a smaller opening; slur up to it from the octave below."),
            recorder=N_("Open the thumb hole just a little, like a thin moon, and breathe a little faster."),
            reed=N_("Check the register key, then slur up to it from the octave below, the air steady."),
            other=N_("Sing the note first, then play it with a steady, faster air stream."),
        )
    return fill_in(message, f, written=d["written"], octaves=octaves(d["semitones"])), advice


def write_wrong_partial(f: Finding) -> Texts:
    d = f.detail
    message = N_("{at}: {heard} came out where {written} is written.")
    if d.get("fingering"):
        message = {
            "slide": N_(
                "{at}: {heard} came out where {written} is written; the slide was right ({fingering})."
            ),
            "valves": N_(
                "{at}: {heard} came out where {written} is written; the valves were right ({fingering})."
            ),
        }.get(
            str(d.get("hands", "")),
            N_("{at}: {heard} came out where {written} is written; the fingers were right."),
        )
    return (
        fill_in(message, f, heard=d["heard"], written=d["written"], fingering=d.get("fingering", "")),
        by_hands(
            f,
            flute=N_("Sing the note first; then the same fingers, with the air slower for a lower note."),
            recorder=N_(
                "Sing the note first; then the same fingers, the thumb hole and the air doing the work."
            ),
            reed=N_(
                "Sing the note first; then the same fingers, the register key and the air doing the work."
            ),
            other=N_("Buzz or sing the note first, then play it, lips and air doing the work."),
        ),
    )


def write_missed_note(f: Finding) -> Texts:
    text = (
        fill_in(N_("{at}: {times} notes were not played."), f)
        if f.count > 1
        else fill_in(N_("{at}: {written} was not played."), f, written=f.detail["written"])
        if f.detail.get("written")
        else fill_in(N_("{at}: a note was not played."), f)
    )
    return text, _(
        "Point at every note while you say its name; then play the bar at half speed with none left out."
    )


def write_extra_note(f: Finding) -> Texts:
    if f.cause == "fingers_not_together":
        return (
            fill_in(
                N_("{at}: a short {heard} slipped in between two notes."),
                f,
                heard=f.detail["heard"],
            ),
            by_hands(
                f,
                slide=N_("Move the slide in one go while the tongue closes the air: four times slowly."),
                other=N_("Move the fingers in one motion: change between the two notes four times slowly."),
            ),
        )
    return (
        fill_in(N_("{at}: {heard} was played and is not written."), f, heard=f.detail["heard"]),
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
        _("the repeat from bar {first} to bar {last} was not played.").format(
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
