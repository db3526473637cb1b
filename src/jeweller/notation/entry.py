"""Notes entered key by key into a tune of ABC text: where the tune stands at the cursor, and what a key
writes there.

Everything is a function of the text and the cursor, and gives another text and cursor: what was entered is
plain ABC, and can be typed over at any time.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from jeweller.errors import ScoreError
from jeweller.i18n import N_, _
from jeweller.notation.metre import Metre
from jeweller.notation.pitch import STEPS, Pitch
from jeweller.notation.readers.abc import TOKEN, Reader
from jeweller.notation.readers.abc_head import NOTE
from jeweller.notation.readers.abc_voice import AbcVoice

VALUES = {
    "1": Fraction(4),
    "2": Fraction(2),
    "4": Fraction(1),
    "8": Fraction(1, 2),
    "6": Fraction(1, 4),
}  # quarters, by the key
VALUE_NAMES = {
    "1": N_("whole notes"),
    "2": N_("half notes"),
    "4": N_("quarter notes"),
    "8": N_("eighth notes"),
    "6": N_("sixteenth notes"),
}
SIGN = {-2: "__", -1: "_", 0: "=", 1: "^", 2: "^^"}
NEAR = 3  # steps of the staff within which the octave of the next note is chosen
FIRST = {
    "G": 34,
    "F": 22,
    "C": 28,
}  # staff steps above C0 that the first note is near to, by the clef: its middle line
REST = re.compile(r"([zx])([0-9]*)(/*)([0-9]*)")
# what belongs to the note after it
BEFORE = re.compile(r"(?:(?:![^!\s]*!|\([2-9]|\(|[.~TMPHLSO]|\{[^}]*\})\s*)+$")
FIELD = re.compile(r"[A-Za-z+]:")


@dataclass(frozen=True)
class Entry:
    """A text and the cursor in it (characters from its start)."""

    text: str
    at: int

    @property
    def before(self) -> str:
        return self.text[: self.at]


def standing(before: str) -> AbcVoice:
    """The voice as it stands at the end of a text: its open bar, key, unit, slurs.

    >>> standing("M:4/4\\nL:1/4\\nK:F\\nC D").fifths
    -1
    """
    reader = Reader(1)
    reader.read(before, whole=False)
    return reader.current()


def last_pitch(voice: AbcVoice) -> Pitch | None:
    """The last pitch that was written.

    >>> last_pitch(standing("M:4/4\\nL:1/4\\nK:F\\nC B")).letter
    'B♭'
    """
    for notes in (voice.notes, *(b.notes for b in reversed(voice.bars))):
        for note in reversed(notes):
            if note.pitch is not None and not note.grace:
                return note.pitch
    return None


def notes_before(entry: Entry) -> int:
    """How many notes and rests stand before the cursor, grace notes too.

    >>> from fractions import Fraction
    >>> entry = Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)
    >>> notes_before(entry)
    2
    """
    voice = standing(entry.before)
    return sum(len(b.notes) for b in voice.bars) + len(voice.notes)


def add_note(entry: Entry, letter: str, quarters: Fraction, *, grace: bool = False) -> Entry:
    """A note of the key by its letter, in the octave nearest to the note before it; tied over the bar line
    where the bar is too full for it.

    >>> from fractions import Fraction
    >>> entry = Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)
    >>> add_note(entry, "B", Fraction(1)).text.splitlines()[-1]
    'C D B,'
    """
    voice = standing(entry.before)
    before = last_pitch(voice)
    near = before.diatonic if before is not None else FIRST.get(voice.clef[0], FIRST["G"])
    step = STEPS.index(letter)
    octave = (near - step + NEAR) // 7
    name = _letter(letter, octave - voice.octave)
    if grace:
        return _insert(entry, f"{{{name}}}")
    return _timed(entry, voice, name, quarters, "-")


def add_rest(entry: Entry, quarters: Fraction) -> Entry:
    """A rest, divided at the bar line where the bar is too full for it.

    >>> from fractions import Fraction
    >>> entry = Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)
    >>> add_rest(entry, Fraction(1)).text.splitlines()[-1]
    'C D z'
    """
    return _timed(entry, standing(entry.before), "z", quarters, "")


def add_triplet(entry: Entry) -> Entry:
    """The next three notes are a triplet.

    >>> add_triplet(Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)).text.splitlines()[-1]
    'C D (3'
    """
    return _insert(entry, " (3")


def dot(entry: Entry) -> Entry:
    """The last note half as long again, or no longer so.

    >>> from fractions import Fraction
    >>> entry = Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)
    >>> dot(entry).text.splitlines()[-1]
    'C D3/2'
    """
    chain = _chain(entry)
    if not chain:
        return entry
    head, factor = _parts(entry.text[slice(*chain[-1])])
    return _replace(
        entry,
        *chain[-1],
        head + _length(factor * (Fraction(2, 3) if factor.numerator % 3 == 0 else Fraction(3, 2))),
    )


def step(entry: Entry, by: int) -> Entry:
    """The last note some steps of the staff higher, or lower, with what is tied to it; its own sign is
    dropped.

    >>> from fractions import Fraction
    >>> entry = Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)
    >>> step(entry, 1).text.splitlines()[-1]
    'C E'
    """

    def moved(head: str, first: bool) -> str:
        match = NOTE.fullmatch(head)
        if match is None:
            return head
        octave = (5 if match[2].islower() else 4) + match[3].count("'") - match[3].count(",")
        place = 7 * octave + STEPS.index(match[2].upper()) + by
        return _letter(STEPS[place % 7], place // 7) if 0 <= place < 63 else head

    return _rehead(entry, moved)


def alter(entry: Entry, by: int) -> Entry:
    """The last note a semitone higher or lower, with what is tied to it; a sign is written only where one is
    needed.

    >>> from fractions import Fraction
    >>> entry = Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)
    >>> alter(entry, 1).text.splitlines()[-1]
    'C ^D'
    """
    chain = _chain(entry)
    pitch = last_pitch(standing(entry.before))
    if not chain or pitch is None or entry.text[chain[0][0]] in "zx" or not -2 <= pitch.alter + by <= 2:
        return entry
    plain = _rehead(entry, lambda head, first: head.lstrip("^_="))
    now = last_pitch(standing(plain.before))
    if now is not None and now.alter == pitch.alter + by:
        return plain
    return _rehead(plain, lambda head, first: (SIGN[pitch.alter + by] if first else "") + head)


def tie(entry: Entry) -> Entry:
    """The last note tied to the next, or no longer so.

    >>> from fractions import Fraction
    >>> entry = Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)
    >>> tie(entry).text.splitlines()[-1]
    'C D-'
    """
    chain = _chain(entry)
    if not chain or entry.text[chain[-1][0]] in "zx":
        return entry
    span = chain[-1]
    after = entry.text[span[1] : entry.at]
    return _replace(entry, span[1], entry.at, after.replace("-", "", 1) if "-" in after else "-" + after)


def slur(entry: Entry) -> Entry:
    """A slur from the last note on; where one is open, its end at the last note.

    >>> from fractions import Fraction
    >>> entry = Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)
    >>> slur(entry).text.splitlines()[-1]
    'C (D'
    """
    chain = _chain(entry)
    if not chain:
        return entry
    voice = standing(entry.before)
    if voice.slurs or voice.opened:
        return _replace(entry, chain[-1][1], chain[-1][1], ")")
    return _replace(entry, chain[0][0], chain[0][0], "(")


def mark(entry: Entry, sign: str) -> Entry:
    """A sign of ABC, such as "!trill!" or ".", at the last note, or no longer there.

    >>> from fractions import Fraction
    >>> entry = Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)
    >>> mark(entry, "!trill!").text.splitlines()[-1]
    'C !trill!D'
    """
    chain = _chain(entry)
    if not chain:
        return entry
    at = chain[0][0]
    if entry.text[:at].endswith(sign):
        return _replace(entry, at - len(sign), at, "")
    return _replace(entry, at, at, sign)


def take_back(entry: Entry) -> Entry:
    """Without the last note, and without what belongs to it or is tied to it.

    >>> from fractions import Fraction
    >>> entry = Entry("M:4/4\\nL:1/4\\nK:C\\nC D", 21)
    >>> take_back(entry).text.splitlines()[-1]
    'C '
    """
    chain = _chain(entry)
    if not chain:
        return entry
    found = BEFORE.search(entry.text[: chain[0][0]])
    begin = found.start() if found is not None else chain[0][0]
    rest = entry.text[:begin].rstrip(" ")
    rest = rest if rest.endswith("\n") or not rest else rest + " "
    return Entry(rest + entry.text[entry.at :].lstrip(" "), len(rest))


def _letter(letter: str, octave: int) -> str:
    return letter.lower() + "'" * (octave - 5) if octave >= 5 else letter + "," * (4 - octave)


def _length(factor: Fraction) -> str:
    """A length in units as ABC writes it."""
    if factor.denominator == 1:
        return "" if factor == 1 else str(factor.numerator)
    return f"{'' if factor.numerator == 1 else factor.numerator}/{factor.denominator}"


def _timed(entry: Entry, voice: AbcVoice, head: str, quarters: Fraction, joined: str) -> Entry:
    unit = voice.default_unit()
    metre = Metre(voice.beats, voice.beat_type).length
    actual, normal = voice.tuplet[:2] if voice.tuplet is not None else (1, 1)
    open_bar = bool(voice.notes)
    line = ""
    left = metre - voice.now
    if open_bar and left <= 0 and not voice.free:
        line, left = " |", metre
    lasts = quarters * normal / actual
    if lasts <= left or voice.free or actual != 1 or lasts - left > metre:
        return _insert(entry, line + _gap(voice, line) + head + _length(quarters / unit))
    return _insert(
        entry,
        (
            f"{line}{_gap(voice, line)}{head}{_length(left / unit)}{joined} | "
            f"{head}{_length((quarters - left) / unit)}"
        ),
    )


def _gap(voice: AbcVoice, line: str) -> str:
    """Letters stand together within a beat."""
    beat = Metre(voice.beats, voice.beat_type).beat
    if voice.tuplet_begins:
        return ""
    return " " if line or voice.now % beat == 0 or not voice.notes else ""


def _insert(entry: Entry, words: str) -> Entry:
    before = entry.before
    if not before or before[-1] in " \n":
        words = words.lstrip(" ")
    return Entry(before + words + entry.text[entry.at :], entry.at + len(words))


def _replace(entry: Entry, begin: int, end: int, words: str) -> Entry:
    return Entry(entry.text[:begin] + words + entry.text[end:], entry.at + len(words) - (end - begin))


def _chain(entry: Entry) -> list[tuple[int, int]]:
    """Where the last note or rest before the cursor stands, after those that are tied to it; empty where
    there is none.
    """
    spans: list[tuple[int, int]] = []
    begin = 0
    for line in entry.before.split("\n"):
        at = 0
        while at < len(line) and not FIELD.match(line) and not line.startswith("%"):
            match = TOKEN.match(line, at)
            if match is not None and match.lastgroup in ("note", "rest"):
                spans.append((begin + match.start(), begin + match.end()))
            at = match.end() if match is not None and match.end() > at else at + 1
        begin += len(line) + 1
    first = len(spans) - 1
    while first > 0 and entry.text[spans[first - 1][1] :].startswith("-"):
        first -= 1
    return spans[max(0, first) :]


def _parts(word: str) -> tuple[str, Fraction]:
    """A note or rest as its head ("^c'") and its length in units."""
    match = NOTE.fullmatch(word) or REST.fullmatch(word)
    if match is None:
        raise ScoreError(_("“{text}” is not understood here.").format(text=word[:12]))
    number, slashes, divisor = match.groups()[-3:]
    factor = Fraction(int(number) if number else 1)
    if slashes:
        factor /= int(divisor) if divisor and int(divisor) else 2 ** len(slashes)
    return "".join(g or "" for g in match.groups()[:-3]), factor


def _rehead(entry: Entry, how: Callable[[str, bool], str]) -> Entry:
    """The last note, and those tied to it, with other heads; `how` is told whether it is the first of
    them.
    """
    chain = _chain(entry)
    for span in reversed(chain):
        head, factor = _parts(entry.text[slice(*span)])
        entry = _replace(entry, *span, how(head, span == chain[0]) + _length(factor))
    return entry
