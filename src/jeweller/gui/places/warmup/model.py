"""What warming up knows and does, with no widget: what is sounded, the tuning, the walk through notes, long
tones, the buzz and the siren, breathing by the clock.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QObject, QSettings, QTimer, Signal

from jeweller.audio.microphone import Microphone
from jeweller.errors import JewellerError
from jeweller.gui.services.devices import Devices, no_microphone
from jeweller.gui.services.hearing import PitchHearing
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.kept import kept_number
from jeweller.i18n import _, ngettext
from jeweller.instruments.care import CareTable, load_care, save_care, with_cautions, with_list
from jeweller.instruments.table import Instrument, find_instrument, require_instrument
from jeweller.library.journal import PlayerJournal
from jeweller.notation.pitch import spell
from jeweller.phrases import note_name
from jeweller.warmup.exercises import (
    BREATH_ROUNDS,
    BreathMoment,
    NoteWalk,
    breath_at,
    five_notes,
    notes_of,
    range_out,
)
from jeweller.warmup.session import TuningSession
from jeweller.warmup.tendency import REFERENCE, REFERENCES, HeldTone, ToneFollower, cents_from
from jeweller.warmup.tone import Glide, ToneCatcher, ToneMeasures, find_glides, measure_tone, tone_sentence
from jeweller.warmup.tuner import PitchReading

if TYPE_CHECKING:
    from jeweller.library.tables import Player
    from jeweller.notation.model import Part

WAYS = ("tuner", "tones", "air", "lists")
RECENT_S = 2.0  # of readings that the smear is made of
WALKED_S = 1.0  # a note of a walk is held for so long
BREAK_S = 1200.0  # of playing, then a break
TICK_MS = 100
RANGE, CHOSEN = "range", "chosen"


class WarmUpModel(QObject):
    """`changed`: something to be shown anew; `heard`: a moment of sound; `message`, `trouble`: sentences."""

    changed = Signal()
    heard = Signal()
    message = Signal(str)
    trouble = Signal(str)

    def __init__(
        self,
        jobs: Jobs,
        devices: Devices,
        settings: QSettings,
        library: Callable[[], Path],
        now: Callable[[], float] = time.monotonic,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self.jobs, self.devices, self.settings, self._library, self._now = (
            jobs,
            devices,
            settings,
            library,
            now,
        )
        self.way = "tuner"
        self.player: Player | None = None
        self.instrument: Instrument = find_instrument(
            str(settings.value("warmup/instrument", ""))
        ) or require_instrument("clarinet")
        self.reference = kept_number(settings, "warmup/reference", REFERENCE, *REFERENCES)
        self.part: Part | None = None  # of the piece to come
        self.hearing = PitchHearing(self)
        self.hearing.heard.connect(self._reading)
        self.hearing.looked.connect(self._moment)
        self.hearing.ended.connect(self._gone)
        self.session = TuningSession(self.instrument, now)
        self.follower = ToneFollower(self.instrument, self.reference)
        self.recent: list[tuple[float, float, int]] = []  # (second, cents, sounding MIDI number)
        self.tone: HeldTone | None = None  # that is held now
        self.walk: NoteWalk | None = None
        self.walk_name = ""
        self._walked = -1.0  # when the tone began by which the walk went on
        self.counts, self.count_s = 8, 1.0
        self.tones: list[tuple[ToneMeasures, str]] = []
        self._catcher: ToneCatcher | None = None
        self._read_blocks = self._caught = 0
        self.readings: list[PitchReading] = []
        self.glides: list[Glide] = []
        self.air = "buzz"  # buzz, siren, or a breathing exercise
        self._breath_from: float | None = None
        self._began: float | None = None
        self._breath = QTimer(self)
        self._breath.setInterval(TICK_MS)
        self._breath.timeout.connect(self._breathe)
        self._told_break = False

    # ---- who and what

    def set_player(self, player: Player | None) -> None:
        self.player = player
        if player is not None and player.instrument:
            try:
                self.set_instrument(require_instrument(player.instrument))
            except JewellerError as error:
                self.message.emit(str(error))
        self.changed.emit()

    def set_instrument(self, instrument: Instrument) -> None:
        self.instrument = instrument
        self.settings.setValue("warmup/instrument", instrument.id)
        self._begin_anew()

    def set_reference(self, hz: float) -> None:
        self.reference = hz
        self.settings.setValue("warmup/reference", hz)
        self._begin_anew()

    def _begin_anew(self) -> None:
        self.session = TuningSession(self.instrument, self._now)
        self.follower = ToneFollower(self.instrument, self.reference)
        self.recent, self.tone, self.tones, self.glides, self.readings = [], None, [], [], []
        self.set_walk(self.walk_name)

    def set_way(self, way: str) -> None:
        self.way = way
        self._stop_breathing()
        self.changed.emit()

    @property
    def journal(self) -> PlayerJournal:
        return PlayerJournal(self._library(), self.player.id if self.player is not None else None)

    @property
    def care(self) -> CareTable:
        try:
            return load_care(self._library())
        except JewellerError as error:
            self.message.emit(str(error))
            return load_care(None)

    def change_list(self, name: str, text: str) -> None:
        """Another care list for instruments of this kind: a row a line."""
        self._keep_care(with_list(self.care, self.instrument, name, text.splitlines()))

    def change_cautions(self, rows: list[tuple[str, list[str], str]]) -> None:
        """Other cautions, for all instruments."""
        self._keep_care(with_cautions(self.care, rows))

    def _keep_care(self, care: CareTable) -> None:
        try:
            save_care(self._library(), care)
        except OSError as error:
            self.trouble.emit(_("The list could not be kept: {error}.").format(error=error))
        self.changed.emit()

    # ---- listening

    @property
    def listening(self) -> bool:
        return self.hearing.listening or self._breath.isActive()

    def go(self) -> None:
        """The one key: begins to listen, or stops."""
        if self.listening:
            self.stop()
            return
        if self.way == "air" and self.air not in ("buzz", "siren"):
            self._breath_from = self._now()
            self._breath.start()
            self.changed.emit()
            return
        try:
            microphone: Microphone = self.devices.microphone()
            self._catcher = ToneCatcher(microphone.rate)
            self._read_blocks, self.readings = 0, []
            self.hearing.start(microphone, keep=True)
        except OSError as error:
            self.trouble.emit(no_microphone(error))
            return
        self._began = self._now() if self._began is None else self._began
        self.changed.emit()

    def stop(self) -> None:
        if self.hearing.listening:
            self.hearing.stop()
            self._end_tone()
        self._stop_breathing()
        self.tone, self.recent = None, []
        self.changed.emit()

    def _gone(self, sentence: str) -> None:
        if sentence:
            self.trouble.emit(sentence)
        self.stop()

    def _reading(self, reading: PitchReading) -> None:
        if self.way == "air" and self.air == "siren":
            self.readings.append(reading)
            return
        before = len(self.follower.done)
        self.tone = self.follower.push(reading)
        if reading.hz is not None:
            midi, cents = cents_from(reading.hz, self.reference)
            self.recent.append((reading.at_s, cents, midi))
        self.recent = [r for r in self.recent if reading.at_s - r[0] <= RECENT_S]
        if len(self.follower.done) > before:
            self._add(self.follower.done[-1])
        tone, walk = self.tone, self.walk
        if (
            tone is not None
            and walk is not None
            and tone.seconds >= WALKED_S
            and tone.begins_s != self._walked
        ) and walk.push(tone):
            self._walked = tone.begins_s
            if walk.over:
                self.message.emit(_("That was the last note of the row."))
            self.changed.emit()

    def _end_tone(self) -> None:
        before = len(self.follower.done)
        for tone in self.follower.finish()[before:]:
            self._add(tone)

    def _add(self, tone: HeldTone) -> None:
        if self.way != "tuner":
            return
        self.session.add(tone)
        self.changed.emit()

    def _moment(self) -> None:
        blocks = self.hearing.blocks or []
        fresh, self._read_blocks = blocks[self._read_blocks :], len(blocks)
        if self.way in ("tones", "air") and self._catcher is not None:
            for block in fresh:
                sound = self._catcher.push(block)
                if sound is not None and self.air != "siren":
                    self._tone_over(sound)
        if len(blocks) > 500:  # what is read is not kept
            self.hearing.blocks, self._read_blocks = [], 0
        if self.way == "air" and self.air == "siren":
            glides = find_glides(self.readings)
            if glides != self.glides:
                self.glides = glides
                self.changed.emit()
        if self._began is not None and self._now() - self._began > BREAK_S and not self._told_break:
            self._told_break = True
            self.message.emit(" ".join(self.care.cautions_for(self.instrument, "tuner")))
        self.heard.emit()

    # ---- tuning

    def moved(self) -> None:
        """The advice was followed; it is measured again."""
        self.session.moved()
        if self.session.moves:
            move = self.session.moves[-1]
            self.journal.add("move", {"instrument": self.instrument.id, "what": move.sentence})
        self.changed.emit()

    def set_walk(self, name: str) -> None:
        """A row of notes to be played: "five", "range", "piece", "scale" of what was held, "" none."""
        rows: dict[str, Callable[[], Sequence[int]]] = {
            "five": lambda: five_notes(self.instrument),
            "range": lambda: range_out(self.instrument),
            "piece": lambda: notes_of(self.part) if self.part is not None else [],
        }
        self.walk_name = name if name in rows else ""
        targets = rows[name]() if name in rows else []
        sung = self.walk.sung if self.walk is not None else False
        self.walk = NoteWalk(self.instrument, targets, sung=sung) if targets else None
        if name == "piece" and not targets:
            self.message.emit(_("Choose a piece in the booth first; its notes are warmed up with here."))
        if name == RANGE and self._began is not None and self._now() - self._began > BREAK_S:
            self.message.emit(" ".join(self.care.cautions_for(self.instrument, RANGE)))
        self.changed.emit()

    def walk_through(self, targets: Sequence[int]) -> None:
        """A row of chosen notes (sounding MIDI numbers)."""
        sung = self.walk.sung if self.walk is not None else False
        self.walk_name, self.walk = CHOSEN, NoteWalk(self.instrument, targets, sung=sung)
        self.changed.emit()

    @property
    def note_names(self) -> dict[str, int]:
        """Every note of the instrument by its written names, sharp and flat → sounding MIDI number."""
        out = {}
        for midi in range(self.instrument.low, self.instrument.high + 1):
            for fifths in (-1, 1):
                out[note_name(spell(midi - self.instrument.chromatic, fifths).name)] = midi
        return out

    def set_sung(self, on: bool) -> None:
        """Each note is sung before it is played."""
        if self.walk is not None:
            self.walk = NoteWalk(self.instrument, self.walk.targets, sung=on)
        self.changed.emit()

    def written(self, midi: int) -> str:
        """A sounding MIDI number in the player's written name."""
        return note_name(spell(midi - self.instrument.chromatic, -1).name)

    @property
    def shown_note(self) -> tuple[str, float | None]:
        """(the note that sounds, in the player's written name, how many cents off it lies)."""
        if self.tone is not None:
            return note_name(self.tone.written), self.tone.cents
        if not self.recent:
            return "", None
        midi = self.recent[-1][2]
        near = [c for _at, c, m in self.recent[-6:] if m == midi]
        return self.written(midi), float(np.median(near))

    # ---- tones

    def _tone_over(self, sound: Any) -> None:
        rate = self.hearing.microphone.rate if self.hearing.microphone is not None else 44100
        self._caught += 1
        job = self.jobs.threaded(f"tone {self._caught}", measure_tone, sound, rate, self.reference)
        job.done.connect(self._measured)
        job.failed.connect(self.message)

    def _measured(self, tone: ToneMeasures | None) -> None:
        if tone is None:
            return
        buzz = self.way == "air"
        name = "" if buzz or tone.midi is None else self.written(tone.midi)
        if buzz:
            said = _("{seconds:.1f} s").format(seconds=tone.seconds)
            said += ", " + (_("steady") if tone.steady else _("not steady yet"))
        else:
            said = tone_sentence(tone, self.counts * self.count_s, self.counts)
        line = f"{name}: {said}" if name else said
        self.tones.append((tone, line))
        entry = {
            "instrument": self.instrument.id,
            "note": name,
            "seconds": round(tone.seconds, 2),
            "steady": tone.steady,
        }
        try:
            self.journal.add("buzz" if buzz else "tone", entry)
        except OSError as error:
            self.message.emit(_("The journal could not be written: {error}.").format(error=error))
        self.changed.emit()

    def set_counts(self, counts: int) -> None:
        self.counts = counts
        self.changed.emit()

    @property
    def tone_words(self) -> list[str]:
        """The longest steady tone, and what became of it over the weeks."""
        steady = [t.seconds for t, _line in self.tones if t.steady]
        told = []
        if steady:
            told.append(_("Longest steady tone today: {seconds:.1f} s.").format(seconds=max(steady)))
        days = self.tone_days
        if len(days) > 1:
            told.append(
                ngettext(
                    "Over {n} day: from {first:.1f} s to {last:.1f} s.",
                    "Over {n} days: from {first:.1f} s to {last:.1f} s.",
                    len(days),
                ).format(n=len(days), first=days[0][1], last=days[-1][1])
            )
        return told

    @property
    def tone_days(self) -> list[tuple[str, float]]:
        """(day, longest steady tone in seconds) of the instrument, oldest first."""
        days: dict[str, float] = {}
        for entry in self.journal.entries("tone"):
            if entry.get("instrument") == self.instrument.id and entry.get("steady"):
                day = str(entry["at"])[:10]
                days[day] = max(days.get(day, 0.0), float(entry["seconds"]))
        return sorted(days.items())

    # ---- air

    def set_air(self, what: str) -> None:
        """ "buzz", "siren" or a breathing exercise."""
        self.stop()
        self.air, self.tones, self.glides = what, [], []
        self.changed.emit()

    @property
    def breath(self) -> BreathMoment | None:
        if self._breath_from is None:
            return None
        return breath_at(self.air, self._now() - self._breath_from)

    def _breathe(self) -> None:
        if self.breath is None:
            self._stop_breathing()
            self.journal.add("breath", {"exercise": self.air, "rounds": BREATH_ROUNDS})
            self.message.emit(_("That was the last breath. Breathe as usual."))
            self.changed.emit()
        self.heard.emit()

    def _stop_breathing(self) -> None:
        self._breath.stop()
        self._breath_from = None

    # ---- cautions

    @property
    def cautions(self) -> list[str]:
        """What to mind at what is done now."""
        where = {"tuner": "tuner", "tones": "tone", "lists": "lists"}.get(self.way, "")
        if self.way == "air":
            where = "buzz" if self.air in ("buzz", "siren") else "breath"
        if self.way == "tuner" and self.walk_name == RANGE:
            where = RANGE
        return self.care.cautions_for(self.instrument, where)
