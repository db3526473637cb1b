"""What is said about counting, rhythm and tempo."""

from __future__ import annotations

from jeweller.assessment.finding import Finding
from jeweller.assessment.limits import TIMING_LIMITS
from jeweller.assessment.sentence import Texts, by_hands, fill_in
from jeweller.i18n import N_, NN_, _, ngettext
from jeweller.phrases import beats, counts


def write_metre(f: Finding) -> Texts:
    played, asked = f.detail["played"], f.detail["asked"]
    return (
        fill_in(
            N_("you count {played} to a bar; it is in {asked} ({times} of {of} bars)."),
            f,
            played=played,
            asked=asked,
        ),
        _("Count aloud from “one” to {asked} in every bar; clap it so, then play it so.").format(asked=asked),
    )


def write_tie_struck(f: Finding) -> Texts:
    return (
        fill_in(
            N_("{at}: the tied note was struck again, {often}.")
            if f.count > 1
            else N_("{at}: the tied note was struck again."),
            f,
        ),
        _("A tie makes one long note of two: one tongue, and the air goes on over the bar line."),
    )


def write_past_fine(f: Finding) -> Texts:
    return (
        _("you played on past the Fine in bar {bar}.").format(bar=f.detail.get("from", f.bar)),
        _("Circle the word Fine: the second time the piece ends there."),
    )


def write_jump_skipped(f: Finding) -> Texts:
    return (
        _("{sign} was not taken: bars {first} to {last} did not come again.").format(
            sign=f.detail.get("how", "D.C."), first=f.detail["from"], last=f.detail["to"]
        ),
        _("Circle the sign at the end, and find with a finger the place it sends you to, before you play."),
    )


def write_wrong_ending(f: Finding) -> Texts:
    return (
        _("the second ending was played the first time; the repeat was left out with it."),
        _("Number the endings with a pencil: first time 1, second time 2; read the road once with a finger."),
    )


def write_rest_length(f: Finding) -> Texts:
    d = f.detail
    if f.cause == "rests_not_counted":
        return (
            fill_in(
                N_("the rests of {written} are not counted, {often}."), f, written=counts(d["written_beats"])
            ),
            _("Whisper “rest” on every rest, one word a count; then play and whisper."),
        )
    message = (
        N_("{at}: after the rest of {written} you came in {beats} early, and went on steadily from there.")
        if f.kind == "rest_short"
        else N_(
            "{at}: after the rest of {written} you came in {beats} late, and went on steadily from there."
        )
    )
    return (
        fill_in(
            message,
            f,
            written=counts(d["written_beats"]),
            beats=beats(d["beats"]),
        ),
        _("Count the rest aloud and clap the notes around it; then play and whisper the counts."),
    )


def write_rest_filled(f: Finding) -> Texts:
    return (
        fill_in(N_("{at}: you held the note {beats} into the rest."), f, beats=beats(f.detail["over_beats"])),
        _("Say “rest” where the sound must stop, then play to that word."),
    )


def write_cut_short(f: Finding) -> Texts:
    if f.cause == "air":
        return (
            fill_in(N_("long notes stop early, {often}; what follows comes in time."), f),
            _("Breathe deeper before each long note: hold it for three counts first, then for all of them."),
        )
    return (
        fill_in(
            NN_(
                "{at}: the note of {written} lasted {heard}.",
                "{at}: the note of {written} lasted {heard}, {times} times.",
            ),
            f,
            written=counts(f.detail["written_beats"]),
            heard=counts(f.detail["heard_beats"]),
        ),
        _("Count the long note in your head to its last beat; the sound ends where the next count begins."),
    )


def write_held_over(f: Finding) -> Texts:
    return (
        fill_in(
            N_("{at}: the note of {written} was held for {heard}."),
            f,
            written=counts(f.detail["written_beats"]),
            heard=counts(f.detail["heard_beats"]),
        ),
        _("Count the long note aloud, clap the next one; then play it with a foot tapping."),
    )


def write_beat_dropped(f: Finding) -> Texts:
    if f.cause == "long_notes_short":
        return (
            fill_in(
                N_("your notes of {written} get {heard}, {often}."),
                f,
                written=counts(f.detail["written_beats"]),
                heard=counts(f.detail["heard_beats"]),
            ),
            _("Count every long note aloud to its last count; clap the next note; then play."),
        )
    return (
        fill_in(N_("{at}: {beats} went missing; the rest is steady."), f, beats=beats(f.detail["beats"])),
        _("Count this bar aloud, all its beats, then clap it; then play it with the bar before."),
    )


def write_beat_added(f: Finding) -> Texts:
    return (
        fill_in(N_("{at}: {beats} too many; the rest is steady."), f, beats=beats(f.detail["beats"])),
        _("Count this bar aloud, then clap it, then play it."),
    )


