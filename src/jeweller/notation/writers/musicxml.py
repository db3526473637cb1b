"""`Score` → clean MusicXML with our own stable ids on every note: what is engraved, and what leaves for other
programs.
"""

from __future__ import annotations

import bisect
import itertools
import math
from collections.abc import Collection, Mapping
from fractions import Fraction

from lxml import etree

from jeweller.notation.model import Bar, Mark, Note, Part, Score

_FLAGS = {"eighth": 1, "16th": 2, "32nd": 3, "64th": 4, "128th": 5, "256th": 6}
_ORNAMENT_TAGS = {
    "trill": "trill-mark",
    "mordent": "mordent",
    "inverted_mordent": "inverted-mordent",
    "turn": "turn",
    "inverted_turn": "inverted-turn",
}
Element = etree._Element


def write_musicxml(
    score: Score,
    *,
    texts: Mapping[str, str] | None = None,
    names: bool = True,
    bars_per_line: int = 0,
    line_starts: Collection[int] = (),
    block_rests: bool = True,
) -> bytes:
    """UTF-8 MusicXML 4.0 partwise. `texts` (by note id) are written as words above their notes;
    `bars_per_line` begins a new line after so many bars (0: nothing is said of lines), and before the bars
    whose indexes are `line_starts`. `block_rests`: bars of rest are marked to be printed as one with their
    number.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> from jeweller.notation.readers.musicxml import read
    >>> score = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|")[0]
    >>> read(write_musicxml(score)).title
    'A line'
    """
    root = etree.Element("score-partwise", version="4.0")
    if score.title:
        _add(_add(root, "work"), "work-title", score.title)
    identification = _add(root, "identification")
    if score.composer:
        _add(identification, "creator", score.composer, type="composer")
    _add(_add(identification, "encoding"), "software", "Jeweller")
    part_list = _add(root, "part-list")
    for part in score.parts:
        head = _add(part_list, "score-part", id=_part_id(part))
        _add(head, "part-name", part.name if names else "")
        instrument = _add(head, "score-instrument", id=f"{_part_id(part)}-I1")
        _add(instrument, "instrument-name", part.instrument or part.name)
        for k, name in enumerate(_strokes(part), 2):
            _add(_add(head, "score-instrument", id=f"{_part_id(part)}-I{k}"), "instrument-name", name)
    for part in score.parts:
        starts = {*line_starts, *regular_lines(part, bars_per_line)}
        _part(_add(root, "part", id=_part_id(part)), part, texts or {}, starts, block_rests)
    doctype = (
        '<!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 4.0 Partwise//EN" '
        '"http://www.musicxml.org/dtds/partwise.dtd">'
    )
    return bytes(
        etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True, doctype=doctype)
    )


def _strokes(part: Part) -> list[str]:
    """The names of what the notes without pitch strike, in order of their first stroke."""
    return list(
        dict.fromkeys(
            n.stroke for b in part.bars for n in b.notes if n.stroke and not n.stroke.startswith("line ")
        )
    )


def _part_id(part: Part) -> str:
    plain = "".join(c if c.isalnum() or c in "-_." else "_" for c in part.id)
    return plain if plain[:1].isalpha() else f"P{plain}"


def _add(parent: Element, tag: str, text: str | None = None, **attributes: str) -> Element:
    element = etree.SubElement(parent, tag, dict(attributes))
    if text is not None:
        element.text = "".join(c for c in text if c >= " " or c in "\t\n")
    return element


def regular_lines(part: Part, bars_per_line: int) -> set[int]:
    """The indexes of the bars that begin a line: after so many bars, and where an exercise begins.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> regular_lines(read_abc("M:2/4\\nL:1/4\\nK:C\\nC D|E F|G A|")[0].parts[0], 2)
    {2}
    """
    starts = {k for k, b in enumerate(part.bars) if b.heading and k}
    if bars_per_line:
        pickup = int(bool(part.bars) and part.bars[0].implicit)
        starts |= set(range(pickup + bars_per_line, len(part.bars), bars_per_line))
    return starts


