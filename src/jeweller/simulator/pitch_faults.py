"""Faults of pitch: wrong notes, octaves, partials, accidentals."""

from __future__ import annotations

from jeweller.notation.clefs import other_clefs, read_in_clef
from jeweller.notation.performance import PerformedNote
from jeweller.notation.pitch import key_alter
from jeweller.simulator.fault_places import FaultPlaces
from jeweller.simulator.plan import Plan


class PitchFaults(FaultPlaces):
    """Plans faults of pitch."""

    def _plainly(self, i: int, n: PerformedNote) -> bool:
        raise NotImplementedError

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
