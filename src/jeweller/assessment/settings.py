"""Every number of judging, with unit and reason: the tolerances a teacher can choose, and the limits of our
own listening.
"""

from __future__ import annotations

import dataclasses
import math
from dataclasses import dataclass, field
from typing import Any

from jeweller.errors import SettingError
from jeweller.notes.evidence import EvidenceLimits


def _s(default: Any, unit: str, why: str) -> Any:
    return field(default=default, metadata={"unit": unit, "why": why})


@dataclass(frozen=True, kw_only=True)
class AssessmentSettings:
    """The standard tolerance. `gentle` and `strict` change the numbers named in TOLERANCES."""

    tolerance: str = _s("standard", "name", "gentle, standard or strict")
    articulation: str = _s(
        "printed", "name", "what is asked for: printed, slurs-optional, joined, detached or free"
    )
    trill_first: str = _s("either", "name", "the first note of a trill: either, upper or main")
    graces: str = _s("either", "name", "grace notes sound before the beat, on it, or either")
    repeats: str = _s("all", "name", "repeats are played (all), or may be left out (free)")
    pitch_reference: float = _s(440.0, "Hz", "tuning is told against this A")
    # Pitch
    wrong_cents: float = _s(60.0, "cents", "so far off and nearer another semitone is another note")
    tune_cents: float = _s(30.0, "cents", "so far off is out of tune, on notes of half a beat and more")
    tuned_cents: float = _s(12.0, "cents", "so far off as a whole is said as slide advice")
    octave_evenness: float = _s(
        0.78, "share", "periodicity at half the period from which the octave above is thought of"
    )
    octave_partials_db: float = _s(2.5, "dB", "the octave above sounds if the odd partials stand out by less")
    stroke_odds: float = _s(
        11.0, "log odds", "another line of a drum part was struck if its sound is likelier by so much"
    )
    # Time
    early_beats: float = _s(0.16, "beats", "a note is early or late beyond this")
    early_share: float = _s(
        0.45, "share of the shorter neighbouring note", "or beyond this, whichever is less"
    )
    early_min_s: float = _s(0.045, "s", "and at least this: less is not heard")
    step_beats: float = _s(0.6, "beats", "all that follows shifted by this is a step in the count")
    step_share: float = _s(0.6, "share of the rest or long note", "or by this, where it is less")
    tempo_share: float = _s(0.08, "share", "the local tempo leaves the take's own by this: rushing, dragging")
    tempo_quarters: float = _s(3.0, "quarters", "over at least this long")
    figure_share: float = _s(0.12, "share", "a figure of short notes squeezed by this")
    uneven_ratio: float = _s(1.25, "ratio", "equal notes that alternate by more are uneven")
    uneven_spread: float = _s(0.20, "share", "or whose lengths spread by more")
    dot_even_ratio: float = _s(
        1.75,
        "ratio",
        "dotted pairs below this, pooled, are no longer 3 : 1: the middle between 1 : 1 and 3 : 1",
    )
    dot_single_ratio: float = _s(1.45, "ratio", "a single dotted pair is named only below this")
    onset_error_s: float = _s(0.016, "s", "our own error in placing an onset")
    dot_over_ratio: float = _s(
        4.0, "ratio", "dotted pairs above this, pooled, are overdone: between 3 : 1 and 5 : 1"
    )
    dot_over_single_ratio: float = _s(4.4, "ratio", "a single dotted pair is named only above this")
    click_share: float = _s(0.15, "beats", "a constant lag behind the click, or before it, beyond this")
    asked_share: float = _s(0.10, "share", "a tempo asked for is missed by more")
    # Articulation
    tongue_dip_db: float = _s(
        9.5, "dB", "so deep a dip in a slur of notes of 0.4 s, with a plain attack, is a tongue"
    )
    run_on_db: float = _s(
        0.8,
        "dB",
        "so shallow a dip after a tongued note of 0.7 s, where the player's others dip by 8 dB, is no tongue",
    )
    breath_s: float = _s(0.14, "s", "a longer gap is a breath")
    detached_share: float = _s(
        0.80, "share of the time to the next note", "a note marked short sounds for less"
    )
    joined_share: float = _s(0.85, "share of the time to the next note", "a joined note sounds for more")
    # Sound
    sag_cents: float = _s(22.0, "cents", "a long note that sinks by so much,")
    sag_db: float = _s(1.5, "dB", "and gets softer by so much, sags")
    waver_cents: float = _s(
        10.0,
        "cents",
        "a slow waver of pitch (vibrato taken out) of so much, one standard deviation, is unsteady",
    )
    fuzzy_clarity: float = _s(
        0.07,
        "periodicity",
        "a note less clear than the player's usual, and than the take's own variety, by so much is fuzzy",
    )
    dynamics_db: float = _s(2.0, "dB", "a written change of loudness of which less is heard is flat")
    # Lengths
    long_beats: float = _s(1.5, "beats", "from here a note is long")
    cut_share: float = _s(0.60, "share", "a long note that sounds for less is cut short")
    cut_beats: float = _s(0.75, "beats", "or, with nothing after it, ends so much early")
    fill_share: float = _s(0.35, "share of the rest", "sounding into a rest by more fills it")
    fill_min_s: float = _s(0.20, "s", "and by at least this")

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
REFERENCES = (390.0, 470.0)  # Hz: between the lowest and the highest A that ensembles have tuned to
CHOICES = {
    "tolerance": tuple(TOLERANCES),
    "articulation": ARTICULATIONS,
    "trill_first": ("either", "upper", "main"),
    "graces": ("either", "before", "on"),
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
            raise SettingError(f"There is no setting “{name}”; there are {', '.join(known)}.")
        if name in CHOICES:
            if text not in CHOICES[name]:
                raise SettingError(
                    f"There is no {name} “{text}”; choose {', '.join(CHOICES[name][:-1])} or "
                    f"{CHOICES[name][-1]}."
                )
            chosen[name] = text
            continue
        try:
            value = float(text)
        except ValueError:
            raise SettingError(
                f"The setting {name} takes a number ({known[name].metadata['unit']}), not “{text}”."
            ) from None
        if name == "pitch_reference" and not REFERENCES[0] <= value <= REFERENCES[1]:
            raise SettingError(
                f"An A of {text} Hz is out of range; use {REFERENCES[0]:g} to {REFERENCES[1]:g}."
            )
        if not 0 < value < 10000:
            raise SettingError(
                f"The setting {name} cannot be {text}; it is {known[name].default:g} "
                f"{known[name].metadata['unit']} by default."
            )
        chosen[name] = value
    return dataclasses.replace(AssessmentSettings(), **{**TOLERANCES[chosen["tolerance"]], **chosen})
