"""The microphone and the loudspeaker that places share: which input, and how late the two are together."""

from __future__ import annotations

import json
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject, QSettings, QTimer, Signal

from jeweller.audio.latency import PROBE_S, Latency, find_latency, probe, tapped_latency
from jeweller.audio.microphone import MOST_CHANNELS, DeviceMicrophone, Microphone, inputs
from jeweller.audio.ports import Speaker
from jeweller.booth.track import click_sound
from jeweller.gui.services.kept import kept_json, kept_number
from jeweller.i18n import N_, _
from jeweller.synthesis.sampler import RATE

TAPS, TAP_BEAT_S = 16, 0.6
AFTER_S = 1.0
ATTACK_DB, APART_S = 12.0, 0.25  # of a tap against what was just before, and between two taps
LOOK_MS = 30


def taps_in(samples: np.ndarray, rate: int) -> list[float]:
    """When something was tapped in a recording, seconds.

    >>> sound = np.zeros(22050, np.float32)
    >>> sound[11025:11200] = 0.5
    >>> [round(t, 2) for t in taps_in(sound, 22050)]
    [0.5]
    """
    hop = rate // 400
    frames = len(samples) // hop
    power = np.square(samples[: frames * hop].astype(np.float64)).reshape(frames, hop).mean(axis=1)
    db = 10.0 * np.log10(power + 1e-9)
    out: list[float] = []
    for k in range(4, frames):
        loud = db[k] > db[k - 4 : k - 1].max() + ATTACK_DB and db[k] > db.max() - 25.0
        if loud and (not out or k * hop / rate - out[-1] > APART_S):
            out.append(k * hop / rate)
    return out


class Devices(QObject):
    """`microphone` opens the one that is chosen; `measured` tells a sentence when the delay was measured.

    The delay is kept for each pair of input and output, so another device is asked for it anew.
    """

    measured = Signal(str)

    def __init__(
        self,
        settings: QSettings,
        speaker: Speaker,
        make: Callable[[str], Microphone] = DeviceMicrophone,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self.settings, self.speaker, self._make = settings, speaker, make
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)
        self._recorded: list[tuple[np.ndarray, float]] = []
        self._microphone: Microphone | None = None
        self._began = np.inf
        self._at = 0
        self._sound = np.zeros(0, np.float32)
        self._by_taps = False
        self.simulated = make is not DeviceMicrophone

    @property
    def wanted(self) -> str:
        """The name of the input that was chosen, "" the usual one."""
        return str(self.settings.value("booth/input", ""))

    def choose(self, name: str) -> None:
        self.settings.setValue("booth/input", name)
        self.choose_channel(0)

    def inputs(self) -> dict[str, int]:
        """The inputs there are, and how many channels each has."""
        return inputs() if not self.simulated else {}

    @property
    def channel(self) -> int:
        """The channel that was chosen, 0 all as one."""
        return round(kept_number(self.settings, "booth/channel", 0, 0, MOST_CHANNELS))

    def choose_channel(self, channel: int) -> None:
        self.settings.setValue("booth/channel", channel)

    def microphone(self) -> Microphone:
        """The input that is chosen. Raises OSError with a sentence's end where there is none."""
        made = self._make(self.wanted)
        made.channel = self.channel if self.channel <= made.channels else 0
        return made

    # ---- the delay

    def _pair(self, microphone: Microphone) -> str:
        return f"{microphone.name}|{self.speaker.name}"

    def _known(self) -> dict[str, list[float | str]]:
        return kept_json(self.settings, "booth/latency", {})

    def latency(self, microphone: Microphone) -> Latency | None:
        """The delay that was measured with this input and this output; None where it was not."""
        try:
            seconds, error, by = self._known()[self._pair(microphone)]
            return Latency(float(seconds), float(error), str(by))
        except (KeyError, ValueError, TypeError):
            return None

    def set_latency(self, microphone: Microphone, latency: Latency) -> None:
        known = self._known() | {self._pair(microphone): [latency.seconds, latency.error_s, latency.by]}
        self.settings.setValue("booth/latency", json.dumps(known))

    @property
    def measuring(self) -> bool:
        return self._microphone is not None

    def measure(self, *, by_taps: bool = False) -> None:
        """Measures the delay by a loop-back, or by taps along to sixteen clicks; `measured` tells of it."""
        if self.measuring:
            return
        try:
            microphone = self.microphone()
        except OSError as error:
            self.measured.emit(no_microphone(error))
            return
        self._by_taps, self._recorded = by_taps, []
        self._sound, self._at, self._began = self._probe(), 0, np.inf
        self._microphone = microphone
        try:
            microphone.start(lambda block, at: self._recorded.append((block, at)), lambda _why: None)
            self.speaker.start(RATE, self._pull)
        except OSError as error:
            self._stop()
            self.measured.emit(no_microphone(error))
            return
        self._timer.start(LOOK_MS)

    def _probe(self) -> np.ndarray:
        if not self._by_taps:
            return np.pad(probe(RATE), (0, round(AFTER_S * RATE)))
        sound = np.zeros(round((TAPS * TAP_BEAT_S + AFTER_S) * RATE), np.float32)
        for k in range(TAPS):
            click, at = click_sound(k % 4 == 0), round(k * TAP_BEAT_S * RATE)
            sound[at : at + len(click)] += click
        return sound

    def _pull(self, wanted: int) -> np.ndarray:
        if self._microphone is not None:
            self._began = min(self._began, self._microphone.now() - self._at / RATE)
        block = self._sound[self._at : self._at + wanted]
        self._at += len(block)
        return block

    def _look(self) -> None:
        microphone = self._microphone
        if microphone is None:
            return
        length = PROBE_S + AFTER_S if not self._by_taps else len(self._sound) / RATE
        if microphone.now() - self._began < length:
            return
        self._stop()
        blocks = list(self._recorded)
        if not blocks:
            self.measured.emit(_("The microphone sent nothing."))
            return
        count, begins = 0, np.inf
        for block, at in blocks:
            count += len(block)
            begins = min(begins, at - count / microphone.rate)
        samples = np.concatenate([block for block, _at in blocks])
        played_from = self._began - begins
        if self._by_taps:
            clicks = [played_from + k * TAP_BEAT_S for k in range(TAPS)]
            found = tapped_latency(clicks, taps_in(samples, microphone.rate))
        else:
            found = find_latency(samples, microphone.rate, played_from)
        if found is None:
            self.measured.emit(_(NOT_TAPPED if self._by_taps else NOT_HEARD))
            return
        self.set_latency(microphone, found)
        self.measured.emit(
            _("The delay is {ms:.0f} ms, to within {error:.0f} ms; clicks are judged by it.").format(
                ms=1000 * found.seconds, error=max(1.0, np.ceil(1000 * found.error_s))
            )
        )

    def _stop(self) -> None:
        self._timer.stop()
        microphone, self._microphone = self._microphone, None
        self.speaker.stop()
        if microphone is not None:
            microphone.stop()

    def stop(self) -> None:
        """Gives up what is measured."""
        self._stop()


NOT_HEARD = N_(
    "The microphone does not hear the loudspeaker: hold them together and measure again, or tap along."
)
NOT_TAPPED = N_("Too few taps were heard: tap or clap once to each click, close to the microphone.")


def no_microphone(error: OSError) -> str:
    """What is told where no microphone can be opened."""
    return _(
        "No microphone can be opened ({error}). Plug one in or allow it; rhythms can be struck on a key "
        "meanwhile."
    ).format(error=error)
