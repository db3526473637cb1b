"""Amounts, places and pitches as a teacher says them: what the sentences about findings are made with."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

from jeweller.i18n import N_, _

OCTAVES = {1: N_("an octave"), 2: N_("two octaves"), 3: N_("three octaves")}
BEATS = {
    0.1: N_("a tenth of a beat"),
    0.125: N_("an eighth of a beat"),
    0.167: N_("a sixth of a beat"),
    0.2: N_("a fifth of a beat"),
    0.25: N_("a quarter of a beat"),
    0.333: N_("a third of a beat"),
    0.4: N_("two fifths of a beat"),
    0.5: N_("half a beat"),
    0.6: N_("three fifths of a beat"),
    0.667: N_("two thirds of a beat"),
    0.75: N_("three quarters of a beat"),
    0.9: N_("nearly a beat"),
    1.0: N_("one beat"),
    1.25: N_("one and a quarter beats"),
    1.5: N_("one and a half beats"),
    1.75: N_("one and three quarter beats"),
    2.0: N_("two beats"),
    2.5: N_("two and a half beats"),
    3.0: N_("three beats"),
    3.5: N_("three and a half beats"),
    4.0: N_("four beats"),
}
# What each note is called: "note B♭" is B in one language, si♭ in another; in English the letter itself.
NOTE = "note "
NOTE_NAMES = {
    "C": N_("note C"),
    "C♭": N_("note C♭"),
    "C♯": N_("note C♯"),
    "C𝄫": N_("note C𝄫"),
    "C𝄪": N_("note C𝄪"),
    "D": N_("note D"),
    "D♭": N_("note D♭"),
    "D♯": N_("note D♯"),
    "D𝄫": N_("note D𝄫"),
    "D𝄪": N_("note D𝄪"),
    "E": N_("note E"),
    "E♭": N_("note E♭"),
    "E♯": N_("note E♯"),
    "E𝄫": N_("note E𝄫"),
    "E𝄪": N_("note E𝄪"),
    "F": N_("note F"),
    "F♭": N_("note F♭"),
    "F♯": N_("note F♯"),
    "F𝄫": N_("note F𝄫"),
    "F𝄪": N_("note F𝄪"),
    "G": N_("note G"),
    "G♭": N_("note G♭"),
    "G♯": N_("note G♯"),
    "G𝄫": N_("note G𝄫"),
    "G𝄪": N_("note G𝄪"),
    "A": N_("note A"),
    "A♭": N_("note A♭"),
    "A♯": N_("note A♯"),
    "A𝄫": N_("note A𝄫"),
    "A𝄪": N_("note A𝄪"),
    "B": N_("note B"),
    "B♭": N_("note B♭"),
    "B♯": N_("note B♯"),
    "B𝄫": N_("note B𝄫"),
    "B𝄪": N_("note B𝄪"),
}
PITCH_NAME = re.compile(r"([A-G][♭♯𝄫𝄪]?)(♮?)(-?\d*)")
KEY_NAME = re.compile(r"([A-G][♭♯]?) (major|minor)")
# What a speed counts, by how many quarters it lasts.
BEAT_NAMES = {
    0.5: N_("eighths"),
    1.0: N_("quarters"),
    1.5: N_("dotted quarters"),
    2.0: N_("halves"),
    3.0: N_("dotted halves"),
}
LEAST_BEATS = 0.085  # less is too little to be called a tenth
COUNTS = {
    0.25: N_("a quarter of a count"),
    0.5: N_("half a count"),
    0.75: N_("three quarters of a count"),
    1.0: N_("one count"),
    1.5: N_("one and a half counts"),
    2.0: N_("two counts"),
    2.5: N_("two and a half counts"),
    3.0: N_("three counts"),
    3.5: N_("three and a half counts"),
    4.0: N_("four counts"),
}
# how the parts of a beat are counted: quarters of it, or thirds
COUNTED = {0.0: "", 0.25: N_("e"), 1 / 3: N_("la"), 0.5: N_("&"), 2 / 3: N_("li"), 0.75: N_("a"), 1.0: ""}
INTERVALS = {
    1: N_("a semitone"),
    2: N_("a tone"),
    3: N_("a minor third"),
    4: N_("a major third"),
    5: N_("a fourth"),
    6: N_("a tritone"),
    7: N_("a fifth"),
    8: N_("a minor sixth"),
    9: N_("a major sixth"),
    10: N_("a minor seventh"),
    11: N_("a major seventh"),
    12: N_("an octave"),
}
# wider than an octave, up to so many semitones
RANGES = {
    14: N_("a ninth"),
    16: N_("a tenth"),
    18: N_("an eleventh"),
    20: N_("a twelfth"),
    22: N_("a thirteenth"),
    25: N_("two octaves"),
}
RANGE_BEYOND = N_("more than two octaves")
MOST_NAMED = 4.25  # beats or counts: more is a number


def note_name(name: str) -> str:
    """A note as it is called in the language that is chosen: "B♭4" as it is in English, "B4" in German. What
    is no name of a note stays as it is.

    >>> note_name("B♭4"), note_name("position 3")
    ('B♭4', 'position 3')
    """
    match = PITCH_NAME.fullmatch(name)
    if match is None:
        return name
    said = _(NOTE_NAMES[match[1]]) if match[1] in NOTE_NAMES else match[1]
    return said.removeprefix(NOTE) + match[2] + match[3]


def key_said(name: str) -> str:
    """A key in the language that is chosen.

    >>> key_said("B♭ major")
    'B♭ major'
    """
    match = KEY_NAME.fullmatch(name)
    if match is None:
        return name
    tonic = note_name(match[1])
    message = _("{tonic} major") if match[2] == "major" else _("{tonic} minor")
    return message.format(tonic=tonic, small=tonic[:1].lower() + tonic[1:])


def beat_name(quarters: float) -> str:
    """What a speed counts in a metre whose beat lasts so many quarters.

    >>> beat_name(1.5)
    'dotted quarters'
    """
    return _(BEAT_NAMES.get(quarters, BEAT_NAMES[1.0]))


def joined_notes(letters: Sequence[str]) -> str:
    """Notes in one row: "B♭, E♭ and A♭".

    >>> joined_notes(("B♭", "E♭", "A♭")), joined_notes(("F♯",))
    ('B♭, E♭ and A♭', 'F♯')
    """
    said = [note_name(letter) for letter in letters]
    if len(said) < 2:
        return "".join(said)
    return _("{first} and {last}").format(first=", ".join(said[:-1]), last=said[-1])


def spell_accidental(name: str) -> str:
    """A pitch name in words that cannot be misread; "F4" → "F natural" is left to the caller.

    >>> spell_accidental("B♭4")
    'B flat4'
    """
    said = note_name(name)
    if said != name:
        return said  # a language that has words of its own
    for sign, words in (
        ("𝄫", _(" double flat")),
        ("𝄪", _(" double sharp")),
        ("♭", _(" flat")),
        ("♯", _(" sharp")),
    ):
        name = name.replace(sign, words)
    return name


def natural(letter: str) -> str:
    """The letter of a pitch in words.

    >>> natural("B"), natural("B♭")
    ('B natural', 'B flat')
    """
    return (
        spell_accidental(letter)
        if len(letter) > 1
        else _("{letter} natural").format(letter=note_name(letter))
    )


def beats(value: float) -> str:
    """An amount of time as a teacher says it: the nearest plain fraction, never out by more than an
    eighth of it.

    >>> beats(0.16), beats(0.5), beats(-1.0), beats(5.2)
    ('a sixth of a beat', 'half a beat', 'one beat', '5 beats')
    """
    value = abs(value)
    if value < LEAST_BEATS:
        return _("less than a tenth of a beat")
    if value > MOST_NAMED:
        return _("{n} beats").format(n=round(value))
    return _(BEATS[min(BEATS, key=lambda k: abs(math.log(k / value)))])


def counts(value: float) -> str:
    """How long a rest or a note was, in counts: to a quarter below one, to a half above.

    >>> counts(0.7), counts(1.9), counts(0.05), counts(6.0)
    ('three quarters of a count', 'two counts', 'nothing', '6 counts')
    """
    if value < 0.125:
        return _("nothing")
    if value > MOST_NAMED:
        return _("{n} counts").format(n=round(value))
    return _(COUNTS[min(COUNTS, key=lambda k: abs(k - value))])


def octaves(semitones: float) -> str:
    """How many octaves, in words."""
    return _(OCTAVES.get(round(abs(semitones) / 12), OCTAVES[1]))


def name_bars(places: Sequence[str]) -> str:
    """The bars of a finding; from three in a row on only the first and the last of them.

    >>> name_bars(("4",)), name_bars(("4", "7", "4", "9"))
    ('bar 4', 'bars 4, 7 and 9')
    >>> name_bars(("1", "2", "3", "7", "9", "10")), name_bars(("X1", "1", "2", "3", "4"))
    ('bars 1 to 3, 7, 9 and 10', 'bars X1 and 1 to 4')
    >>> name_bars(("1", "2", "3")), name_bars(("0", "4"))
    ('bars 1 to 3', 'the pickup and bar 4')
    """
    if set(places) == {"0"}:
        return _("the pickup")
    if "0" in places:
        return _("the pickup and {bars}").format(bars=name_bars([p for p in places if p != "0"]))
    rows: list[list[str]] = []
    for bar in dict.fromkeys(places):
        follows = rows and bar.isdecimal() and rows[-1][-1].isdecimal() and int(bar) == int(rows[-1][-1]) + 1
        if follows:
            rows[-1].append(bar)
        else:
            rows.append([bar])
    said = []
    for row in rows:
        said += row if len(row) < 3 else [_("{first} to {last}").format(first=row[0], last=row[-1])]
    if len(said) == 1:
        return (
            _("bar {bar}").format(bar=said[0]) if len(rows[0]) == 1 else _("bars {bars}").format(bars=said[0])
        )
    return _("bars {first} and {last}").format(first=", ".join(said[:-1]), last=said[-1])


def bar_beat(bar: str, beat: float) -> str:
    """A place in the music as it is counted, to a quarter or a third of a beat.

    >>> bar_beat("3", 2.0), bar_beat("3", 2.5), bar_beat("5", 1.67)
    ('bar 3, beat 2', 'bar 3, the “&” of 2', 'bar 5, the “li” of 1')
    >>> bar_beat("0", 4.0)
    'the pickup, beat 4'
    """
    whole = int(beat)
    part = min(COUNTED, key=lambda k: abs(whole + k - beat))
    if part == 1.0:
        whole, part = whole + 1, 0.0
    place = name_bars((bar,))
    if not part:
        return _("{bar}, beat {beat}").format(bar=place, beat=whole)
    return _("{bar}, the “{part}” of {beat}").format(bar=place, part=_(COUNTED[part]), beat=whole)


def how_often(times: int, of: int) -> str:
    """How many of the places that ask for something it came in.

    >>> how_often(3, 4), how_often(1, 7), how_often(4, 4), how_often(1, 1)
    ('3 of 4 times', 'once in 7', '4 of 4 times', 'once')
    """
    if times == of == 1:
        return _("once")
    if times == 1:
        return _("once in {of}").format(of=of)
    return _("{times} of {of} times").format(times=times, of=of)


def interval(semitones: float) -> str:
    """An interval by its name.

    >>> interval(-2), interval(15)
    ('a tone', '15 semitones')
    """
    n = round(abs(semitones))
    return _(INTERVALS[n]) if n in INTERVALS else _("{n} semitones").format(n=n)


def name_range(semitones: int) -> str:
    """How far it is from the lowest note to the highest.

    >>> name_range(9), name_range(14), name_range(24), name_range(30)
    ('a major sixth', 'a ninth', 'two octaves', 'more than two octaves')
    """
    if semitones <= max(INTERVALS):
        return interval(semitones) if semitones else _("one note")
    return _(next((name for most, name in RANGES.items() if semitones <= most), RANGE_BEYOND))


def capitalized(text: str) -> str:
    """With a capital at its beginning; the rest as it is."""
    return text[:1].upper() + text[1:]
