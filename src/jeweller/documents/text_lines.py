"""Lines of text under the notes of a part: counts, note names, solfège, fingerings, places on the staff;
filled in, or blank for the player.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

from jeweller.documents.engraving import Engraving
from jeweller.documents.theme import Theme, text_svg
from jeweller.files import parse_json
from jeweller.i18n import N_, _
from jeweller.instruments.choose import Fingering
from jeweller.instruments.fingerings import count_holes
from jeweller.instruments.of_part import fingerings_of, trills_of
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Bar, Note, Part
from jeweller.notation.pitch import Pitch, key_alter
from jeweller.phrases import note_name

LINES = {
    "counts": N_("counts"),
    "names": N_("note names"),
    "solfège": N_("solfège"),
    "degrees": N_("degrees"),
    "fingerings": N_("fingerings"),
    "places": N_("places"),
}
F = Fraction
# What is said within a beat, by the place in it.
COUNTINGS = {
    "1 & 2 &": {
        F(1, 4): "e",
        F(1, 2): "&",
        F(3, 4): "a",
        F(1, 3): "la",
        F(2, 3): "li",
        F(1, 6): "ta",
        F(5, 6): "ta",
    },
    "1 te 2 te": {
        F(1, 4): "ta",
        F(1, 2): "te",
        F(3, 4): "ta",
        F(1, 3): "la",
        F(2, 3): "li",
        F(1, 6): "ta",
        F(5, 6): "ta",
    },
}
# the same in syllables: the beat too has a name, whichever it is
COUNTINGS["du de"] = {
    **dict.fromkeys((F(1, 4), F(3, 4), F(1, 6), F(5, 6)), "ta"),
    F(1, 2): "de",
    F(1, 3): "da",
    F(2, 3): "di",
}
SPOKEN = ("1 & 2 &", "1 2 3 4 5 6")  # said with the words of the language
IN_SIX = "1 2 3 4 5 6"  # every eighth of 6/8 counted; elsewhere as "1 & 2 &"
COUNTINGS[IN_SIX] = COUNTINGS["1 & 2 &"]
OWN_WORDS = "own words"
ALL_COUNTINGS = (*COUNTINGS, "ta ti-ti")
# What an own table of words has a row for, and how long each is; rests are asked for as "quarter rest".
WORD_VALUES = {
    N_("whole note"): F(4),
    N_("dotted half note"): F(3),
    N_("half note"): F(2),
    N_("dotted quarter note"): F(3, 2),
    N_("quarter note"): F(1),
    N_("dotted eighth note"): F(3, 4),
    N_("eighth note"): F(1, 2),
    N_("triplet eighth"): F(1, 3),
    N_("sixteenth note"): F(1, 4),
    N_("half rest"): F(-2),
    N_("quarter rest"): F(-1),
    N_("eighth rest"): F(-1, 2),
}
MOVABLE, DO_MINOR, FIXED = N_("movable do, minor on la"), N_("movable do, minor on do"), N_("fixed do")
SOLFEGES = (MOVABLE, DO_MINOR, FIXED)
FIXED_NAMES = {"C": "do", "D": "re", "E": "mi", "F": "fa", "G": "sol", "A": "la", "B": "si"}
NO_KEY = 3  # letters with signs in music without a signature: its first and last note is what it turns round
TA_NAMES = {
    F(4): "ta-a-a-a",
    F(3): "ta-a-a",
    F(2): "ta-a",
    F(3, 2): "tam",
    F(1): "ta",
    F(1, 2): "ti",
    F(3, 4): "tim",
}
SOLFEGE = {
    0: "do",
    1: "di",
    2: "re",
    3: "me",
    4: "mi",
    5: "fa",
    6: "fi",
    7: "sol",
    8: "le",
    9: "la",
    10: "te",
    11: "ti",
}
FLAT_SOLFEGE = {1: "ra", 6: "se"}
THUMBS = {
    "T": "th",
    "Thalf": "½th",
    "TB♭": "thB♭",
    "R": "R",
    "8va": "8va",
    "8va2": "8va",
    "W": "w",
    "V": "v",
}  # keys drawn above the holes
PLACES_LEGEND = N_("L line, S space, counted from below; + steps above the staff, − below it")
ROW = 34.0  # page units from one line of text to the next
TEXT = 30.0
DIAGRAM = 184.0  # height of a woodwind's small diagram
TUBE = 108.0  # height of a brass instrument's
# from valve to valve, their width, how far they stand out open and pressed
VALVE_STEP, VALVE_WIDTH, VALVE_UP, VALVE_DOWN = 18.0, 11.0, 28.0, 10.0
SLIDE_LENGTH = 78.0  # of the slide drawn to the seventh position
# radius, distance of the holes, between the hands, names of keys
HOLE, HOLE_STEP, HAND_GAP, KEY_TEXT = 7.5, 18.5, 7.0, 26


@dataclass(frozen=True)
class TextLineSettings:
    """Which lines stand under the notes, and which of them are left blank to be filled in."""

    lines: tuple[str, ...] = ()
    blank: tuple[str, ...] = ()
    counting: str = "1 & 2 &"  # or "ta ti-ti", or OWN_WORDS
    solfege: str = MOVABLE
    words: tuple[tuple[str, str], ...] = ()  # of an own table: a row of WORD_VALUES, and what is said


def list_texts(
    part: Part, line: str, settings: TextLineSettings, instrument: Instrument | None
) -> dict[str, str]:
    """The text of one line for each note (and rest, for counts), by note id."""
    main = [(bar, n) for bar in part.bars for n in bar.notes if not n.grace and not n.chord and not n.cue]
    if line == "counts":
        if settings.counting == OWN_WORDS:
            return {n.id: text for _unused, n in main if (text := own_word(n, settings.words))}
        return {n.id: text for bar, n in main if (text := count_text(bar, n, settings.counting))}
    sounding = [(bar, n) for bar, n in main if n.pitch is not None and not n.tie_stop]
    if line == "names":
        return {n.id: note_name(n.pitch.letter) for _unused, n in sounding if n.pitch}
    if line == "solfège":
        tonic = own_tonic(part)
        return {n.id: solfege(bar, n, settings.solfege, tonic) for bar, n in sounding}
    if line == "degrees":
        tonic = own_tonic(part)
        return {n.id: degree_text(bar, n, tonic) for bar, n in sounding}
    if line == "places":
        return {n.id: staff_place_of(bar, n) for bar, n in sounding}
    if line == "fingerings" and instrument is not None:
        trills = trills_of(part, instrument)
        return {
            i: f.text + (f" tr {' '.join(sorted(trills[i].moves)) or 'lips'}" if i in trills else "")
            for i, f in fingerings_of(part, instrument).items()
        }
    return {}


def count_text(bar: Bar, note: Note, counting: str) -> str:
    """What is counted on a note: the beats it covers; a rest in brackets, every beat of it; the second of
    tied notes too.
    """
    if counting == "ta ti-ti":
        if note.is_rest:
            return "(s)" if note.duration < 1 else "(" + " ".join(["sh"] * round(note.duration)) + ")"
        return "" if note.tie_stop else _ta_name(note)
    beat = bar.metre.beat
    if counting == IN_SIX and beat.numerator == 3:
        beat /= 3
    lead = (
        bar.metre.length - bar.length
        if bar.implicit and bar.number in ("0", "1") and bar.length < bar.metre.length
        else F(0)
    )
    begin, end = (note.offset + lead) / beat, (note.offset + lead + note.duration) / beat
    whole, part = divmod(begin, 1)
    syllables = counting == "du de"
    on_beat = "du" if syllables else str(int(whole) + 1)
    first = on_beat if not part else _within(part, beat, counting)
    later = ["u" if syllables else str(k + 1) for k in range(int(whole) + 1, 64) if k < end]
    if note.is_rest:
        return "(" + " ".join([first, *later]) + ")"
    return "-".join([first, *later])


def _within(part: F, beat: F, counting: str) -> str:
    """What is said at a place within a beat: halves of a dotted beat lie between its thirds, and where a beat
    is a half note what is shorter than a quarter is said as within a quarter.
    """
    names = COUNTINGS.get(counting, COUNTINGS["1 & 2 &"])
    if beat.numerator == 3 and part == F(1, 2):
        return "ta"
    if part not in names and beat == 2:
        part = part * beat % 1
    said = names.get(part, "·")
    return _(said) if counting in SPOKEN else said


def _ta_name(note: Note) -> str:
    """The syllable of a note by its value, and of the short ones by their place: ti ka ti ka, tri o la."""
    if note.duration == F(1, 4):
        return "ka" if note.offset / F(1, 4) % 2 else "ti"
    if note.duration == F(1, 3):
        return ("tri", "o", "la")[int(note.offset * 3 % 3)]
    return TA_NAMES.get(note.duration, "ta")


def write_words(words: tuple[tuple[str, str], ...]) -> str:
    """An own table of words as JSON: an object of values and what is said on them."""
    return json.dumps(dict(words), ensure_ascii=False, indent=1)


def read_words(text: str) -> tuple[tuple[str, str], ...]:
    """An own table of words from JSON; what is none of its rows is left out.

    >>> read_words('{"quarter note": "walk", "weight": 3}')
    (('quarter note', 'walk'),)
    """
    try:
        found = parse_json(text or "{}")
    except ValueError:
        return ()
    rows = found.items() if isinstance(found, dict) else ()
    return tuple((str(k), str(v)) for k, v in rows if k in WORD_VALUES and isinstance(v, str) and v.strip())


def own_word(note: Note, words: tuple[tuple[str, str], ...]) -> str:
    """What an own table says on a note or rest, by its value; a note that is tied on has nothing.

    >>> half = Note(id="n", offset=F(0), duration=F(2), pitch=Pitch("C", 0, 4))
    >>> own_word(half, (("half note", "slow-ly"),))
    'slow-ly'
    """
    if note.tie_stop:
        return ""
    length = -note.duration if note.is_rest else note.duration
    return next((said for name, said in words if WORD_VALUES.get(name) == length), "")


def own_tonic(part: Part) -> Pitch | None:
    """What music without a key signature turns round, where many of its letters have signs (whole-tone and
    chromatic scales): the note that it begins and ends on. None for all other music.
    """
    pitches = [n.pitch for b in part.bars for n in b.notes if n.pitch is not None and not n.grace]
    if not pitches or any(b.fifths for b in part.bars):
        return None
    signs = {(p.step, p.alter) for p in pitches if p.alter}
    around = pitches[0].midi % 12 == pitches[-1].midi % 12
    return pitches[0] if around and len(signs) >= NO_KEY else None


def _key_note(bar: Bar, tonic: Pitch | None, *, minor: bool) -> int:
    """The pitch class that is called do, or 1."""
    if tonic is not None:
        return tonic.midi % 12
    return (7 * bar.fifths + (9 if minor and bar.mode == "minor" else 0)) % 12


def solfege(bar: Bar, note: Note, school: str = MOVABLE, tonic: Pitch | None = None) -> str:
    """Syllables by the school; altered notes by their own, but for those of fixed do."""
    pitch = note.known_pitch
    if school == FIXED:
        return FIXED_NAMES[pitch.step]
    apart = (pitch.midi - _key_note(bar, tonic, minor=school == DO_MINOR)) % 12
    own = tonic.alter if tonic is not None and pitch.step == tonic.step else 0
    usual = own if tonic is not None else key_alter(pitch.step, bar.fifths)
    if pitch.alter < usual and apart in FLAT_SOLFEGE:
        return FLAT_SOLFEGE[apart]
    if pitch.alter > usual:
        return {3: "ri", 8: "si", 10: "li"}.get(apart, SOLFEGE[apart])
    return SOLFEGE[apart]


def degree_text(bar: Bar, note: Note, tonic: Pitch | None = None) -> str:
    """The degree of the scale that a note is, from the tonic of its key; altered ones with their sign.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> bar = read_abc("M:4/4\\nL:1/4\\nK:F\\nF A =B c|")[0].parts[0].bars[0]
    >>> [degree_text(bar, n) for n in bar.notes]
    ['1', '3', '♯4', '5']
    """
    pitch = note.known_pitch
    steps = "CDEFGAB"
    if tonic is not None:
        first, usual = steps.index(tonic.step), None
    else:
        minor = bar.mode == "minor"
        first = (4 * bar.fifths + (5 if minor else 0)) % 7
        usual = key_alter(pitch.step, bar.fifths)
    degree = (steps.index(pitch.step) - first) % 7
    if usual is None:
        apart = (pitch.midi - (tonic.midi if tonic is not None else 0)) % 12
        sign = (apart - (0, 2, 4, 5, 7, 9, 11)[degree] + 6) % 12 - 6
    else:
        sign = pitch.alter - usual
    return {-2: "𝄫", -1: "♭", 1: "♯", 2: "𝄪"}.get(sign, "") + str(degree + 1)


def staff_place_of(bar: Bar, note: Note) -> str:
    """Where a note stands, as PLACES_LEGEND says: "L2", "S1", "+1" above the staff, "−2" below it."""
    pitch = note.known_pitch
    sign, line, octave = bar.clef
    step = {"G": 4, "F": 3, "C": 0}.get(sign, 4)
    reference = 7 * ({"G": 4, "F": 3, "C": 4}.get(sign, 4) + octave) + step  # what stands on the clef's line
    up = pitch.diatonic - reference + 2 * (line - 1)  # steps above the lowest line
    if 0 <= up <= 8:
        return f"{'S' if up % 2 else 'L'}{up // 2 + 1}"
    return f"−{-up}" if up < 0 else f"+{up - 8}"


def rows_height(settings: TextLineSettings, instrument: Instrument | None) -> float:
    """How much room the lines take under a system, page units."""
    return sum(_height(line, instrument) for line in settings.lines)


def _height(line: str, instrument: Instrument | None) -> float:
    """How much room one line takes: fingerings are drawn, the others are text."""
    if line != "fingerings" or instrument is None or instrument.family not in ("woodwind", "brass"):
        return ROW
    if instrument.family == "brass":
        return TUBE
    return DIAGRAM + HOLE_STEP * (count_holes(instrument.id) - 6)


def draw_text_below(
    engraving: Engraving, part: Part, settings: TextLineSettings, instrument: Instrument | None, theme: Theme
) -> str:
    """The lines as SVG over the engraving."""
    out: list[str] = []
    offset = 14.0
    for line in settings.lines:
        height = _height(line, instrument)
        drawn = height > ROW
        chosen = fingerings_of(part, instrument) if drawn and instrument is not None else {}
        trills = trills_of(part, instrument) if drawn and instrument is not None else {}
        texts = list_texts(part, line, settings, instrument)
        for note_id, text in texts.items():
            box = engraving.notes.get(note_id)
            if box is None:
                continue
            y = engraving.systems[box.system].lowest + offset
            if line in settings.blank:
                out.append(
                    f'<path d="M {box.x - 15:.1f} {y + TEXT - 2:.1f} h 30" stroke="{theme.quiet}" '
                    'stroke-width="1.6" fill="none"/>'
                )
            elif drawn and instrument is not None:
                moves = trills[note_id].moves if note_id in trills else frozenset()
                if instrument.family == "woodwind":
                    holes = count_holes(instrument.id)
                    out.append(diagram(chosen[note_id], box.x, y + 4, theme, moves, holes))
                else:
                    out.append(tube(chosen[note_id], box.x, y + 4, theme, moves, max(3, instrument.valves)))
            else:
                size = TEXT if len(text) < 4 else TEXT * 0.8
                out.append(text_svg(box.x, y + TEXT - 4, text, round(size), theme.ink))
        offset += height
    return "".join(out)


def draw_text_above(engraving: Engraving, words: Mapping[str, str], colour: str) -> str:
    """Words pencilled above notes, by note id, as SVG over the engraving."""
    out = []
    for note, text in words.items():
        box = engraving.notes.get(note)
        if box is not None:
            out.append(
                text_svg(box.x, min(box.top, engraving.systems[box.system].top) - 14, text, TEXT, colour)
            )
    return "".join(out)


def diagram(
    fingering: Fingering,
    x: float,
    y: float,
    theme: Theme,
    moves: frozenset[str] = frozenset(),
    holes: int = 6,
) -> str:
    """A woodwind fingering as a column of holes: left hand, a gap, right hand; thumb keys by name above, or
    where there are seven holes the thumb's beside the first; other keys by name below. What moves in a trill
    has a second ring, or is named after "tr".
    """
    out = []
    keys = fingering.keys
    thumb = [k for k in THUMBS if k in keys]
    if holes > 6:
        out.append(_hole(x - 2.4 * HOLE, y + 34, keys, "T", theme))
    elif thumb:
        out.append(text_svg(x, y + 18, " ".join(THUMBS[k] for k in thumb), KEY_TEXT, theme.quiet))
    top = y + 34
    named = set(THUMBS)
    for k in range(holes):
        cy = top + HOLE_STEP * k + (HAND_GAP if k > 2 else 0)
        name = str(k + 1)
        named |= {name, f"{name}half"}
        if moves & {name, f"{name}half"}:
            out.append(
                f'<circle cx="{x:.1f}" cy="{cy:.1f}" r="{HOLE + 4.5}" fill="none" '
                f'stroke="{theme.brass}" stroke-width="2"/>'
            )
        out.append(_hole(x, cy, keys, name, theme))
    below = top + holes * HOLE_STEP + 18
    rest = " ".join(sorted(k for k in keys if k not in named and k not in moves))
    trilled = " ".join(
        THUMBS.get(k, k).removeprefix("tr") for k in sorted(moves) if k not in named or k in THUMBS
    )
    if rest:
        out.append(text_svg(x, below, rest, KEY_TEXT, theme.ink))
    if trilled:
        out.append(text_svg(x, below + (KEY_TEXT if rest else 0), f"tr {trilled}", KEY_TEXT, theme.brass))
    return "".join(out)


def _hole(x: float, y: float, keys: frozenset[str], name: str, theme: Theme) -> str:
    """A hole: closed, half closed or open."""
    fill = theme.ink if name in keys else theme.paper
    out = (
        f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{HOLE}" fill="{fill}" stroke="{theme.ink}" '
        'stroke-width="1.4"/>'
    )
    if f"{name}half" in keys:
        out += (
            f'<path d="M {x - HOLE:.1f} {y:.1f} A {HOLE} {HOLE} 0 0 0 {x + HOLE:.1f} {y:.1f} '
            f'Z" fill="{theme.ink}"/>'
        )
    return out


def tube(
    fingering: Fingering,
    x: float,
    y: float,
    theme: Theme,
    moves: frozenset[str] = frozenset(),
    valves: int = 3,
) -> str:
    """A brass fingering: its valves from the side, those pressed lying low and filled, or the slide drawn
    out along its seven places; the number below. A valve that moves in a trill has a line above it.
    """
    out = []
    floor = y + 42
    if fingering.position:
        left = x - SLIDE_LENGTH / 2
        step = SLIDE_LENGTH / 6
        end = left + step * (fingering.position - 1)
        ticks = "".join(f"M {left + step * k:.1f} {floor - 4:.1f} v 8 " for k in range(7))
        out.append(
            f'<path d="M {left:.1f} {floor:.1f} h {SLIDE_LENGTH} {ticks}" stroke="{theme.quiet}" '
            'stroke-width="1.2" fill="none"/>'
        )
        out.append(
            f'<path d="M {left - 6:.1f} {floor - 14:.1f} H {end:.1f} a 7 7 0 0 1 0 14 H '
            f'{left - 6:.1f}" stroke="{theme.ink}" stroke-width="3" '
            'fill="none"/>'
        )
    else:
        for k in range(valves):
            up = VALVE_DOWN if str(k + 1) in fingering.keys else VALVE_UP
            left = x + VALVE_STEP * (k - (valves - 1) / 2) - VALVE_WIDTH / 2
            fill = theme.ink if up == VALVE_DOWN else theme.paper
            out.append(
                f'<rect x="{left:.1f}" y="{floor - up:.1f}" width="{VALVE_WIDTH}" height="{up}" '
                f'rx="2" fill="{fill}" stroke="{theme.ink}" '
                'stroke-width="1.6"/>'
            )
            if str(k + 1) in moves:
                out.append(
                    f'<path d="M {left - 1:.1f} {floor - VALVE_UP - 7:.1f} h {VALVE_WIDTH + 2}" '
                    f'stroke="{theme.brass}" stroke-width="3"/>'
                )
        out.append(
            f'<path d="M {x - 10 * valves:.1f} {floor:.1f} h {20 * valves}" stroke="{theme.ink}" '
            'stroke-width="2.4" fill="none"/>'
        )
    out.append(
        text_svg(
            x,
            floor + 34,
            fingering.text,
            round(TEXT * 0.9 if len(fingering.text) < 4 else TEXT * 0.75),
            theme.ink,
        )
    )
    return "".join(out)
