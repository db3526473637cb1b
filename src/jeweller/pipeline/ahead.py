"""What can be known of a take while it is still recorded, so that its verdict is there soon after the end:
its features, and the way through it so far.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.alignment.align import foresee
from jeweller.alignment.foreseen import Foreseen
from jeweller.errors import Cancelled
from jeweller.features.extraction import HeardAhead, extract_features, listen_ahead
from jeweller.features.settings import DEFAULT as HEAR
from jeweller.notation.performance import PerformedPart
from jeweller.notation.swing import swung
from jeweller.notes.grid_spectra import GridSpectra, spectra_ahead

Samples = npt.NDArray[np.float32]


@dataclass(frozen=True)
class KnownAhead:
    """`heard` and `spectra` are exactly what a check would compute; `way` saves it most of the search. A part
    with swing is read in two ways: no way is foreseen for it. `decoded` is the sound as it was decoded,
    before any click was taken out.
    """

    heard: HeardAhead
    spectra: GridSpectra
    way: Foreseen | None = None
    decoded: Samples | None = None

    def fits(self, samples: Samples, line: PerformedPart) -> bool:
        """Whether a recording begins with what was heard: nothing was put in or taken out since."""
        return self.heard.fits(samples, pitch_bounds(line), HEAR)


def pitch_bounds(line: PerformedPart) -> tuple[int, int]:
    """The lowest and the highest sounding pitch of a part (MIDI numbers)."""
    pitches = [n.sounding_midi for n in line.notes]
    return min(pitches), max(pitches)


def know_ahead(
    samples: Samples,
    line: PerformedPart,
    before: KnownAhead | None,
    *,
    tempo_bpm: float | None = None,
    rhythm_only: bool = False,
    reference_shift: int = 0,
    cancelled: Callable[[], bool] = lambda: False,
) -> KnownAhead | None:
    """What is known of a take that goes on after `samples` (at the rate of `HEAR`); None where that is
    nothing yet. `before` is what a call before this gave. Where it is cancelled the way is as far as it was.
    """
    low, high = pitch_bounds(line)
    heard = listen_ahead(samples, low, high, HEAR, before.heard if before is not None else None)
    if heard is None:
        return before
    same = before is not None and before.fits(samples, line)  # clicks may be taken out otherwise than before
    spectra = spectra_ahead(samples, HEAR, low, before.spectra if before is not None and same else None)
    known = KnownAhead(heard, spectra, before.way if before is not None else None)
    if swung(line) is not line:
        return known
    try:
        features = extract_features(samples, low, high, HEAR, cancelled, ahead=heard)
        way = foresee(
            line,
            features,
            tempo_bpm=tempo_bpm,
            rhythm_only=rhythm_only or line.part.percussion,
            reference_shift=reference_shift,
            before=known.way,
            cancelled=cancelled,
        )
    except Cancelled:
        return known
    return dataclasses.replace(known, way=way)