def rest_blocks(part: Part) -> dict[int, int]:
    """Bars of rest that are printed as one: how many, by the index of the first. Two at least, nothing new
    within them, nothing printed over them.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:2/4\\nL:1/4\\nK:F\\nF G|z2|z2|z2|c2|")[0].parts[0]
    >>> rest_blocks(part)
    {1: 3}
    """
    out: dict[int, int] = {}
    start, before = -1, None
    for k, bar in enumerate(part.bars):
        silent = len(bar.notes) == 1 and bar.notes[0].is_rest and bar.notes[0].duration == bar.length
        silent = silent and not bar.notes[0].fermata and not bar.implicit and not bar.to_fill
        begins = bool(
            bar.marks or bar.repeat_start or bar.ending_start or bar.segno or bar.coda or bar.heading
        ) or (before is not None and _signature(before) != _signature(bar))
        if silent and start >= 0 and not begins:
            out[start] += 1
        else:
            start = k if silent else -1
            if silent:
                out[start] = 1
        if bar.repeat_times or bar.ending_stop or bar.double_bar or bar.final_bar or _goes_on_elsewhere(bar):
            start = -1
        before = bar
    return {k: n for k, n in out.items() if n > 1}


def _signature(bar: Bar) -> tuple[object, ...]:
    return bar.fifths, bar.beats, bar.beat_type, bar.clef


def _goes_on_elsewhere(bar: Bar) -> bool:
    return bar.fine or bar.to_coda or bar.dacapo or bar.dalsegno


def _part(
    element: Element, part: Part, texts: Mapping[str, str], line_starts: Collection[int], block_rests: bool
) -> None:
    divisions = 1
    for bar in part.bars:
        for note in bar.notes:
            divisions = math.lcm(divisions, note.duration.denominator, note.offset.denominator)
        for mark in bar.marks:
            divisions = math.lcm(divisions, mark.offset.denominator)
    divisions = min(divisions, 10080)
    strokes = {name: f"{_part_id(part)}-I{k}" for k, name in enumerate(_strokes(part), 2)}
    before: Bar | None = None
    blocks = rest_blocks(part) if block_rests else {}
    for index, bar in enumerate(part.bars):
        measure = _add(element, "measure", number=bar.number, **({"implicit": "yes"} if bar.implicit else {}))
        if index in line_starts:
            _add(measure, "print", **{"new-system": "yes"})
        _left_barline(measure, bar)
        _attributes(measure, bar, before, divisions, part if index == 0 else None)
        if index in blocks:
            attributes = measure.find("attributes")
            style = _add(_add(measure, "attributes") if attributes is None else attributes, "measure-style")
            _add(style, "multiple-rest", str(blocks[index]))
        _bar(measure, bar, divisions, texts, strokes, _until(part))
        _right_barline(measure, bar)
        before = bar


def _attributes(measure: Element, bar: Bar, before: Bar | None, divisions: int, part: Part | None) -> None:
    if before is not None and _signature(bar) == _signature(before):
        return
    attributes = _add(measure, "attributes")
    if before is None:
        _add(attributes, "divisions", str(divisions))
    if before is None or bar.fifths != before.fifths:
        key = _add(attributes, "key")
        _add(key, "fifths", str(bar.fifths))
        _add(key, "mode", bar.mode)
    if before is None or (bar.beats, bar.beat_type) != (before.beats, before.beat_type):
        time = _add(attributes, "time")
        _add(time, "beats", str(bar.beats))
        _add(time, "beat-type", str(bar.beat_type))
    if before is None or bar.clef != before.clef:
        clef = _add(attributes, "clef")
        _add(clef, "sign", bar.clef[0])
        _add(clef, "line", str(bar.clef[1]))
        if bar.clef[2]:
            _add(clef, "clef-octave-change", str(bar.clef[2]))
    if part is not None and part.chromatic:
        transpose = _add(attributes, "transpose")
        octaves = int(part.chromatic / 12)
        _add(transpose, "diatonic", str(part.diatonic - 7 * octaves))
        _add(transpose, "chromatic", str(part.chromatic - 12 * octaves))
        if octaves:
            _add(transpose, "octave-change", str(octaves))


def _left_barline(measure: Element, bar: Bar) -> None:
    if not (bar.repeat_start or bar.ending_start):
        return
    barline = _add(measure, "barline", location="left")
    if bar.repeat_start:
        _add(barline, "bar-style", "heavy-light")
    if bar.ending_start:
        numbers = ", ".join(str(n) for n in bar.ending)
        _add(barline, "ending", f"{numbers}.", number=numbers, type="start")
    if bar.repeat_start:
        _add(barline, "repeat", direction="forward")


def _right_barline(measure: Element, bar: Bar) -> None:
    style = "light-heavy" if bar.repeat_times or bar.final_bar else "light-light" if bar.double_bar else ""
    if not style and not bar.ending_stop:
        return
    barline = _add(measure, "barline", location="right")
    if style:
        _add(barline, "bar-style", style)
    if bar.ending_stop:
        _add(barline, "ending", number=", ".join(str(n) for n in bar.ending) or "1", type=bar.ending_stop)
    if bar.repeat_times:
        _add(
            barline,
            "repeat",
            direction="backward",
            **({"times": str(bar.repeat_times)} if bar.repeat_times > 2 else {}),
        )


