"""Every number of notes, with unit, bounds and reason."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.setting import number


@dataclass(frozen=True, kw_only=True)
class PitchSettings:
    """What the whole of `notes` and `assessment` means by one pitch."""

    same: float = number(0.7, "semitones", (0.5, 1), "two pitches closer than this are one")


PITCH = PitchSettings()
SAME_PITCH = PITCH.same


@dataclass(frozen=True, kw_only=True)
class TiesSettings:
    """`notes.ties`."""

    around: float = number(
        0.4,
        "share",
        (0, 1),
        "of the shorter of two tied notes, on each side of the tie, where it may be struck",
    )


TIES = TiesSettings()


@dataclass(frozen=True, kw_only=True)
class BuildSettings:
    """`notes.build`."""

    nothing_s: float = number(0.03, "s", (0, 0.12), "a note cannot be shorter")


BUILD = BuildSettings()


@dataclass(frozen=True, kw_only=True)
class ClicksSettings:
    """`notes.clicks`."""

    least_notes: int = number(8, "notes", (0, 32), "fewer notes tell no click")
    high_stands_out: float = number(
        4.0, "ratio", (1, 16), "how far it stands out there: swung notes have high attacks of their own"
    )
    away_s: float = number(0.06, "s", (0, 0.24), "an attack so near a note's own is the note")
    stray: float = number(
        0.015,
        "share",
        (0, 1),
        "share by which the click may be faster or slower than the beat that was played",
    )
    follows_s: float = number(0.03, "s", (0, 0.1), "what comes so nearly alike after notes belongs to them")
    least_alone: int = number(
        3, "count", (1, 12), "beats in which no note began so long before, to compare with"
    )
    alone_share: float = number(
        0.5, "share", (0, 1), "of what is struck after notes: less where none began is no click"
    )
    place_s: float = number(0.01, "s", (0, 0.04), "places in the beat that are told apart")
    beside: int = number(6, "count", (0, 24), "places beside the best that are not compared with it")
    least_free: float = number(
        0.45, "share", (0, 1), "share of the beats in which a place must be free of notes"
    )
    least_places: int = number(
        5, "count", (0, 20), "a place in the beat is compared with so many others at least"
    )
    click_s: float = number(
        0.025, "s", (0, 0.1), "seconds around a place in which an attack is sought, and its least strength"
    )
    click_flux: float = number(
        0.15, "share", (0, 1), "seconds around a place in which an attack is sought, and its least strength"
    )
    early_s: float = number(
        0.012,
        "s",
        (0, 0.048),
        "the growth of a sharp sound is strongest so long before it: measured on simulated clicks",
    )
    mostly_free: float = number(
        0.8, "share", (0, 1), "share of the beats in which the place of a click is free of notes"
    )
    stands_out: float = number(
        2.6,
        "ratio",
        (0, 10.4),
        "in 300 takes of the validation set without a click nothing stood out by more than 2.3",
    )


CLICKS = ClicksSettings()


@dataclass(frozen=True, kw_only=True)
class DecompositionSettings:
    """`notes.decomposition`."""

    top_hz: float = number(5000.0, "Hz", (0, 20000), "the spectra are explained up to here")
    step: int = number(2, "hops", (0, 8), "hops of the fine grid between frames")
    periods: float = number(4.0, "ratio", (0, 16), "of the lowest pitch in a frame: its partials stand apart")
    sizes: tuple[int, int] = number(
        (1024, 2048), "ratio", (0, 8192), "samples of a frame, at least and at most"
    )
    clear: float = number(0.85, "periodicity", (0, 1), "periodicity of a note that shows how a pitch sounds")
    steady_s: float = number(
        0.15, "s", (0, 0.6), "of its beginning left out, or this share of it, whichever is less"
    )
    steady_share: float = number(
        0.4, "share", (0, 1), "of a note: so much of its beginning is left out, at most"
    )
    longest_s: float = number(0.5, "s", (0, 2), "of a note that is averaged")
    rounds: int = number(12, "count", (0, 48), "of the fit")
    quiet_frames: int = number(20, "count", (0, 80), "from which the noise is taken")
    farthest: float = number(
        7.0, "semitones", (0, 28), "semitones from which one pitch may tell how another sounds"
    )


DECOMPOSITION = DecompositionSettings()


@dataclass(frozen=True, kw_only=True)
class DoubtsSettings:
    """`notes.doubts`."""

    speaks_s: float = number(
        0.04, "s", (0, 0.16), "at its beginning and end a note is not asked which octave it has"
    )
    held_attack: float = number(
        0.5, "share", (0, 1), "the pitch of the note before, begun more weakly, is that note still"
    )
    no_room_s: float = number(0.03, "s", (0, 0.12), "two sounds nearer than this have no room between them")
    after_grace_s: float = number(
        0.05,
        "s",
        (0, 0.2),
        "a note that a long grace note left little of sounds for so long, at least, within so long after it",
    )
    long_after_s: float = number(
        0.4,
        "s",
        (0, 1.6),
        "a note that a long grace note left little of sounds for so long, at least, within so long after it",
    )
    sounded_mean: float = number(
        0.4,
        "share",
        (0, 1),
        "share of the written pitch on average and at its best, and how much softer than its voice",
    )
    sounded_top: float = number(
        0.75,
        "share",
        (0, 1),
        "share of the written pitch on average and at its best, and how much softer than its voice",
    )
    sounded_db: float = number(
        9.0,
        "dB",
        (0, 36),
        "share of the written pitch on average and at its best, and how much softer than its voice",
    )
    blurred: float = number(
        0.96,
        "periodicity",
        (0, 1),
        "periodicity of what was heard, or of the written pitch too: another tone may sound in it",
    )
    also_clear: float = number(
        0.4,
        "periodicity",
        (0, 1),
        "periodicity of what was heard, or of the written pitch too: another tone may sound in it",
    )


DOUBTS = DoubtsSettings()


@dataclass(frozen=True, kw_only=True)
class EvidenceSettings:
    """`notes.evidence`."""

    shift_share: float = number(
        0.7, "share", (0, 1), "of the notes: shifted alike by so many, the take is transposed"
    )
    shift_notes: int = number(6, "notes", (0, 24), "and at least so many heard")
    subharmonic_clarity: float = number(
        0.6,
        "periodicity",
        (0, 1),
        "periodicity at the written pitch, against the lower one: the lower is only a part of the sound",
    )


EVIDENCE = EvidenceSettings()


@dataclass(frozen=True, kw_only=True)
class InsertedOnsetsSettings:
    """`notes.inserted_onsets`."""

    min_run_s: float = number(0.1, "s", (0, 0.4), "a sound shorter than this is no note")
    attack_part_s: float = number(0.14, "s", (0, 0.56), "what happens so early belongs to the attack")
    min_clarity: float = number(0.78, "share", (0, 1), "a sound less clear is no note")
    level_below_db: float = number(
        13.0, "dB", (0, 52), "softer than the note by more than this: room or the next room"
    )
    gap_s: float = number(
        0.09, "s", (0, 0.36), "the same pitch again counts as sounded again after a gap of so much"
    )
    min_attack: float = number(0.3, "share", (0, 1), "a sound begun more weakly is no note of its own")
    stroke_gap_s: float = number(0.09, "s", (0, 0.36), "two strokes are so far apart")
    stroke_share: float = number(
        0.6,
        "share",
        (0, 1),
        "of the usual attack, and dB below the usual stroke: as strong and loud, it is a stroke",
    )
    stroke_below_db: float = number(
        8.0,
        "dB",
        (0, 32),
        "of the usual attack, and dB below the usual stroke: as strong and loud, it is a stroke",
    )
    sure_run_s: float = number(
        0.12, "s", (0, 0.48), "a sound so long, clear and loud is a note without an attack too"
    )
    sure_clarity: float = number(
        0.95, "share", (0, 1), "a sound so long, clear and loud is a note without an attack too"
    )
    sure_below_db: float = number(
        7.0, "dB", (0, 28), "a sound so long, clear and loud is a note without an attack too"
    )
    own_attack: float = number(
        0.4, "share", (0, 1), "the same pitch again is a note of its own after such an attack and such a dip"
    )
    own_dip_db: float = number(
        3.0, "dB", (0, 12), "the same pitch again is a note of its own after such an attack and such a dip"
    )
    silence_db: float = number(15.0, "dB", (3, 60), "softer than both: silence between two notes of a pitch,")
    silence_s: float = number(0.15, "s", (0, 1), "for longer than this")
    twice_attack: float = number(0.45, "share", (0, 1), "and a note was sounded twice")
    twice_dip_db: float = number(6.0, "dB", (0, 24), "and a note was sounded twice")
    dotted: float = number(
        2.9,
        "ratio",
        (0, 11.6),
        "the short note of a dotted figure comes early, and long, where that is evened out",
    )
    long_ratio: float = number(
        1.45, "ratio", (0, 5.8), "a segment longer than this times the written length may hold the note twice"
    )
    due_s: float = number(
        0.1, "s", (0, 0.4), "the second sound is nearer to where the note was due by so much"
    )
    folded: tuple[int, ...] = number(
        (0, 12, 19, 24),
        "semitones",
        (0, 96),
        "semitones: the same tone, heard in another octave or at its third partial",
    )


INSERTED_ONSETS = InsertedOnsetsSettings()


@dataclass(frozen=True, kw_only=True)
class MeasureSettings:
    """`notes.measure`."""

    attack_skip_s: float = number(
        0.15, "s", (0, 0.6), "the attack is no part of the pitch: so much of a note, at most"
    )
    attack_skip_share: float = number(0.3, "share", (0, 1), "or so much of its length, whichever is less")
    onset_reach_s: float = number(0.06, "s", (0, 0.24), "how far from the boundary the onset is sought")
    gap_db: float = number(12.0, "dB", (0, 48), "the level rises by so much: there was a gap before")
    rise_db: float = number(10.0, "dB", (0, 40), "below the note's level by this: it is rising")
    rise_delay_s: float = number(0.017, "s", (0, 0.068), "from there, in 20 ms windows, to where it speaks")
    growth_delay_s: float = number(
        0.014, "s", (0, 0.056), "from the strongest growth of the spectrum to where it speaks"
    )
    latest: float = number(0.8, "share", (0, 1), "of a segment: a note may speak so late in it")
    subharmonic_ratio: float = number(
        0.9,
        "periodicity",
        (0, 1),
        (
            "periodicity of the higher pitch, relative to the lower, from which the lower is only its "
            "subharmonic"
        ),
    )
    decay_db: float = number(
        9.0, "dB", (0, 36), "below the note's own level, or its recent one, by this: the decay has begun"
    )
    recent_s: float = number(0.3, "s", (0, 1.2), "how far back the recent level reaches")
    faded_db: float = number(20.0, "dB", (0, 80), "a note faded by so much has ended")
    waver_s: float = number(0.25, "s", (0, 1), "a tone may be softer for so long without having ended")
    held_in_waver: float = number(
        0.7,
        "share",
        (0, 1),
        "share of a dip in which its pitch is there; an attack so strong in it begins another sound",
    )
    waver_attack: float = number(
        0.4,
        "share",
        (0, 1),
        "share of a dip in which its pitch is there; an attack so strong in it begins another sound",
    )
    held_in_noise: float = number(
        0.85,
        "share",
        (0, 1),
        "of a dip with an attack in it has the pitch: a noise, the tone goes on behind it",
    )
    noise_s: float = number(0.15, "s", (0, 0.6), "a noise covers a tone no longer than this,")
    behind_noise_s: float = number(
        0.3, "s", (0, 1.2), "and what sounds at its pitch for so long behind it is still that tone"
    )
    cover_s: float = number(0.8, "s", (0, 3), "a louder one no longer than this,")
    cover_db: float = number(6.0, "dB", (0, 24), "where nothing gets softer than the tone by so much")
    covers_db: float = number(6.0, "dB", (0, 24), "and what no tone explains is so much louder")
    alone_percent: float = number(
        20.0, "percentile", (0, 50), "of it over the note: so much there is where the note sounds alone"
    )
    behind_cover_s: float = number(0.1, "s", (0, 1.2), "and its pitch sounds for so long behind it")
    waver_step: float = number(
        0.25,
        "semitones",
        (0, 1),
        "semitones from frame to frame, and from its pitch, and periodicity, of a tone that wanders",
    )
    waver_semitones: float = number(
        1.5,
        "semitones",
        (0, 6),
        "semitones from frame to frame, and from its pitch, and periodicity, of a tone that wanders",
    )
    waver_clarity: float = number(
        0.9,
        "semitones",
        (0, 3.6),
        "semitones from frame to frame, and from its pitch, and periodicity, of a tone that wanders",
    )
    sounding_db: float = number(12.0, "dB", (0, 48), "below its loudest by more, a note has ended")
    head_db: float = number(
        20.0,
        "dB",
        (0, 80),
        "what is softer than the note's loudest by this, in its first moments, is not the note",
    )


MEASURE = MeasureSettings()


@dataclass(frozen=True, kw_only=True)
class StrokesSettings:
    """`notes.strokes`."""

    from_s: float = number(-0.01, "s", (-0.04, 0.04), "what is looked at of a stroke, from its onset")
    length_s: float = number(0.1, "s", (0, 0.4), "what is looked at of a stroke, from its onset")
    before_s: float = number(0.03, "s", (0, 0.12), "what sounded just before is taken off")
    bands_hz: tuple[float, ...] = number(
        (
            40.0,
            80.0,
            120.0,
            180.0,
            260.0,
            380.0,
            560.0,
            820.0,
            1200.0,
            1800.0,
            2600.0,
            3800.0,
            5600.0,
            8200.0,
        ),
        "Hz",
        (0, 32800),
        "edges of the bands that tell strokes apart",
    )
    floor: float = number(0.001, "share", (0, 1), "of a stroke's own strength: softer bands tell nothing")


STROKES = StrokesSettings()


@dataclass(frozen=True, kw_only=True)
class SustainSettings:
    """`notes.sustain`."""

    least_s: float = number(0.8, "s", (0, 3.2), "shorter notes are not looked at")
    clearness_s: float = number(0.4, "s", (0, 1.6), "the same for how clear they are")
    head_s: float = number(0.15, "s", (0, 0.6), "attack and release are no part of it")
    tail_s: float = number(0.1, "s", (0, 0.4), "attack and release are no part of it")
    vibrato_s: float = number(0.18, "s", (0, 0.72), "an average over so long takes a vibrato out")
    clear: float = number(0.6, "periodicity", (0, 1), "periodicity of frames whose pitch is read")


SUSTAIN = SustainSettings()


@dataclass(frozen=True, kw_only=True)
class TableSettings:
    """`notes.table`."""

    shifted_share: float = number(
        0.5, "share", (0, 1), "of the notes that were heard, and at least so many, shifted alike"
    )
    shifted_notes: int = number(
        6, "notes", (0, 24), "of the notes that were heard, and at least so many, shifted alike"
    )


TABLE = TableSettings()


@dataclass(frozen=True, kw_only=True)
class SoundedSettings:
    """`notes.sounded`."""

    at_once_s: float = number(0.06, "s", (0, 0.24), "after the note before: nothing lies between them")
    room_s: float = number(0.2, "s", (0, 0.8), "a note with less room than this has little")
    backed: float = number(
        4.0, "nats", (0, 12), "more for no note where a backing was taken out: it leaves soft notes behind"
    )
    asked: float = number(-1.0, "nats", (-8, 8), "log odds from which what was heard may be no note")
    even: float = number(-1.5, "nats", (-8, 8), "log odds at which one is as likely as the other")
    surest: float = number(0.002, "share", (0, 0.1), "no story is taken to be surer, or less sure, than this")


SOUNDED = SoundedSettings()