def write_hesitation(f: Finding) -> Texts:
    return (
        fill_in(
            N_("before {at}: a pause of {beats} that is not written."), f, beats=beats(f.detail["beats"])
        ),
        by_hands(
            f,
            slide=N_(
                "Stop here on purpose, go through the next four notes with the slide, "
                "then play across without a gap."
            ),
            mallets=N_("Stop here on purpose, point at the next four notes, then play across without a gap."),
            sticks=N_("Stop here on purpose, say the next four notes, then play across without a gap."),
            other=N_("Stop here on purpose, finger the next four notes, then play across without a gap."),
        ),
    )


def write_restart(f: Finding) -> Texts:
    n = f.detail["notes"]
    return (
        ngettext(
            "bar {bar}: you stopped after {n} note and started again.",
            "bar {bar}: you stopped after {n} notes and started again.",
            n,
        ).format(bar=f.bar, n=n),
        _("When something slips, keep the beat going and join in at the next bar; mend the bar afterwards."),
    )


def write_early_late(f: Finding) -> Texts:
    written = f.detail.get("written", "")
    message = (
        (N_("{at}: {written} comes {beats} early.") if written else N_("{at}: you came {beats} early."))
        if f.kind == "early"
        else (N_("{at}: {written} comes {beats} late.") if written else N_("{at}: you came {beats} late."))
    )
    return (
        fill_in(message, f, beats=beats(f.detail["beats"]), written=written),
        _("Tap the beat with your foot and say the rhythm of this bar; then play it on one note."),
    )


def write_uneven(f: Finding) -> Texts:
    d = f.detail
    message = (
        N_("{at}: {n} equal notes came out long-short; make them even.")
        if d.get("long_first", True)
        else N_("{at}: {n} equal notes came out short-long; make them even.")
    )
    return (
        fill_in(message, f, n=d["notes"]),
        _(
            "Play the run long-short, then short-long, then even; start at a speed where every note has the "
            "same room."
        ),
    )


def write_dotted(f: Finding) -> Texts:
    d = f.detail
    several = d.get("of", 0) > 1
    if f.kind == "dot_overdone":
        message = (
            N_("{at}: the dotted rhythm came out too sharp, {often}: the short note is too short.")
            if several
            else N_("{at}: the dotted rhythm came out too sharp: the short note is too short.")
        )
    elif d.get("dots") == "double":
        message = (
            N_("{at}: double dots are asked for; the short note came too soon, {often}.")
            if several
            else N_("{at}: double dots are asked for; the short note came too soon.")
        )
    elif d["ratio"] < TIMING_LIMITS.even_ratio:
        message = (
            N_("{at}: the dotted rhythm came out even, {often}: make the first note longer.")
            if several
            else N_("{at}: the dotted rhythm came out even: make the first note longer.")
        )
    else:
        message = (
            N_("{at}: the dotted rhythm came out like a triplet, {often}: make the first note longer.")
            if several
            else N_("{at}: the dotted rhythm came out like a triplet: make the first note longer.")
        )
    text = fill_in(message, f)
    if f.kind == "dot_lost":
        return text, _(
            "First only the rhythm: the figure on one note, “long — short”, counted slowly; then with its "
            "notes."
        )
    return text, _(
        "Count four sixteenths to the beat: three for the long note, one for the short; slowly, on one note."
    )


def write_tempo_drift(f: Finding) -> Texts:
    if f.detail.get("scope") == "figure":
        message = (
            N_("your runs of short notes hurry and then wait for the beat, {often}.")
            if f.cause == "runs_squeezed"
            else N_("{at}: the run of {notes} notes hurries, {percent} % too fast, and waits for the beat.")
        )
        return (
            fill_in(
                message,
                f,
                notes=f.detail["notes"],
                percent=f.detail["percent"],
            ),
            _("Play the run with a click on every note, slowly; lean on the first and the last of it."),
        )
    message = (
        N_("from bar {bar} on you sped up, from {before} to {after}.")
        if f.kind == "rushing"
        else N_("from bar {bar} on you slowed down, from {before} to {after}.")
    )
    return (
        _(message).format(bar=f.bar, before=f.detail["from_bpm"], after=f.detail["to_bpm"]),
        _(
            "Choose the speed of the hardest bar for the whole piece, and keep the foot tapping to the last "
            "note."
        ),
    )


def write_off_click(f: Finding) -> Texts:
    message = (
        N_("the whole take is {beats} behind the click.")
        if f.detail["beats"] > 0
        else N_("the whole take is {beats} ahead of the click.")
    )
    return (
        _(message).format(beats=beats(f.detail["beats"])),
        _("Clap with the click first, eight beats; then breathe with it, and come in on the stroke itself."),
    )


def write_wrong_tempo(f: Finding) -> Texts:
    played, asked = f.detail["played"], f.detail["asked"]
    return (
        _("played at {played} where {asked} was asked for.").format(played=played, asked=asked),
        _("Set the click to {asked} and play the first two bars with it.").format(asked=asked),
    )
