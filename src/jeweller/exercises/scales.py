"""Scales as steps of letters and semitones, spelled from any tonic, with the key signature they are printed
under.
"""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.errors import DrillError
from jeweller.i18n import N_, _
from jeweller.notation.pitch import STEP_SEMITONE, STEPS, Pitch

BLACK = frozenset({1, 3, 6, 8, 10})
LETTER_FIFTHS = {"F": -1, "C": 0, "G": 1, "D": 2, "A": 3, "E": 4, "B": 5}


@dataclass(frozen=True, kw_only=True)
class Scale:
    """One octave going up: (letters above the tonic, semitones above it). `down` where it comes down
    otherwise. `key`: fifths from the tonic's major key.
    """

    name: str
    degrees: tuple[tuple[int, int], ...]
    key: int | None = 0  # None: printed without a signature
    down: tuple[tuple[int, int], ...] = ()
    mode: str = "major"


def _seven(text: str) -> tuple[tuple[int, int], ...]:
    return tuple(enumerate(int(n) for n in text.split()))


SCALES = {
    s.name: s
    for s in (
        Scale(name=N_("major"), degrees=_seven("0 2 4 5 7 9 11")),
        Scale(name=N_("natural minor"), degrees=_seven("0 2 3 5 7 8 10"), key=-3, mode="minor"),
        Scale(name=N_("harmonic minor"), degrees=_seven("0 2 3 5 7 8 11"), key=-3, mode="minor"),
        Scale(
            name=N_("melodic minor"),
            degrees=_seven("0 2 3 5 7 9 11"),
            key=-3,
            down=_seven("0 2 3 5 7 8 10"),
            mode="minor",
        ),
        Scale(name=N_("dorian"), degrees=_seven("0 2 3 5 7 9 10"), key=-2),
        Scale(name=N_("phrygian"), degrees=_seven("0 1 3 5 7 8 10"), key=-4),
        Scale(name=N_("lydian"), degrees=_seven("0 2 4 6 7 9 11"), key=1),
        Scale(name=N_("mixolydian"), degrees=_seven("0 2 4 5 7 9 10"), key=-1),
        Scale(name=N_("locrian"), degrees=_seven("0 1 3 5 6 8 10"), key=-5),
        Scale(name=N_("major pentatonic"), degrees=((0, 0), (1, 2), (2, 4), (4, 7), (5, 9))),
        Scale(
            name=N_("minor pentatonic"),
            degrees=((0, 0), (2, 3), (3, 5), (4, 7), (6, 10)),
            key=-3,
            mode="minor",
        ),
        Scale(
            name=N_("blues"),
            degrees=((0, 0), (2, 3), (3, 5), (3, 6), (4, 7), (6, 10)),
            key=-3,
            down=((0, 0), (2, 3), (3, 5), (4, 6), (4, 7), (6, 10)),
            mode="minor",
        ),
        Scale(name=N_("whole-tone"), degrees=((0, 0), (1, 2), (2, 4), (3, 6), (4, 8), (5, 10)), key=None),
        Scale(
            name=N_("chromatic"),
            degrees=(
                (0, 0),
                (0, 1),
                (1, 2),
                (1, 3),
                (2, 4),
                (3, 5),
                (3, 6),
                (4, 7),
                (4, 8),
                (5, 9),
                (5, 10),
                (6, 11),
            ),
            key=None,
            down=(
                (0, 0),
                (1, 1),
                (1, 2),
                (2, 3),
                (2, 4),
                (3, 5),
                (4, 6),
                (4, 7),
                (5, 8),
                (5, 9),
                (6, 10),
                (6, 11),
            ),
        ),
    )
}


# The notes of chords that are asked for by name, under the signature of the key they are mostly met in.
CHORDS_BY_NAME = {
    s.name: s
    for s in (
        Scale(name=N_("major triad"), degrees=((0, 0), (2, 4), (4, 7))),
        Scale(name=N_("minor triad"), degrees=((0, 0), (2, 3), (4, 7)), key=-3, mode="minor"),
        Scale(name=N_("diminished triad"), degrees=((0, 0), (2, 3), (4, 6)), key=-5),
        Scale(name=N_("augmented triad"), degrees=((0, 0), (2, 4), (4, 8))),
        Scale(name=N_("dominant seventh"), degrees=((0, 0), (2, 4), (4, 7), (6, 10)), key=-1),
        Scale(name=N_("major seventh"), degrees=((0, 0), (2, 4), (4, 7), (6, 11))),
        Scale(name=N_("minor seventh"), degrees=((0, 0), (2, 3), (4, 7), (6, 10)), key=-3, mode="minor"),
        Scale(name=N_("half-diminished seventh"), degrees=((0, 0), (2, 3), (4, 6), (6, 10)), key=-5),
        Scale(name=N_("diminished seventh"), degrees=((0, 0), (2, 3), (4, 6), (6, 9)), key=-5),
    )
}


