"""What a made exercise is asked to be: `Drill`, every choice by name, and what each may be."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass
from fractions import Fraction

from jeweller.errors import DrillError
from jeweller.exercises.rhythms import ROWS
from jeweller.exercises.scales import CHORDS_BY_NAME, SCALES, Scale, read_tonic, require_tonic
from jeweller.i18n import N_, _
from jeweller.notation.metre import Metre

LEVELS = (N_("beginner"), N_("intermediate"), N_("advanced"))
KINDS = {
    "scale": N_("the scale itself"),
    "intervals": N_("the scale in thirds, fourths …"),
    "pattern": N_("a figure that climbs by step"),
    "arpeggio": N_("the notes of the chord"),
    "inversions": N_("the chord from each of its notes"),
    "chords": N_("the chords of the key, broken"),
    "leaps": N_("leaps that widen from one degree"),
    "long tones": N_("each note held, with counted rests"),
    "switch": N_("two notes to and fro"),
    "two notes": N_("two notes to improvise on"),
    "rhythm": N_("a rhythm line"),
    "shrinking": N_("held notes that get shorter, silent bars between"),
    "echo": N_("a bar to hear, a bar to answer"),
    "call": N_("the first player calls, all answer"),
    "tuning chord": N_("a chord built up note by note, to tune"),
    "chorale": N_("a chorale in four voices"),
    "drums": N_("a drum pattern"),
}
SPANS = (
    N_("five notes"),
    N_("tetrachord"),
    N_("one octave"),
    N_("two octaves"),
    N_("full range"),
)  # and "register NAME"
DIRECTIONS = (N_("up"), N_("down"), "both")
INTERVALS = {
    N_("thirds"): 2,
    N_("fourths"): 3,
    N_("fifths"): 4,
    N_("sixths"): 5,
    N_("sevenths"): 6,
    N_("octaves"): 7,
}
CHORDS = {N_("triad"): (0, 2, 4), N_("seventh"): (0, 2, 4, 6)}  # of the scale; others by name
ARTICULATIONS = (
    N_("tongued"),
    N_("slurred"),
    N_("two and two"),
    N_("slur two tongue two"),
    N_("tongue two slur two"),
    N_("slur three tongue one"),
    N_("staccato"),
    N_("tenuto"),
    N_("accents"),
)
DYNAMICS = ("none", N_("crescendo"), N_("diminuendo"), N_("swell"), N_("terraces"))
METRES = ("2/4", "3/4", "4/4", "5/4", "6/8", "3/8", "7/8", "2/2", "9/8", "12/8")
# What a bar may change to where a rhythm line holds changes of metre.
CHANGES = {
    "2/4": ("3/4",),
    "3/4": ("4/4", "2/4"),
    "4/4": ("3/4", "2/4"),
    "5/4": ("4/4", "3/4"),
    "6/8": ("9/8", "3/8"),
    "3/8": ("6/8",),
    "7/8": ("2/4", "3/4"),
    "2/2": ("3/2",),
    "9/8": ("6/8",),
    "12/8": ("9/8", "6/8"),
}
EVERY_KEY = N_("every key")
# Round the circle of fifths, from the key a band begins with.
KEYS = ("B♭", "F", "C", "G", "D", "A", "E", "B", "G♭", "D♭", "A♭", "E♭")
FEELS = (N_("even"), N_("swing"))
ON = (N_("one note"), N_("the scale"))
LEAPS = (N_("outward"), N_("inward"))
USES = (
    N_("dots"),
    N_("rests"),
    N_("ties"),
    N_("fast"),
    N_("long rests"),
    N_("changes of metre"),
)


@dataclass(frozen=True, kw_only=True)
class ExerciseRequest:
    """One exercise as asked for. `tonic` is a name; `concert`: it names the sounding key, else every player's
    written one.
    """

    kind: str = "scale"
    tonic: str = "B♭"
    scale: str = "major"
    concert: bool = True
    span: str = N_("one octave")
    direction: str = "both"
    rhythm: str = "quarters"
    interval: str = "thirds"
    figure: str = "1 2 3 1"  # degrees, the first being 1
    chord: str = "triad"
    progression: str = "1 4 5 1"  # the degrees that chords stand on
    degree: int = 1
    leaps: str = "outward"
    counts: int = 4
    rest: int = 4
    other: str = ""  # the second note of a switch; "": the next of the scale
    articulation: str = "tongued"
    dynamics: str = "none"
    metre: str = "4/4"
    feel: str = "even"
    bpm: int = 72
    bars: int = 8
    uses: tuple[str, ...] = ()  # what rhythm lines and drum patterns hold besides plain values
    pickup: bool = False
    on: str = N_("one note")
    level: str = "intermediate"
    seed: int = 1

    @property
    def beats(self) -> tuple[int, int]:
        top, _unused, bottom = self.metre.partition("/")
        return int(top), int(bottom)

    @property
    def bar_length(self) -> Fraction:
        return Metre(*self.beats).length

    @property
    def named_chord(self) -> bool:
        """Whether the notes are those of a chord by its own name, and of no scale."""
        return self.kind in ("arpeggio", "inversions") and self.chord in CHORDS_BY_NAME

    @property
    def notes_of(self) -> Scale:
        """What the notes are taken from."""
        return CHORDS_BY_NAME[self.chord] if self.named_chord else SCALES[self.scale]

    @property
    def figure_steps(self) -> tuple[int, ...]:
        return tuple(int(n) - 1 for n in self.figure.split())

    @property
    def keys(self) -> tuple[str, ...]:
        """The keys that the tonic names: one, several with commas between, or every key.

        >>> ExerciseRequest(tonic="F, Bb").keys, len(ExerciseRequest(tonic="every key").keys)
        (('F', 'Bb'), 12)
        """
        if self.tonic.strip().casefold() == EVERY_KEY:
            return KEYS
        return tuple(key.strip() for key in self.tonic.split(","))


CHOICES: dict[str, tuple[str, ...]] = {
    "kind": tuple(KINDS),
    "scale": tuple(SCALES),
    "direction": DIRECTIONS,
    "rhythm": tuple(ROWS),
    "interval": tuple(INTERVALS),
    "chord": (*CHORDS, *CHORDS_BY_NAME),
    "articulation": ARTICULATIONS,
    "dynamics": DYNAMICS,
    "metre": METRES,
    "on": ON,
    "level": LEVELS,
    "leaps": LEAPS,
    "feel": FEELS,
}
OF_CHORDS = ("chords", "tuning chord", "chorale")
BOUNDS = {
    "degree": (1, 7),
    "counts": (1, 32),
    "rest": (0, 16),
    "bpm": (30, 240),
    "bars": (1, 64),
    "seed": (0, 10**9),
}


def check_request(drill: ExerciseRequest) -> ExerciseRequest:
    """The drill, if it can be made. Raises DrillError, naming what would work."""
    for name, choices in CHOICES.items():
        value = getattr(drill, name)
        if value not in choices:
            raise DrillError(
                _("There is no {name} “{value}”; choose {choices} or {choices2}.").format(
                    name=name, value=value, choices=", ".join(choices[:-1]), choices2=choices[-1]
                )
            )
    for name, (low, high) in BOUNDS.items():
        value = getattr(drill, name)
        if not low <= value <= high:
            raise DrillError(
                _("The {name} of an exercise lies between {low} and {high}, not {value}.").format(
                    name=name, low=low, high=high, value=value
                )
            )
    for key in drill.keys:
        require_tonic(key)
    if drill.kind == "switch" and drill.other and read_tonic(drill.other) is None:
        raise DrillError(
            _("“{other}” is no note; write a letter from A to G, with b or # where it needs one.").format(
                other=drill.other
            )
        )
    if drill.span not in SPANS and not drill.span.startswith("register "):
        raise DrillError(
            _("There is no span “{span}”; choose {spans} or “register” and its name.").format(
                span=drill.span, spans=", ".join(SPANS)
            )
        )
    steps = drill.figure.split()
    if drill.kind == "pattern" and (
        not 2 <= len(steps) <= 16 or not all(s.isdigit() and 1 <= int(s) <= 8 for s in steps)
    ):
        raise DrillError(
            _("A figure is two to sixteen degrees from 1 to 8, as in “1 2 3 1”, not “{figure}”.").format(
                figure=drill.figure
            )
        )
    if unknown := [u for u in drill.uses if u not in USES]:
        raise DrillError(
            _("A rhythm can hold {uses}, not “{unknown}”.").format(uses=", ".join(USES), unknown=unknown[0])
        )
    of_a_scale = drill.kind in ("arpeggio", "inversions", *OF_CHORDS) and not drill.named_chord
    if of_a_scale and len(SCALES[drill.scale].degrees) != 7:
        raise DrillError(
            _(
                "The notes of a chord are taken from a scale of seven notes; the {scale} scale has {n}."
            ).format(scale=drill.scale, n=len(SCALES[drill.scale].degrees))
        )
    return drill


def apply_choices(drill: ExerciseRequest, choices: dict[str, str]) -> ExerciseRequest:
    """A drill with some choices made by name, as text. Raises DrillError."""
    known = {f.name: f for f in dataclasses.fields(ExerciseRequest)}
    changes: dict[str, object] = {}
    for name, text in choices.items():
        if name not in known:
            raise DrillError(
                _("An exercise has no “{name}”; it has {known}.").format(name=name, known=", ".join(known))
            )
        if name in BOUNDS:
            if not text.lstrip("-").isdigit():
                raise DrillError(_("The {name} is a number, not “{text}”.").format(name=name, text=text))
            changes[name] = int(text)
        elif name in ("concert", "pickup"):
            changes[name] = text.casefold() in ("yes", "true", "1", "on")
        elif name == "uses":
            changes[name] = tuple(u.strip() for u in text.split(",") if u.strip())
        else:
            changes[name] = text
    return check_request(dataclasses.replace(drill, **changes))  # type: ignore[arg-type]