def _until(part: Part) -> str:
    """What a player who goes back is told besides: how far."""
    if any(b.to_coda or b.coda for b in part.bars):
        return " al Coda"
    return " al Fine" if any(b.fine for b in part.bars) else ""


def _bar(
    measure: Element,
    bar: Bar,
    divisions: int,
    texts: Mapping[str, str],
    strokes: Mapping[str, str],
    until: str,
) -> None:
    for flag in ("segno", "coda"):
        if getattr(bar, flag):
            _add(_add(_add(measure, "direction", placement="above"), "direction-type"), flag)
    beams = compute_beams(bar)
    waiting = sorted(bar.marks, key=lambda m: m.offset)
    now = Fraction(0)
    for k, note in enumerate(bar.notes):
        while waiting and waiting[0].offset <= note.offset:
            _direction(measure, waiting.pop(0), bar)
        if bar.heading and k == 0:  # after what stands nearer to the staff
            direction = _add(measure, "direction", placement="above")
            _add(_add(direction, "direction-type"), "words", bar.heading, **{"font-weight": "bold"})
        if note.id in texts:
            direction = _add(measure, "direction", placement="above")
            _add(_add(direction, "direction-type"), "words", texts[note.id], **{"font-size": "8"})
        if note.offset > now and not note.chord and not note.grace:
            _add(_add(measure, "forward"), "duration", str(int((note.offset - now) * divisions)))
        _note(measure, note, divisions, note.beams or beams.get(k, ()), strokes)
        if not note.chord:
            now = max(now, note.offset + note.duration)
    for mark in waiting:
        _direction(measure, mark, bar)
    for flag, words, sound in (
        ("fine", "Fine", "fine"),
        ("to_coda", "To Coda", "tocoda"),
        ("dacapo", f"D.C.{until}", "dacapo"),
        ("dalsegno", f"D.S.{until}", "dalsegno"),
    ):
        if getattr(bar, flag):
            direction = _add(measure, "direction", placement="above")
            written = next(
                (
                    m.text
                    for m in bar.marks
                    if m.kind == "words" and m.text.casefold().startswith(words.casefold()[:3])
                ),
                None,
            )
            if written is None:
                _add(_add(direction, "direction-type"), "words", words)
            else:
                measure.remove(direction)
                continue
            _add(direction, "sound", **{sound: "yes"})


def _direction(measure: Element, mark: Mark, bar: Bar) -> None:
    direction = _add(measure, "direction", placement="above" if mark.above else "below")
    kind = _add(direction, "direction-type")
    if mark.kind == "tempo":
        metronome = _add(kind, "metronome")
        unit = mark.beat_unit or "quarter"
        _add(metronome, "beat-unit", unit.rstrip("."))
        if unit.endswith("."):
            _add(metronome, "beat-unit-dot")
        _add(metronome, "per-minute", mark.per_minute or f"{mark.value:g}")
        _add(direction, "sound", tempo=f"{mark.value:g}")
    elif mark.kind == "dynamics":
        dynamics = _add(kind, "dynamics")
        if mark.text in ("ppp", "pp", "p", "mp", "mf", "f", "ff", "fff", "sf", "sfz", "fp"):
            _add(dynamics, mark.text)
        else:
            _add(dynamics, "other-dynamics", mark.text)
    elif mark.kind == "wedge":
        _add(kind, "wedge", type=mark.text)
    else:
        _add(kind, "words", mark.text)


