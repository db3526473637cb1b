"""Which faults a take gets: plausible places and combinations, in a ladder of sizes from just beyond the
tolerance to gross, and near misses.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from jeweller.instruments.table import Instrument
from jeweller.notation.clefs import other_clefs, read_in_clef
from jeweller.notation.performance import PerformedNote, PerformedPart
from jeweller.notation.pitch import key_alter
from jeweller.simulator.plan import Plan

Rng = np.random.Generator
LEAST_SOUND_S = 0.2  # from a displaced note to its neighbour


class Planner:
    """Plans faults of one take; keeps the notes already used."""

    def __init__(
        self,
        line: PerformedPart,
        instrument: Instrument,
        rng: Rng,
        bpm: float,
        click: bool = False,
        upper_start: bool = False,
    ) -> None:
        self.click, self.upper_start, self.tuned = click, upper_start, False
        self.line, self.instrument, self.rng, self.bpm = line, instrument, rng, bpm
        self.notes = line.main_notes
        self.used: set[int] = set()
        self.beat = float(line.beat)

    # ---- helpers ----
    def free(self, i: int, reach: int = 2) -> bool:
        return not any(k in self.used for k in range(i - reach, i + reach + 1))

    def pick(self, wanted: Callable[[int, PerformedNote], bool], reach: int = 2) -> int | None:
        found = [
            i
            for i, n in enumerate(self.notes)
            if 1 <= i < len(self.notes) - 2 and self.free(i, reach) and wanted(i, n)
        ]
        return int(self.rng.choice(found)) if found else None

    def gap(self, i: int) -> float:
        """Quarters of rest behind note i."""
        return float(self.notes[i + 1].onset - self.notes[i].end) if i + 1 < len(self.notes) else 0.0

    def ioi(self, i: int) -> float:
        return float(self.notes[i + 1].onset - self.notes[i].onset)

    def one_of(self, *amounts: float) -> float:
        return float(self.rng.choice(amounts))

    def seconds(self, quarters: float) -> float:
        return 60.0 * quarters / self.bpm

    def plan(self, kind: str, near: bool = False) -> list[Plan] | None:
        """Plans for one fault (or near miss) of a kind; None where this line has no place for it."""
        maker = getattr(self, f"_{kind}", None)
        plans: list[Plan] | None = maker(near) if maker else None
        if plans:
            for p in plans:
                self.used |= set(range(p.at - 1, p.at + p.count + 1))
        return plans

    def _plainly(self, i: int, n: PerformedNote) -> bool:
        return n.written.ornament is None and not self.line.graces[i] and not n.fermata

    # ---- notes and accidentals ----
    def _wrong_note(self, near: bool) -> list[Plan] | None:
        i = self.pick(lambda i, n: self._plainly(i, n))
        if i is None or near:
            return None
        apart = self.one_of(2, -2, 3, -3, 4, -4, 1, -1)
        note = self.notes[i]
        fifths = self.line.bars[note.bar_index].bar.fifths
        if abs(apart) == 1:
            from jeweller.notation.pitch import in_key

            if (
                not in_key(note.written_midi + int(apart), fifths)
                or note.written.pitch is None
                or note.written.pitch.alter != key_alter(note.written.pitch.step, fifths)
            ):
                apart *= 2
        if (
            self.instrument.same_fingering(note.sounding_midi, note.sounding_midi + int(apart))
            and abs(apart) > 2
        ):
            apart = 2
        return [Plan(kind="wrong_note", at=i, amount=apart)]

    def _wrong_fingering(self, near: bool) -> list[Plan] | None:
        """A pitch whose fingering the player has wrong by one valve or key, wherever it comes."""
        places: dict[int, list[int]] = {}
        for i, n in enumerate(self.notes):
            places.setdefault(n.sounding_midi, []).append(i)
        usable = {
            m: w
            for m, w in places.items()
            if 2 <= len(w) <= 6 and all(self.free(i, 0) and self._plainly(i, self.notes[i]) for i in w)
        }
        choices = [
            (where, apart)
            for midi, where in usable.items()
            for apart in (-2, 2, -3, 3)
            if self.instrument.one_finger_apart(midi, midi + apart)
        ]
        if near or not choices:
            return None
        where, apart = choices[int(self.rng.integers(len(choices)))]
        return [Plan(kind="wrong_note", at=i, amount=apart, cause="neighbour_fingering") for i in where]

    def _wrong_octave(self, near: bool) -> list[Plan] | None:
        i = self.pick(lambda i, n: self._plainly(i, n) and n.duration >= 0.5)
        if i is None or near:
            return None
        up = 12.0 if self.notes[i].sounding_midi + 12 <= self.instrument.high + 2 else -12.0
        if up > 0 and self.notes[i].sounding_midi - 12 >= self.instrument.low and self.rng.random() < 0.3:
            up = -12.0
        return [
            Plan(
                kind="wrong_octave",
                at=i,
                amount=up,
                cause="register_key" if self.instrument.family == "woodwind" else None,
            )
        ]

    def _wrong_partial(self, near: bool) -> list[Plan] | None:
        if near:
            return None
        choices: list[tuple[int, int]] = []
        for i, n in enumerate(self.notes[1:-2], 1):
            if not self.free(i) or not self._plainly(i, n):
                continue
            for apart in (-19, -7, -5, -4, -3, 3, 4, 5, 7, 19):
                other = n.sounding_midi + apart
                if self.instrument.low <= other <= self.instrument.high and self.instrument.same_fingering(
                    n.sounding_midi, other
                ):
                    choices.append((i, apart))
        if not choices:
            return None
        i, apart = choices[int(self.rng.integers(len(choices)))]
        return [
            Plan(
                kind="wrong_partial",
                at=i,
                amount=apart,
                cause="partial_same_fingering" if self.instrument.family == "brass" else "register_key",
            )
        ]

    def _missed_accidental(self, near: bool) -> list[Plan] | None:
        if near:
            return None
        groups: dict[tuple[str, str], list[int]] = {}
        for i, n in enumerate(self.notes):
            p = n.written.pitch
            if p is None or not self._plainly(i, n) or not self.free(i, 1):
                continue
            from_key = key_alter(p.step, self.line.bars[n.bar_index].bar.fifths)
            if p.alter and p.alter == from_key and not n.written.accidental:
                groups.setdefault((p.letter, "forgot_key_signature"), []).append(i)
            elif p.alter != from_key:
                groups.setdefault(
                    (
                        p.letter,
                        "forgot_printed_accidental" if n.written.accidental else "accidental_not_carried",
                    ),
                    [],
                ).append(i)
        if not groups:
            return None
        keys = list(groups)
        letter, cause = keys[int(self.rng.integers(len(keys)))]
        where = groups[letter, cause]
        if cause == "forgot_key_signature":  # forgotten is forgotten often
            chosen = [i for i in where if self.rng.random() < 0.75] or where[:1]
        else:
            chosen = [where[int(self.rng.integers(len(where)))]]
        out = []
        for i in chosen[:8]:
            p = self.notes[i].written.known_pitch
            from_key = key_alter(p.step, self.line.bars[self.notes[i].bar_index].bar.fifths)
            out.append(
                Plan(
                    kind="missed_accidental",
                    at=i,
                    amount=float((0 if p.alter == from_key else from_key) - p.alter),
                    cause=cause,
                    way=letter,
                )
            )
        return out

    def _added_accidental(self, near: bool) -> list[Plan] | None:
        from jeweller.notation.pitch import in_key

        i = self.pick(
            lambda i, n: (
                self._plainly(i, n)
                and n.written.pitch is not None
                and n.written.pitch.alter
                == 0
                == key_alter(n.written.pitch.step, self.line.bars[n.bar_index].bar.fifths)
                and not n.written.accidental
            )
        )
        if i is None or near:
            return None
        note = self.notes[i]
        fifths = self.line.bars[note.bar_index].bar.fifths
        ways = [a for a in (-1, 1) if not in_key(note.written_midi + a, fifths)]
        return [Plan(kind="added_accidental", at=i, amount=float(self.rng.choice(ways)))] if ways else None

    def _missed_note(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: self._plainly(i, n) and not n.slurred_to_next and not n.slurred_from_previous
        )
        return None if i is None or near else [Plan(kind="missed_note", at=i)]

    def _extra_note(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                self._plainly(i, n)
                and self.seconds(self.ioi(i)) > 0.42
                and self.gap(i) == 0
                and not n.slurred_to_next
                and not self.line.graces[i + 1]
            )
        )
        if i is None or near:
            return None
        blip = self.rng.random() < 0.4 and self.notes[i + 1].sounding_midi != self.notes[i].sounding_midi
        apart = self.one_of(2, -2, 3, -3, 4)
        if self.notes[i].sounding_midi + apart == self.notes[i + 1].sounding_midi:
            apart = -apart
        return [
            Plan(
                kind="extra_note",
                at=i,
                amount=apart,
                cause="fingers_not_together" if blip else None,
                way="blip" if blip else "",
            )
        ]

    def _wrong_transposition(self, near: bool) -> list[Plan] | None:
        if near or self.used:
            return None
        self.used |= set(range(len(self.notes)))
        if self.rng.random() < 0.35 and (read := self._misread()) is not None:
            return [
                Plan(
                    kind="wrong_transposition",
                    at=0,
                    amount=read[1],
                    count=1,
                    cause="read_as_other_clef",
                    way=read[0],
                )
            ]
        return [Plan(kind="wrong_transposition", at=0, amount=self.one_of(2, -2, -12, 5, -3, 9), count=1)]

    def _misread(self) -> tuple[str, float] | None:
        """(clef, semitones from what is read to what sounds) of a reading in another clef that this
        instrument can play.
        """
        found = []
        for clef in other_clefs(self.line):
            for add in (0, -12, 12, 24, -24):
                sounding = [
                    n.sounding_midi
                    for n in read_in_clef(self.line, clef, self.line.part.chromatic + add).notes
                ]
                if min(sounding) >= self.instrument.low - 2 and max(sounding) <= self.instrument.high + 2:
                    found.append((clef, float(self.line.part.chromatic + add)))
        return found[int(self.rng.integers(len(found)))] if found else None

    # ---- count ----
    def _rest_step(self, kind: str, sign: int, near: bool) -> list[Plan] | None:
        i = self.pick(lambda i, n: self.gap(i) >= 0.5 * self.beat and not n.fermata)
        if i is None:
            return None
        rest = self.gap(i)
        whole = (
            [b for b in (self.beat, 2 * self.beat) if b <= rest + 1e-6]
            if sign < 0
            else [self.beat, 2 * self.beat][: 1 + (rest > self.beat)]
        )
        amount = float(self.rng.choice(whole)) if whole else rest
        return [
            Plan(
                kind=kind,
                at=i,
                amount=sign * amount * (0.25 if near else 1.0),
                cause=None if near else "rest_miscounted",
                near=near,
            )
        ]

    def _rest_short(self, near: bool) -> list[Plan] | None:
        return self._rest_step("rest_short", -1, near)

    def _rest_long(self, near: bool) -> list[Plan] | None:
        return self._rest_step("rest_long", 1, near)

    def _rest_filled(self, near: bool) -> list[Plan] | None:
        i = self.pick(lambda i, n: self.seconds(self.gap(i)) >= 0.5 and not n.fermata)
        return (
            None
            if i is None
            else [
                Plan(
                    kind="rest_filled",
                    at=i,
                    amount=self.one_of(0.1, 0.2) if near else self.one_of(0.6, 0.8, 0.97),
                    near=near,
                )
            ]
        )

    def _cut_short(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: float(n.duration) >= 2 * self.beat and self._plainly(i, n) and not n.slurred_to_next
        )
        return (
            None
            if i is None
            else [
                Plan(kind="cut_short", at=i, amount=0.78 if near else self.one_of(0.3, 0.4, 0.5), near=near)
            ]
        )

    def _held_over(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: float(n.duration) >= 2 * self.beat and self._plainly(i, n) and self.gap(i) == 0
        )
        return (
            None
            if i is None
            else [
                Plan(
                    kind="held_over",
                    at=i,
                    amount=(0.25 if near else self.one_of(1, 1, 2)) * self.beat,
                    cause="long_note_miscounted",
                    near=near,
                )
            ]
        )

    def _beat_dropped(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                float(n.duration) >= 2 * self.beat
                and self._plainly(i, n)
                and self.gap(i) == 0
                and not n.slurred_to_next
            )
        )
        return (
            None
            if i is None
            else [
                Plan(
                    kind="beat_dropped",
                    at=i,
                    amount=-self.beat * (0.2 if near else 1.0),
                    cause="long_note_miscounted",
                    near=near,
                )
            ]
        )

    def _beat_added(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                float(n.duration) == self.beat
                and self._plainly(i, n)
                and self.gap(i) == 0
                and not n.slurred_to_next
            )
        )
        return (
            None
            if i is None
            else [Plan(kind="beat_added", at=i, amount=self.beat * (0.2 if near else 1.0), near=near)]
        )

    def _hesitation(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                float(n.duration) < 1.5 * self.beat
                and self._plainly(i, n)
                and self.gap(i) == 0
                and not n.slurred_to_next
            )
        )
        return (
            None
            if i is None
            else [
                Plan(
                    kind="hesitation",
                    at=i,
                    amount=self.beat * (0.25 if near else self.one_of(0.8, 1.3, 2.2)),
                    near=near,
                )
            ]
        )

    def _restart(self, near: bool) -> list[Plan] | None:
        starts = [
            i
            for i in range(4, len(self.notes) - 4)
            if self.notes[i].bar_index != self.notes[i - 1].bar_index
            and self.free(i, 4)
            and not self.notes[i].slurred_from_previous
        ]
        if not starts or near:
            return None
        at = int(self.rng.choice(starts))
        count = int(self.rng.integers(1, 5))
        if any(not self._plainly(k, self.notes[k]) for k in range(at, at + count)):
            return None
        return [Plan(kind="restart", at=at, count=count)]

    def _bar_skipped(self, near: bool) -> list[Plan] | None:
        bars: dict[int, list[int]] = {}
        for i, n in enumerate(self.notes):
            bars.setdefault(n.bar_index, []).append(i)
        whole = [
            b
            for b in bars
            if 1 < b < len(self.line.bars) - 2
            and all(self.free(i, 1) for i in bars[b])
            and not self.notes[bars[b][0]].slurred_from_previous
            and float(self.notes[bars[b][0]].offset) == 0
            and b + 1 in bars
            and float(self.notes[bars[b + 1][0]].offset) == 0
        ]
        if not whole or near:
            return None
        b = int(self.rng.choice(whole))
        return [Plan(kind="bar_skipped", at=bars[b][0], count=len(bars[b]))]

    def _repeat_skipped(self, near: bool) -> list[Plan] | None:
        again = [i for i, n in enumerate(self.notes) if n.passing == 2]
        if not again or near or any(not self.free(i, 0) for i in again):
            return None
        return [Plan(kind="repeat_skipped", at=again[0], count=len(again))]

    # ---- rhythm ----
    def _shifted(self, kind: str, sign: int, near: bool) -> list[Plan] | None:
        # The short note of a dotted figure displaced is that figure played wrong.
        i = self.pick(
            lambda i, n: (
                i >= 3
                and self.ioi(i - 1) != 3 * self.ioi(i)
                and self._plainly(i, n)
                and self.gap(i - 1) == 0
                and self.gap(i) == 0
                and not n.slurred_from_previous
                and self.ioi(i) >= 0.5
                and self.ioi(i - 1) >= 0.5
                and self._plainly(i + 1, self.notes[i + 1])
            )
        )
        if i is None:
            return None
        shorter = min(self.ioi(i), self.ioi(i - 1))
        threshold = max(min(0.16 * self.beat, 0.45 * shorter), 0.045 * self.bpm / 60)
        size = threshold * (self.one_of(0.35, 0.55) if near else self.one_of(1.5, 2.0, 2.8))
        # What is left of the shorter note still sounds: a note is no click.
        size = min(size, 0.62 * shorter, shorter - LEAST_SOUND_S * self.bpm / 60)
        return (
            [Plan(kind=kind, at=i, amount=sign * size, near=near)]
            if size > (1.3 * threshold if not near else 0.0)
            else None
        )

    def _late(self, near: bool) -> list[Plan] | None:
        return self._shifted("late", 1, near)

    def _early(self, near: bool) -> list[Plan] | None:
        return self._shifted("early", -1, near)

    def _run_of(self, least: int) -> tuple[int, int] | None:
        """(first note, how many) of a run of equal short notes."""
        runs: list[tuple[int, int]] = []
        i = 1
        while i < len(self.notes) - 2:
            m = i
            while (
                m < len(self.notes) - 2
                and self.ioi(m) == self.ioi(i)
                and self.ioi(i) <= 0.5 * self.beat
                and self.gap(m) == 0
                and self._plainly(m, self.notes[m])
            ):
                m += 1
            if m - i >= least:
                start = i if (float(self.notes[i].offset) / (2 * self.ioi(i))) % 1 < 1e-6 else i + 1
                if m - start >= least and all(self.free(k, 1) for k in range(start, m)):
                    runs.append((start, m - start))
            i = max(m, i + 1)
        return runs[int(self.rng.integers(len(runs)))] if runs else None

    def _uneven(self, near: bool) -> list[Plan] | None:
        run = self._run_of(4)
        if run is None:
            return None
        ratio = self.one_of(1.10, 1.15) if near else self.one_of(1.5, 1.8, 2.2)
        if self.rng.random() < 0.25:
            ratio = 1 / ratio
        return [Plan(kind="uneven", at=run[0], amount=ratio, count=run[1] - run[1] % 2, near=near)]

    def _dots(self) -> list[int]:
        return [
            i
            for i in range(1, len(self.notes) - 2)
            if abs(self.ioi(i) - 3 * self.ioi(i + 1)) < 1e-6
            and self.gap(i) == 0
            and self.gap(i + 1) == 0
            and self._plainly(i, self.notes[i])
            and self._plainly(i + 1, self.notes[i + 1])
            and self.free(i, 1)
            and not self.notes[i].slurred_to_next
            and not self.notes[i + 1].slurred_to_next
            and not self.line.graces[i + 2]
        ]

    def _dotted(self, kind: str, ratio: float, near: bool) -> list[Plan] | None:
        where = self._dots()
        if not where:
            return None
        if near:
            return [Plan(kind=kind, at=where[0], amount=ratio, count=2, near=True)]
        return [
            Plan(kind=kind, at=i, amount=ratio * math.exp(0.05 * self.rng.standard_normal()), count=2)
            for i in where[:6]
        ]

    def _dot_lost(self, near: bool) -> list[Plan] | None:
        return self._dotted("dot_lost", 2.5 if near else self.one_of(1.0, 1.15, 1.3), near)

    def _dot_overdone(self, near: bool) -> list[Plan] | None:
        return self._dotted("dot_overdone", 3.4 if near else self.one_of(5.0, 6.0, 7.0), near)

    def _trend(self, kind: str, near: bool) -> list[Plan] | None:
        total = float(self.notes[-1].onset)
        i = self.pick(
            lambda i, n: i >= 4 and 0.25 * total < float(n.onset) < 0.7 * total and not self.line.free_from,
            reach=3,
        )
        if i is None:
            return None
        length = float(self.rng.uniform(8, 14))
        m = i
        while m < len(self.notes) - 2 and float(self.notes[m].onset - self.notes[i].onset) < length:
            if not self.free(m, 1) or self.notes[m].fermata:
                break
            m += 1
        if float(self.notes[m].onset - self.notes[i].onset) < 6:
            return None
        size = 1.04 if near else self.one_of(1.2, 1.28, 1.38)
        return [
            Plan(
                kind=kind,
                at=i,
                amount=size if kind == "dragging" else 1 / size,
                count=m - i,
                near=near,
                cause="too_fast_for_now" if kind == "dragging" and not near else None,
            )
        ]

    def _rushing(self, near: bool) -> list[Plan] | None:
        if self.rng.random() < 0.4:
            run = self._run_of(4)
            if run is not None:
                return [
                    Plan(
                        kind="rushing",
                        at=run[0],
                        amount=0.95 if near else self.one_of(0.82, 0.76, 0.70),
                        count=run[1],
                        near=near,
                        way="figure",
                    )
                ]
        return self._trend("rushing", near)

    def _dragging(self, near: bool) -> list[Plan] | None:
        return self._trend("dragging", near)

    # ---- ornaments ----
    def _graced(self) -> int | None:
        return self.pick(lambda i, n: bool(self.line.graces[i]))

    def _grace_missed(self, near: bool) -> list[Plan] | None:
        i = self._graced()
        return None if i is None or near else [Plan(kind="grace_missed", at=i)]

    def _grace_slipped(self, near: bool) -> list[Plan] | None:
        i = self._graced()
        if i is None:
            return None
        if near:
            return [Plan(kind="grace_slipped", at=i, amount=0.13, way="long", near=True)]
        way = str(self.rng.choice(["pitch", "long", "after"]))
        length = self.seconds(float(self.notes[i].duration))
        amount = {
            "pitch": self.one_of(2, 3, -4),
            "long": min(self.one_of(0.28, 0.36), 0.6 * length),
            "after": 0.4 * length,
        }[way]
        return [Plan(kind="grace_slipped", at=i, amount=amount, way=way)]

    def _trilled(self) -> int | None:
        return self.pick(
            lambda i, n: n.written.ornament == "trill" and self.seconds(float(n.duration)) > 0.55
        )

    def _trill_missed(self, near: bool) -> list[Plan] | None:
        i = self._trilled()
        return None if i is None or near else [Plan(kind="trill_missed", at=i)]

    def _trill_start(self, near: bool) -> list[Plan] | None:
        i = self._trilled()  # against the player's own school, which is then asked for
        return (
            None
            if i is None or near
            else [Plan(kind="trill_start", at=i, amount=-1.0 if self.upper_start else 1.0)]
        )

    def _trill_thin(self, near: bool) -> list[Plan] | None:
        i = self._trilled()
        return (
            None
            if i is None or near
            else [Plan(kind="trill_thin", at=i, way=str(self.rng.choice(["thin", "short"])))]
        )

    def _ornament_wrong(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: n.written.ornament not in (None, "trill") and self.seconds(float(n.duration)) > 0.4
        )
        return (
            None
            if i is None or near
            else [Plan(kind="ornament_wrong", at=i, way=str(self.rng.choice(["none", "wrong"])))]
        )

    # ---- articulation ----
    def _in_slur(self) -> int | None:
        return self.pick(
            lambda i, n: (
                n.slurred_from_previous
                and self.notes[i - 1].sounding_midi != n.sounding_midi
                and self._plainly(i, n)
                and self._plainly(i - 1, self.notes[i - 1])
                and self.seconds(self.ioi(i - 1)) > 0.2
            )
        )

    def _tongued_in_slur(self, near: bool) -> list[Plan] | None:
        i = self._in_slur()
        return None if i is None or near else [Plan(kind="tongued_in_slur", at=i)]

    def _slurred_over_tongue(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                not n.slurred_from_previous
                and self.gap(i - 1) == 0
                and self._plainly(i, n)
                and self._plainly(i - 1, self.notes[i - 1])
                and 1 <= abs(self.notes[i - 1].sounding_midi - n.sounding_midi) <= 7
                and "staccato" not in self.notes[i - 1].written.articulations
                and not self.notes[i - 1].breath_after
            )
        )
        return None if i is None or near else [Plan(kind="slurred_over_tongue", at=i)]

    def _breath_in_slur(self, near: bool) -> list[Plan] | None:
        i = self._in_slur()
        if i is None or near or self.seconds(self.ioi(i - 1)) < 0.45:
            return None
        return [Plan(kind="breath_in_slur", at=i, amount=self.one_of(0.22, 0.3))]

    def _long_whole(self) -> bool:
        return sum(self.seconds(self.ioi(i)) > 0.5 for i in range(len(self.notes) - 1)) > 0.6 * len(
            self.notes
        )

    def _breath_every_note(self, near: bool) -> list[Plan] | None:
        return (
            None
            if near or self.used or not self._long_whole()
            else [Plan(kind="breath_every_note", at=0, amount=self.one_of(0.24, 0.3))]
        )

    def _not_joined(self, near: bool) -> list[Plan] | None:
        slurs = sum(n.slurred_to_next for n in self.notes)
        return (
            None
            if near or slurs < 5 or any(p for p in self.used)
            else [Plan(kind="not_joined", at=0, amount=self.one_of(0.6, 0.75))]
        )

    def _not_detached(self, near: bool) -> list[Plan] | None:
        short = sum("staccato" in n.written.articulations for n in self.notes)
        return None if near or short < 4 or self.used else [Plan(kind="not_detached", at=0, amount=0.95)]

    # ---- sound ----
    def _long(self, seconds: float) -> int | None:
        return self.pick(lambda i, n: self.seconds(float(n.duration)) > seconds and self._plainly(i, n))

    def _out_of_tune(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                float(n.duration) >= 0.5 * self.beat + 1e-6
                and self._plainly(i, n)
                and self.seconds(float(n.duration)) > 0.3
            )
        )
        return (
            None
            if i is None
            else [
                Plan(
                    kind="out_of_tune",
                    at=i,
                    amount=self.one_of(-1, 1) * (self.one_of(14, 20) if near else self.one_of(38, 42, 46)),
                    near=near,
                )
            ]
        )

    def _cracked(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                self._plainly(i, n) and self.seconds(float(n.duration)) > 0.4 and not n.slurred_from_previous
            )
        )
        if i is None:
            return None
        midi = self.notes[i].sounding_midi
        ways = [
            a
            for a in ((12, 7, 5, -5) if self.instrument.family == "brass" else (12, 19))
            if midi + a <= self.instrument.high + 12
        ]
        return [
            Plan(
                kind="cracked",
                at=i,
                amount=float(self.rng.choice(ways or [12])),
                count=int(self.rng.integers(1, 3)),
                near=near,
                cause=None if near else "air",
            )
        ]

    def _sagging(self, near: bool) -> list[Plan] | None:
        i = self._long(1.1)
        return (
            None
            if i is None
            else [
                Plan(
                    kind="sagging",
                    at=i,
                    amount=self.one_of(8, 12) if near else self.one_of(45, 60),
                    near=near,
                    cause=None if near else "air",
                )
            ]
        )

    def _unsteady(self, near: bool) -> list[Plan] | None:
        i = self._long(1.1)
        return (
            None
            if i is None
            else [
                Plan(
                    kind="unsteady",
                    at=i,
                    amount=self.one_of(5, 8) if near else self.one_of(28, 40),
                    near=near,
                )
            ]
        )

    def _fuzzy(self, near: bool) -> list[Plan] | None:
        i = self._long(0.5)
        return None if i is None or near else [Plan(kind="fuzzy", at=i, amount=self.one_of(0.5, 0.7))]

    def _dynamics_flat(self, near: bool) -> list[Plan] | None:
        wedge = any(m.kind == "wedge" for b in self.line.bars for m in b.bar.marks)
        return None if near or not wedge else [Plan(kind="dynamics_flat", at=0)]

    def _off_click(self, near: bool) -> list[Plan] | None:
        if not self.click or self.used:
            return None
        return [
            Plan(
                kind="off_click",
                at=0,
                amount=self.one_of(0.04, -0.05) if near else self.one_of(0.25, 0.35, 0.5, -0.25),
                near=near,
            )
        ]

    def _tuned_high(self, near: bool) -> list[Plan] | None:
        if self.tuned:
            return None
        self.tuned = True
        return [Plan(kind="tuned_high", at=0, amount=5.0 if near else self.one_of(20, 28), near=near)]

    def _tuned_low(self, near: bool) -> list[Plan] | None:
        if self.tuned:
            return None
        self.tuned = True
        return [Plan(kind="tuned_low", at=0, amount=-5.0 if near else -self.one_of(20, 28), near=near)]


# How often a teacher meets each kind; used as weights.
COMMON = {
    "missed_accidental": 3,
    "wrong_note": 3,
    "added_accidental": 1,
    "wrong_octave": 1,
    "wrong_partial": 1.2,
    "missed_note": 1.5,
    "extra_note": 1.5,
    "rest_short": 1.5,
    "rest_long": 1.5,
    "rest_filled": 1,
    "cut_short": 1.2,
    "held_over": 1,
    "beat_dropped": 0.8,
    "beat_added": 0.7,
    "hesitation": 1.5,
    "restart": 1.5,
    "bar_skipped": 1,
    "repeat_skipped": 1.5,
    "late": 1,
    "early": 0.8,
    "uneven": 1.2,
    "dot_lost": 1.5,
    "dot_overdone": 0.8,
    "rushing": 1.2,
    "dragging": 1.2,
    "grace_missed": 1.2,
    "grace_slipped": 0.8,
    "trill_missed": 1,
    "trill_thin": 0.8,
    "trill_start": 0.5,
    "ornament_wrong": 0.6,
    "tongued_in_slur": 1,
    "slurred_over_tongue": 0.8,
    "breath_in_slur": 0.7,
    "breath_every_note": 0.3,
    "not_joined": 0.3,
    "not_detached": 0.3,
    "out_of_tune": 1,
    "cracked": 1.3,
    "off_click": 1.5,
    "sagging": 0.6,
    "unsteady": 0.6,
    "fuzzy": 0.4,
    "dynamics_flat": 0.7,
    "tuned_high": 0.4,
    "tuned_low": 0.4,
    "wrong_transposition": 0.25,
}
GATHERED = {"missed_accidental", "dot_lost", "dot_overdone"}  # a habit: one fault in the truth


def plan_faults(
    line: PerformedPart,
    instrument: Instrument,
    bpm: float,
    rng: Rng,
    faults: int,
    near: int,
    kinds: tuple[str, ...] = (),
    *,
    click: bool = False,
    upper_start: bool = False,
) -> tuple[Plan, ...]:
    """So many faults and near misses, where the line has places for them; a habit counts as one.

    `click`: a click sounds in the recording; `upper_start`: this player's trills begin on the upper note.
    """
    planner = Planner(line, instrument, rng, bpm, click, upper_start)
    names = list(kinds or COMMON)
    weights = np.array([COMMON.get(k, 1.0) for k in names], float)
    out: list[Plan] = []
    done = 0
    for _ in range(40):
        if done >= faults:
            break
        kind = str(rng.choice(names, p=weights / weights.sum()))
        plans = planner.plan(kind)
        if plans:
            out.extend(plans)
            done += 1
            if kind in (
                "wrong_transposition",
                "breath_every_note",
                "not_joined",
                "not_detached",
                "repeat_skipped",
                "off_click",
            ):
                break
    whole = any(
        p.kind in ("wrong_transposition", "breath_every_note", "not_joined", "not_detached", "off_click")
        for p in out
    )
    for _ in range(20):
        if near <= 0 or whole:
            break
        plans = planner.plan(str(rng.choice(list(COMMON))), near=True)
        if plans and plans[0].near:
            out.extend(plans)
            near -= 1
    return tuple(out)
