"""Every number of judging, with unit and reason: the tolerances a teacher can choose, and the limits of our
own listening.
"""

from __future__ import annotations

import dataclasses
import math
from dataclasses import dataclass, field
from typing import Any

from jeweller.errors import SettingError
from jeweller.i18n import _
from jeweller.notes.evidence import EvidenceLimits
from jeweller.setting import number

REFERENCES = (390.0, 470.0)  # Hz: between the lowest and the highest A that ensembles have tuned to


def _choice(default: Any, unit: str, why: str) -> Any:
    return field(default=default, metadata={"unit": unit, "why": why})


@dataclass(frozen=True, kw_only=True)
class AssessmentSettings:
    """The standard tolerance. `gentle` and `strict` change the numbers named in TOLERANCES."""

    tolerance: str = _choice("standard", "name", "gentle, standard or strict")
    articulation: str = _choice(
        "printed", "name", "what is asked for: printed, slurs-optional, joined, detached or free"
    )
    trill_first: str = _choice("either", "name", "the first note of a trill: either, upper or main")
    graces: str = _choice("either", "name", "grace notes sound before the beat, on it, or either")
    dots: str = _choice("written", "name", "dotted rhythms: as written, double-dotted, or either")
    repeats: str = _choice("all", "name", "repeats are played (all), or may be left out (free)")
    pitch_reference: float = number(440.0, "Hz", REFERENCES, "tuning is told against this A")
    # Pitch
    wrong_cents: float = number(
        60.0, "cents", (0, 600), "so far off and nearer another semitone is another note"
    )
    tune_cents: float = number(
        30.0, "cents", (0, 600), "so far off is out of tune, on notes of half a beat and more"
    )
    tuned_cents: float = number(12.0, "cents", (0, 600), "so far off as a whole is said as slide advice")
    octave_evenness: float = number(
        0.78, "share", (0, 10), "periodicity at half the period from which the octave above is thought of"
    )
    octave_partials_db: float = number(
        2.5, "dB", (0, 60), "the octave above sounds if the odd partials stand out by less"
    )
    stroke_odds: float = number(
        11.0,
        "log odds",
        (0, 100),
        "another line of a drum part was struck if its sound is likelier by so much",
    )
    # Time
    early_beats: float = number(0.16, "beats", (0, 8), "a note is early or late beyond this")
    early_share: float = number(
        0.45, "share of the shorter neighbouring note", (0, 10), "or beyond this, whichever is less"
    )
    early_min_s: float = number(0.045, "s", (0, 10), "and at least this: less is not heard")
    step_beats: float = number(
        0.6, "beats", (0, 8), "all that follows shifted by this is a step in the count"
    )
    step_share: float = number(0.6, "share of the rest or long note", (0, 10), "or by this, where it is less")
    tempo_share: float = number(
        0.08, "share", (0, 10), "the local tempo leaves the take's own by this: rushing, dragging"
    )
    tempo_quarters: float = number(3.0, "quarters", (0, 64), "over at least this long")
    figure_share: float = number(0.12, "share", (0, 10), "a figure of short notes squeezed by this")
    uneven_ratio: float = number(1.25, "ratio", (0, 20), "equal notes that alternate by more are uneven")
    dot_even_ratio: float = number(
        1.75,
        "ratio",
        (0, 20),
        "dotted pairs below this, pooled, are no longer 3 : 1: the middle between 1 : 1 and 3 : 1",
    )
    dot_single_ratio: float = number(1.45, "ratio", (0, 20), "a single dotted pair is named only below this")
    onset_error_s: float = number(0.016, "s", (0, 10), "our own error in placing an onset")
    dot_over_ratio: float = number(
        4.0, "ratio", (0, 20), "dotted pairs above this, pooled, are overdone: between 3 : 1 and 5 : 1"
    )
    dot_over_single_ratio: float = number(
        4.4, "ratio", (0, 20), "a single dotted pair is named only above this"
    )
    click_share: float = number(
        0.15, "beats", (0, 8), "a constant lag behind the click, or before it, beyond this"
    )
    asked_share: float = number(0.10, "share", (0, 10), "a tempo asked for is missed by more")
    # Articulation
    tongue_dip_db: float = number(
        9.5, "dB", (0, 60), "so deep a dip in a slur of notes of 0.4 s, with a plain attack, is a tongue"
    )
    run_on_db: float = number(
        0.8,
        "dB",
        (0, 60),
        "so shallow a dip after a tongued note of 0.7 s, where the player's others dip by 8 dB, is no tongue",
    )
    breath_s: float = number(0.14, "s", (0, 10), "a longer gap is a breath")
    detached_share: float = number(
        0.80, "share of the time to the next note", (0, 10), "a note marked short sounds for less"
    )
    joined_share: float = number(
        0.85, "share of the time to the next note", (0, 10), "a joined note sounds for more"
    )
    # Sound
    sag_cents: float = number(22.0, "cents", (0, 600), "a long note that sinks by so much,")
    sag_db: float = number(1.5, "dB", (0, 60), "and gets softer by so much, sags")
    waver_cents: float = number(
        10.0,
        "cents",
        (0, 600),
        "a slow waver of pitch (vibrato taken out) of so much, one standard deviation, is unsteady",
    )
    breathy_db: float = number(
        -14.0, "dB", (-40, 0), "beside the tones: so much breath is heard throughout a take"
    )
    fuzzy_db: float = number(
        6.0,
        "dB",
        (1, 40),
        "so much more beside the tone than the player's usual, and than the take's own variety, is fuzzy",
    )
    dynamics_db: float = number(
        2.0, "dB", (0, 60), "a written change of loudness of which less is heard is flat"
    )
    # Lengths
    long_beats: float = number(1.5, "beats", (0, 8), "from here a note is long")
    cut_share: float = number(0.60, "share", (0, 10), "a long note that sounds for less is cut short")
    cut_beats: float = number(0.75, "beats", (0, 8), "or, with nothing after it, ends so much early")
    fill_share: float = number(0.35, "share of the rest", (0, 10), "sounding into a rest by more fills it")
    fill_min_s: float = number(0.20, "s", (0, 10), "and by at least this")

    @property
    def evidence_limits(self) -> EvidenceLimits:
        """From where notes are looked at more closely under these settings."""
        return EvidenceLimits(
            wrong_cents=self.wrong_cents, octave_evenness=self.octave_evenness, run_on_db=self.run_on_db
        )

    @property
    def reference_shift(self) -> int:
        """Whole semitones from A 440 to the pitch reference: at 415 Hz everything sounds one lower than
        written.
        """
        return round(12.0 * math.log2(self.pitch_reference / 440.0))


