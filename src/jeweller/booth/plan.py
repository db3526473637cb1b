"""How a take is to be made: what of which piece, how fast, how counted in, with what help."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from jeweller.errors import ScoreError
from jeweller.i18n import N_, _
from jeweller.notation.excerpt import stand_alone
from jeweller.notation.model import Part, Score
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.pipeline.check import Options


class CountKind(StrEnum):
    """How a take is counted in."""

    NUMBERS = "numbers"
    CLICKS = "clicks"
    WORDS = "words"


class ClickKind(StrEnum):
    """Where clicks sound while the player plays."""

    ON = "on"
    OFF = "off"
    START = "start"
    FIRST = "first"
    FADING = "fading"


class Help(StrEnum):
    """The support ladder, from most help to none."""

    LISTEN = "listen"  # the model first, then alone
    TOGETHER = "together"  # the model sounds along
    OTHERS = "others"  # the other parts of the piece sound along
    OWN = "own"  # a recording of one's own choice sounds along
    ALONE = "alone"


COUNTS = {CountKind.NUMBERS: N_("numbers"), CountKind.CLICKS: N_("clicks"), CountKind.WORDS: N_("own words")}
CLICKS = {
    ClickKind.ON: N_("with the click"),
    ClickKind.OFF: N_("without a click"),
    ClickKind.START: N_("with the click at the start"),
    ClickKind.FIRST: N_("with the click on first beats"),
    ClickKind.FADING: N_("with a click that fades away"),
}
HELPS = {
    Help.LISTEN: N_("after listening to it"),
    Help.TOGETHER: N_("together with the model"),
    Help.OTHERS: N_("with the other parts"),
    Help.OWN: N_("with a recording"),
    Help.ALONE: N_("alone"),
}
# What is done in layers before it is played, and whether the microphone can tell anything of it: the rhythm.
LAYERS = {
    "fingers": (N_("fingers, silently"), False),
    "air": (N_("air alone"), False),
    "tongue": (N_("air and tongue"), True),
    "count": (N_("counted aloud"), True),
    "clap": (N_("clapped or tapped"), True),
    "name": (N_("notes named"), True),
    "sing": (N_("sung"), True),
    "play": (N_("played"), True),
}
READINGS = {"practised": N_("reading"), "memory": N_("from memory"), "sight": N_("at first sight")}


@dataclass(frozen=True, kw_only=True)
class TakePlan:
    """What the next take is. `bars` "9-16", "" all; `bpm` quarters a minute, which is said
    in beats of `beat` quarters; `backing` the recording that
    sounds along, where one was chosen; `words` those of the count-in, one a beat.
    """

    title: str = ""
    bars: str = ""
    bpm: float = 80.0
    beat: float = 1.0
    count: CountKind = CountKind.NUMBERS
    count_bars: int = 1
    words: str = ""
    click: ClickKind = ClickKind.START
    help: Help = Help.ALONE
    backing: str = ""
    layer: str = "play"
    reading: str = "practised"
    keys: bool = False  # struck on a key of the computer

    @property
    def rhythm_only(self) -> bool:
        """Whether only the rhythm can be told."""
        return self.layer != "play" or self.keys

    @property
    def recorded(self) -> bool:
        """Whether the microphone can tell anything of it."""
        return self.keys or LAYERS[self.layer][1]

    def with_speed(self, bpm: float) -> TakePlan:
        return dataclasses.replace(self, bpm=bpm)

    def options(self, downbeat_s: float | None, track: Path | None, instrument: str = "") -> Options:
        """How the take is checked. `downbeat_s`: when its first count falls in the recording, where the delay
        of the devices is known; `track`: what sounded from the loudspeaker, which is none of the player's.
        """
        timed = self.click in (ClickKind.ON, ClickKind.FIRST) and downbeat_s is not None
        helped = self.help in (Help.TOGETHER, Help.OTHERS, Help.OWN)
        return Options(
            instrument=instrument or None,
            tempo_bpm=self.bpm if self.click in (ClickKind.ON, ClickKind.FIRST) or helped else None,
            click=f"{self.bpm:g}@{downbeat_s:.4f}" if timed and not helped else None,
            rhythm_only=self.rhythm_only,
            support="with_model" if helped else "with_click" if self.click == ClickKind.ON else "alone",
            backing=str(track) if track is not None else None,
            reading=self.reading,
        )


def plan_sentence(plan: TakePlan) -> str:
    """How a take was made, in a few words.

    >>> plan_sentence(TakePlan(bpm=72, bars="3-4", click=ClickKind.OFF))
    'bars 3–4, 72 a minute, alone, without a click'
    """
    first, _dash, last = plan.bars.partition("-")
    told = []
    if first:
        told.append(
            _("bars {first}–{last}").format(first=first, last=last)
            if last and last != first
            else _("bar {bar}").format(bar=first)
        )
    told.append(_("{bpm:.0f} a minute").format(bpm=plan.bpm / plan.beat))
    if plan.layer != "play":
        told.append(_(LAYERS[plan.layer][0]))
    told += [_(HELPS[plan.help]), _(CLICKS[plan.click])]
    if plan.reading != "practised":
        told.append(_(READINGS[plan.reading]))
    return ", ".join(told)


def cut_bars(part: Part, bars: str) -> Part:
    """The printed bars of a part that are asked for ("" all), repeats inside them left out. Raises
    ScoreError.
    """
    if not bars:
        return part
    first, _dash, last = bars.partition("-")
    numbers = [b.number for b in part.bars]
    last = last or first
    if first not in numbers or last not in numbers or numbers.index(first) > numbers.index(last):
        raise ScoreError(
            _("There are no bars {bars} in this part; it has bars {numbers} to {numbers2}.").format(
                bars=bars, numbers=numbers[0], numbers2=numbers[-1]
            )
        )
    inside = part.bars[numbers.index(first) : len(numbers) - numbers[::-1].index(last)]
    return dataclasses.replace(part, bars=stand_alone(inside))


@dataclass(frozen=True, kw_only=True)
class Music:
    """What is practised: the whole part, and the other parts of its piece."""

    title: str
    part: Part
    score: Score
    piece: str = ""  # its id on the shelf

    def line(self, plan: TakePlan) -> PerformedPart:
        """What is to be played in a take. Raises ScoreError where there is nothing to play."""
        part = cut_bars(self.part, plan.bars)
        return perform_part(self.title, part, rhythm_only=plan.rhythm_only or part.percussion)

    def write(self, plan: TakePlan, folder: Path) -> Path:
        """The bars of a take as a notation file, which is what it is checked against."""
        part = cut_bars(self.part, plan.bars)
        path = folder / f"{plan.bars or 'all'}.musicxml"
        if not path.exists():
            path.write_bytes(write_musicxml(Score(self.title, (part,), "")))
        return path

    @property
    def bar_numbers(self) -> list[str]:
        return [b.number for b in self.part.bars]