def tonic_fifths(tonic: Pitch) -> int:
    """The fifths of the major key on a tonic; beyond ±7 it is printed otherwise."""
    return LETTER_FIFTHS[tonic.step] + 7 * tonic.alter


def key_of(scale: Scale, tonic: Pitch) -> int | None:
    """The key signature a scale is printed under, in fifths; None where it would have more than seven
    signs.
    """
    if scale.key is None:
        return 0
    fifths = tonic_fifths(tonic) + scale.key
    return fifths if -7 <= fifths <= 7 else None


def enharmonic_equal(pitch: Pitch) -> Pitch:
    """The usual other spelling of a black key, or of a letter with a sign; others stay."""
    for step in range(-1, 2):
        index = STEPS.index(pitch.step) + step
        octave, letter = pitch.octave + index // 7, STEPS[index % 7]
        alter = pitch.midi - 12 * (octave + 1) - STEP_SEMITONE[letter]
        if step and abs(alter) <= 1 and (letter, alter) != (pitch.step, pitch.alter):
            return Pitch(letter, alter, octave)
    return pitch


def printable_tonic(scale: Scale, tonic: Pitch) -> Pitch:
    """The tonic, or its equal where the key would have more signs."""
    other = enharmonic_equal(tonic)
    signs = [abs(f) if (f := key_of(scale, t)) is not None else 99 for t in (tonic, other)]
    if scale.key is None:  # no signature: the plainer letter
        signs = [abs(t.alter) * 10 + (t.step in "EB" and t.alter > 0) for t in (tonic, other)]
    return other if signs[1] < signs[0] else tonic


def notes_of(scale: Scale, tonic: Pitch, low: int, high: int, *, down: bool = False) -> list[Pitch]:
    """Every note of the scale from MIDI `low` to `high`, lowest first, spelled from the tonic's letter;
    `down` as the scale comes down.
    """
    out = []
    for octave in range(-1, 10):
        for letters, semitones in scale.down if down and scale.down else scale.degrees:
            index = STEPS.index(tonic.step) + letters
            step, up = STEPS[index % 7], index // 7
            midi = Pitch(tonic.step, tonic.alter, octave).midi + semitones
            alter = midi - 12 * (octave + up + 1) - STEP_SEMITONE[step]
            if low <= midi <= high:
                pitch = Pitch(step, alter, octave + up)
                # Without a key to read it by, a plain letter: no E♯, no double signs.
                out.append(
                    _plain(midi, flats=down)
                    if scale.key is None
                    and (
                        abs(alter) > 1
                        or (STEP_SEMITONE[step] + alter not in BLACK and alter)
                        # all twelve come down in flats, but for the tonic itself
                        or (down and alter > 0 and semitones and len(scale.degrees) == 12)
                    )
                    else pitch
                )
    return out


def _plain(midi: int, *, flats: bool = False) -> Pitch:
    """A note by its plain letter, black keys as sharps, or as flats."""
    step = next((s for s in STEPS if (midi - STEP_SEMITONE[s]) % 12 == 0), None)
    if step is None:
        beside = _plain(midi + 1 if flats else midi - 1)
        return Pitch(beside.step, -1 if flats else 1, beside.octave)
    return Pitch(step, 0, (midi - STEP_SEMITONE[step]) // 12 - 1)


def read_tonic(text: str) -> Pitch | None:
    """A tonic by name: "B♭", "Bb", "f#"; None where it is none."""
    plain = text.strip().replace("♭", "b").replace("♯", "#")
    if not plain or plain[0].upper() not in STEPS or plain[1:] not in ("", "b", "#"):
        return None
    return Pitch(plain[0].upper(), {"": 0, "b": -1, "#": 1}[plain[1:]], 4)


def require_tonic(text: str) -> Pitch:
    """A tonic that is known to be one. Raises DrillError."""
    tonic = read_tonic(text)
    if tonic is None:
        raise DrillError(
            _("“{text}” is no key; write a letter from A to G, with b or # where it needs one.").format(
                text=text
            )
        )
    return tonic