TOLERANCES: dict[str, dict[str, Any]] = {
    "gentle": {
        "early_beats": 0.24,
        "tune_cents": 40.0,
        "tempo_share": 0.12,
        "uneven_ratio": 1.5,
        "cut_share": 0.5,
        "tuned_cents": 20.0,
    },
    "standard": {},
    "strict": {
        "early_beats": 0.10,
        "tune_cents": 20.0,
        "tempo_share": 0.06,
        "uneven_ratio": 1.18,
        "cut_share": 0.7,
        "tuned_cents": 8.0,
    },
}
ARTICULATIONS = ("printed", "slurs-optional", "joined", "detached", "free")
CHOICES = {
    "tolerance": tuple(TOLERANCES),
    "articulation": ARTICULATIONS,
    "trill_first": ("either", "upper", "main"),
    "graces": ("either", "before", "on"),
    "dots": ("written", "double", "either"),
    "repeats": ("all", "free"),
}


def make_settings(
    tolerance: str = "standard", articulation: str = "printed", changes: dict[str, str] | None = None
) -> AssessmentSettings:
    """Settings by tolerance, with single ones changed by name. Raises SettingError, naming what would
    work.
    """
    changed = {"tolerance": tolerance, "articulation": articulation, **(changes or {})}
    known = {f.name: f for f in dataclasses.fields(AssessmentSettings)}
    chosen: dict[str, Any] = {}
    for name, text in changed.items():
        if name not in known:
            raise SettingError(
                _("There is no setting “{name}”; there are {names}.").format(
                    name=name, names=", ".join(known)
                )
            )
        if name in CHOICES:
            if text not in CHOICES[name]:
                raise SettingError(
                    _("There is no {name} “{text}”; choose {others} or {last}.").format(
                        name=name, text=text, others=", ".join(CHOICES[name][:-1]), last=CHOICES[name][-1]
                    )
                )
            chosen[name] = text
            continue
        try:
            value = float(text)
        except ValueError:
            raise SettingError(
                _("The setting {name} takes a number ({unit}), not “{text}”.").format(
                    name=name, unit=known[name].metadata["unit"], text=text
                )
            ) from None
        low, high = known[name].metadata["bounds"]
        if name == "pitch_reference" and not low <= value <= high:
            raise SettingError(
                _("An A of {text} Hz is out of range; use {low:g} to {high:g}.").format(
                    text=text, low=low, high=high
                )
            )
        if not low < value <= high:
            raise SettingError(
                _("The setting {name} cannot be {text}; it is {usual:g} {unit} by default.").format(
                    name=name, text=text, usual=known[name].default, unit=known[name].metadata["unit"]
                )
            )
        chosen[name] = value
    return dataclasses.replace(AssessmentSettings(), **{**TOLERANCES[chosen["tolerance"]], **chosen})
