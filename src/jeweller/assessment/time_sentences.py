"""What is said about counting, rhythm and tempo."""

from __future__ import annotations

from jeweller.assessment.finding import Finding
from jeweller.assessment.phrases import beats, counts
from jeweller.assessment.sentence import Texts, fill_in
from jeweller.i18n import N_, NN_, _, ngettext


def write_metre(f: Finding) -> Texts:
    played, asked = f.detail["played"], f.detail["asked"]
    return (
        _("you count {played} to a bar; it is in {asked} ({times} bars of {of}).").format(
            played=played, asked=asked, times=f.count, of=f.detail.get("of", f.count)
        ),
        _("Count aloud from “one” to {asked} in every bar; clap it so, then play it so.").format(asked=asked),
    )


def write_tie_struck(f: Finding) -> Texts:
    return (
        fill_in(
            NN_(
                "{at}: the tied note was struck again.",
                "{at}: the tied note was struck again, {times} times of {of}.",
            ),
            f,
            of=f.detail.get("of", f.count),
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
            _("the rests of {written} are not counted, {times} of {of}.").format(
                written=counts(d["written_beats"]), times=f.count, of=d.get("of", f.count)
            ),
            _("Whisper “rest” on every rest, one word a count; then play and whisper."),
        )
    message = (
        N_(
            "{at}: the rest of {written} lasted {heard}; the next entry came {beats} early; from there on "
            "the count holds."
        )
        if f.kind == "rest_short"
        else N_(
            "{at}: the rest of {written} lasted {heard}; the next entry came {beats} late; from there on "
            "the count holds."
        )
    )
    return (
        fill_in(
            message,
            f,
            written=counts(d["written_beats"]),
            heard=counts(d["heard_beats"]),
            beats=beats(d["beats"]),
        ),
        _("Count the rest aloud and clap the notes around it; then play and whisper the counts."),
    )


def write_rest_filled(f: Finding) -> Texts:
    return (
        fill_in(
            N_("{at}: the note before sounds {beats} into the rest."), f, beats=beats(f.detail["over_beats"])
        ),
        _("Say “rest” where the sound must stop, then play to that word."),
    )


def write_cut_short(f: Finding) -> Texts:
    if f.cause == "air":
        return (
            _("long notes stop early, {times} of {of}; what follows comes in time.").format(
                times=f.count, of=f.detail.get("of", f.count)
            ),
            _("Breathe deeper before each long note: hold it for three counts first, then for all of them."),
        )
    return (
        fill_in(
            NN_(
                "{at}: the note of {written} sounded for {heard}.",
                "{at}: the note of {written} sounded for {heard}, {times} times.",
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
            _("your notes of {written} get {heard}, {times} of {of}.").format(
                written=counts(f.detail["written_beats"]),
                heard=counts(f.detail["heard_beats"]),
                times=f.count,
                of=f.detail.get("of", f.count),
            ),
            _("Count every long note aloud to its last count; clap the next note; then play."),
        )
    return (
        fill_in(N_("{at}: {beats} dropped; the rest is steady."), f, beats=beats(f.detail["beats"])),
        _("Count this bar aloud, all its beats, then clap it; then play it with the bar before."),
    )


def write_beat_added(f: Finding) -> Texts:
    return (
        fill_in(N_("{at}: {beats} added; the rest is steady."), f, beats=beats(f.detail["beats"])),
        _("Count this bar aloud, then clap it, then play it."),
    )


def write_hesitation(f: Finding) -> Texts:
    return (
        _("before bar {bar}, beat {beat}: a pause of {beats} where none is written.").format(
            bar=f.bar, beat=f"{f.beat:.3g}", beats=beats(f.detail["beats"])
        ),
        _(
            "Stop on purpose before this place, look at the next four notes, finger them, then play across "
            "without a gap."
        ),
    )


def write_restart(f: Finding) -> Texts:
    n = f.detail["notes"]
    return (
        ngettext(
            "bar {bar}: broken off after {n} note and taken again.",
            "bar {bar}: broken off after {n} notes and taken again.",
            n,
        ).format(bar=f.bar, n=n),
        _("When something slips, keep the beat going and join in at the next bar; mend the bar afterwards."),
    )


def write_early_late(f: Finding) -> Texts:
    message = N_("{at}: {beats} early.") if f.kind == "early" else N_("{at}: {beats} late.")
    return (
        fill_in(message, f, beats=beats(f.detail["beats"])),
        _("Tap the beat with your foot and say the rhythm of this bar; then play it on one note."),
    )


def write_uneven(f: Finding) -> Texts:
    d = f.detail
    message = (
        N_("{at}: {n} equal notes came out long and short, {ratio} : 1.")
        if d.get("long_first", True)
        else N_("{at}: {n} equal notes came out short and long, {ratio} : 1.")
    )
    return (
        fill_in(message, f, n=d["notes"], ratio=f"{d['ratio']:.1f}"),
        _(
            "Play the run dotted one way, then the other way, then even; start at a speed where every note "
            "has the same room."
        ),
    )


def write_dotted(f: Finding) -> Texts:
    d = f.detail
    of = d.get("of", 0)
    message = (
        N_("{at}: the dotted figure came out {ratio} : 1 where 3 : 1 is written, {times} times of {of}.")
        if of > 1
        else N_("{at}: the dotted figure came out {ratio} : 1 where 3 : 1 is written.")
    )
    text = fill_in(message, f, ratio=f"{d['ratio']:.1f}", of=of)
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
            N_("your runs of short notes hurry and then wait for the beat, {times} of {of}.")
            if f.cause == "runs_squeezed"
            else N_("{at}: the run of {notes} notes hurries, {percent} % too fast, and waits for the beat.")
        )
        return (
            fill_in(
                message,
                f,
                of=f.detail.get("of", f.count),
                notes=f.detail["notes"],
                percent=f.detail["percent"],
            ),
            _("Play the run with a click on every note, slowly; lean on the first and the last of it."),
        )
    message = (
        N_("from bar {bar}: the beat quickens from {before} to {after}.")
        if f.kind == "rushing"
        else N_("from bar {bar}: the beat slows from {before} to {after}.")
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
        N_("the whole take lies {beats} behind the click, steadily.")
        if f.detail["beats"] > 0
        else N_("the whole take lies {beats} ahead of the click, steadily.")
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