def _note(
    measure: Element, note: Note, divisions: int, beams: tuple[str, ...], strokes: Mapping[str, str]
) -> None:
    element = _add(measure, "note", id=note.id)
    if note.grace:
        _add(element, "grace", **({"slash": "yes"} if note.slash else {}))
    if note.cue:
        _add(element, "cue")
    if note.chord:
        _add(element, "chord")
    if note.pitch is not None:
        pitch = _add(element, "pitch")
        _add(pitch, "step", note.pitch.step)
        if note.pitch.alter:
            _add(pitch, "alter", str(note.pitch.alter))
        _add(pitch, "octave", str(note.pitch.octave))
    elif note.unpitched:
        unpitched = _add(element, "unpitched")
        _add(unpitched, "display-step", note.display[:1] or "B")
        _add(unpitched, "display-octave", note.display[1:] or "4")
    else:
        _add(element, "rest", **({"measure": "yes"} if note.whole_bar else {}))
    if not note.grace:
        _add(element, "duration", str(max(1, int(note.duration * divisions))))
    for flag, kind in ((note.tie_stop, "stop"), (note.tie_start, "start")):
        if flag:
            _add(element, "tie", type=kind)
    if note.stroke in strokes:
        _add(element, "instrument", id=strokes[note.stroke])
    _add(element, "voice", "1")
    if not note.whole_bar:
        _add(element, "type", note.type)
        for _ in range(note.dots):
            _add(element, "dot")
    if note.accidental:
        _add(
            element,
            "accidental",
            note.accidental,
            **({"cautionary": "yes", "parentheses": "yes"} if note.cautionary else {}),
        )
    if note.tuplet:
        modification = _add(element, "time-modification")
        _add(modification, "actual-notes", str(note.tuplet[0]))
        _add(modification, "normal-notes", str(note.tuplet[1]))
    if note.unpitched and not note.grace:
        _add(element, "stem", "up")  # what is struck: the hands' notes and the feet's on one stem
    if note.head:
        _add(element, "notehead", note.head)
    for level, beam in enumerate(beams, 1):
        _add(element, "beam", beam, number=str(level))
    _notations(element, note)


def _notations(element: Element, note: Note) -> None:
    notations = etree.Element("notations")
    for flag, kind in ((note.tie_stop, "stop"), (note.tie_start, "start")):
        if flag:
            _add(notations, "tied", type=kind)
    for number in note.slur_stops:
        _add(notations, "slur", number=number if number.isdigit() else "1", type="stop")
    for number in note.slur_starts:
        _add(notations, "slur", number=number if number.isdigit() else "1", type="start")
    if note.tuplet and note.tuplet_mark:
        _add(
            notations, "tuplet", type=note.tuplet_mark, bracket="yes" if note.tuplet_mark == "start" else "no"
        )
    if note.ornament in _ORNAMENT_TAGS:
        _add(_add(notations, "ornaments"), _ORNAMENT_TAGS[note.ornament])
    if note.articulations or note.breath_after:
        articulations = _add(notations, "articulations")
        for mark in note.articulations:
            _add(articulations, mark)
        if note.breath_after:
            _add(articulations, "breath-mark")
    if note.fermata:
        _add(notations, "fermata")
    if len(notations):
        element.append(notations)


def compute_beams(bar: Bar) -> dict[int, tuple[str, ...]]:
    """Beams by index of the note in the bar, in groups of the metre's beat; empty where the file brought its
    own.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> bar = read_abc("M:2/4\\nL:1/8\\nK:C\\nC D E F|")[0].parts[0].bars[0]
    >>> compute_beams(bar)[0]
    ('begin',)
    """
    if any(n.beams for n in bar.notes):
        return {}
    ends = list(itertools.accumulate(bar.metre.beam_groups))
    lead = bar.metre.length - bar.length if bar.implicit else Fraction(0)
    groups: dict[int, list[int]] = {}
    main: list[int] = []  # of a chord the first note
    for k, note in enumerate(bar.notes):
        if note.chord:
            continue
        main.append(k)
        if note.is_rest or note.grace or note.type not in _FLAGS:
            continue
        groups.setdefault(bisect.bisect_right(ends, note.offset + lead), []).append(k)
    out: dict[int, list[str]] = {}
    for members in groups.values():
        runs: list[list[int]] = []
        for k in members:
            if runs and main.index(runs[-1][-1]) == main.index(k) - 1:
                runs[-1].append(k)
            else:
                runs.append([k])
        for run in runs:
            if len(run) > 1:
                for k in run:
                    out[k] = []
                for level in range(1, 1 + max(_FLAGS[bar.notes[k].type] for k in run)):
                    _beam_level(bar, run, level, out)
    return {k: tuple(v) for k, v in out.items()}


def _beam_level(bar: Bar, run: list[int], level: int, out: dict[int, list[str]]) -> None:
    has = [_FLAGS[bar.notes[k].type] >= level for k in run]
    for p, k in enumerate(run):
        if not has[p]:
            continue
        left, right = p > 0 and has[p - 1], p + 1 < len(run) and has[p + 1]
        out[k].append(
            "continue"
            if left and right
            else "begin"
            if right
            else "end"
            if left
            else "forward hook"
            if p == 0
            else "backward hook"
        )


__all__ = ["compute_beams", "write_musicxml"]
