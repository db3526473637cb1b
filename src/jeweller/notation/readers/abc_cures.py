"""What people write into ABC that is none, and what to write instead."""

from __future__ import annotations

import re

from jeweller.i18n import N_, _

# Two letters or more, one of them none that music is written with.
WORD = r"(?=[A-Za-z']*[h-twIJKNQRUVWY])(?![uv][A-Ga-g])(?![A-Ga-g][qwst](?![A-Za-z]))[A-Za-z']{2,}[.,!?]*"
# What stands at a place, and the sentence about it; {text} is what was found. The first that fits is told.
SLIPS = (
    (
        re.compile(r"(?:D\. ?[CS]\.(?: al (?:Fine|Coda)|(?=[\s|]|$))|To Coda|Fine)(?![A-Za-z'\",])"),
        N_('“{text}” is left out: words stand in quotes, as in "{text}".'),
    ),
    (re.compile(r"[MKLQV]:[^\s|]+"), N_("A new {text} within a line is written [{text}].")),
    (
        re.compile(r"!(?:[a-z<>()+]{1,12}|[a-z]+\.)(?=[\s|]|$)"),
        N_("“{text}” needs its second mark: {text}!"),
    ),
    (
        re.compile(rf"{WORD}(?:\s+(?:{WORD}|a\b))*"),
        N_("“{text}” is words, not music, and is left out; words for the player stand in quotes."),
    ),
)
LETTERS = {
    "#": N_("“#” is left out: a sharp stands before its letter, as in ^C for C sharp."),
    "♯": N_("“♯” is left out: write ^ before the letter, as in ^C for C sharp."),
    "♭": N_("“♭” is left out: write _ before the letter, as in _B for B flat."),
    "♮": N_("“♮” is left out: write = before the letter, as in =B for B natural."),
    "h": N_("“h” is no note: write b, or B an octave lower."),
    "H": N_("“H” stands before no note; for the note write B."),
    "r": N_("“r” is left out: a rest is z, as long as a note: z2, z/2."),
    "R": N_("“R” is left out: a rest is z, as long as a note: z2, z/2."),
    "!": N_("“!” is left out: a sign stands between two of them, as in !f!."),
}
LENGTHS = "qwst"
AS_LENGTH = N_("“{text}” is left out: lengths are numbers, F2 twice as long as F, F/2 half as long.")
OTHER = N_("“{text}” is not understood here and was left out.")
DOT_BEHIND = N_(
    "A dot behind a note does not make it longer: write F3/2 for a dotted F, or .F for a short one."
)
FLAT_BEHIND = N_("“{text}” is two notes: for {letter} flat write _{letter}, or nothing where the key has it.")
FLAT = re.compile(r"(?<![\^_=A-Za-z])([ABDEG])b(?![A-Za-z',])")


def slip_at(line: str, at: int) -> tuple[int, str] | None:
    """Where something that is no music ends, and what to say about it; None where nothing like it begins.

    >>> slip_at("F G M:3/4 A3|", 4)
    (9, 'A new M:3/4 within a line is written [M:3/4].')
    """
    for pattern, message in SLIPS:
        match = pattern.match(line, at)
        if match and (at == 0 or line[at - 1] in " |\t" or pattern is SLIPS[2][0]):
            return match.end(), _(message).format(text=match[0])
    return None


def cure_of(letter: str) -> str:
    """What to say about a single letter that is no music.

    >>> cure_of("r")
    '“r” is left out: a rest is z, as long as a note: z2, z/2.'
    """
    message = LETTERS.get(letter) or (AS_LENGTH if letter in LENGTHS else OTHER)
    return _(message).format(text=letter)


def flat_behind(bar: str) -> str:
    """What to say about a flat that is written behind its letter in a bar that holds too much; "" for none.

    >>> flat_behind("Bb A G")
    '“Bb” is two notes: for B flat write _B, or nothing where the key has it.'
    """
    match = FLAT.search(bar)
    return _(FLAT_BEHIND).format(text=match[0], letter=match[1]) if match else ""
