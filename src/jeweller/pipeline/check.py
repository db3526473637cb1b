"""One check: a score, a take → a report. The pipeline hear → follow → judge → mark, a plain function that any
pool can run.
"""

from __future__ import annotations

import dataclasses
import os
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from jeweller.alignment.align import align
from jeweller.alignment.foreseen import Foreseen
from jeweller.assessment.assess import assess
from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding, is_sure
from jeweller.assessment.settings import AssessmentSettings
from jeweller.audio.backing import remove_backing
from jeweller.audio.clicks import ClickTrack, remove_clicks
from jeweller.audio.decode import Recording, decode, file_hash
from jeweller.errors import Cancelled, ScoreError, SettingError, TakeError
from jeweller.features.extraction import Features, extract_features
from jeweller.features.settings import DEFAULT as HEAR
from jeweller.files import shown_name
from jeweller.grading.scheme import find_scheme
from jeweller.i18n import _
from jeweller.instruments.table import Instrument, instrument_for, require_instrument
from jeweller.notation.model import Score
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notation.readers.sandbox import load_score, usable_part
from jeweller.notation.swing import swung
from jeweller.notes.build import build_note_tables
from jeweller.notes.evidence import add_evidence
from jeweller.notes.grid_spectra import GridSpectra
from jeweller.notes.table import Click, NoteTable, shifted_down
from jeweller.pipeline.ahead import KnownAhead, pitch_bounds
from jeweller.pipeline.lost import lost_sentence, outside_lost
from jeweller.pipeline.swung import unsteadiness
from jeweller.report.build import build_report, note_verdicts, settings_dict
from jeweller.report_format import ReportAttempt, TakeReport

# times the confidence where another sound helped, and where it was known and taken out
HELPED, HELPED_KNOWN = 0.8, 0.95
SILENCE_DB = -70.0  # a recording whose music is softer than this holds none


@dataclass(frozen=True, kw_only=True)
class Options:
    """What a check is asked for. `bars` is "9-16" or None for all; `tempo_bpm` quarters a minute asked
    for.
    """

    part: str | None = None
    tune: str | None = None  # of a tunebook: by title or number
    instrument: str | None = None
    also: tuple[str, ...] = ()  # other instruments that this player plays
    bars: str | None = None
    tempo_bpm: float | None = None
    click: str | None = None  # "heard" or "BPM@SECONDS"
    scheme: str = "even"
    unheard: str = "left_out"  # what becomes of bars that the take does not hold, in the mark
    settings: AssessmentSettings = field(default_factory=AssessmentSettings)
    rhythm_only: bool = False  # claps, taps, counting aloud; parts without pitch are so by themselves
    support: str = "alone"  # with_model: a model or a backing part sounded in the room; with_click
    backing: str | None = None  # a recording of that model, part or click: it is taken out of the take
    backing_from_s: float | None = None  # when it began in the take, where that is known
    clicks: ClickTrack | None = None  # that a loudspeaker played to it: they are taken out of the take
    reading: str = "practised"
    # (second, seconds) of silence that stands where the recording device lost sound: nothing is judged there
    lost: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        if self.backing and self.support == "alone":  # that it sounded in the room is known
            object.__setattr__(self, "support", "with_model")

    @property
    def asked(self) -> dict[str, Any]:
        """What was asked for besides the numbers of judging, as the report's settings tell it."""
        return {
            "part_asked": self.part,
            "instrument_asked": self.instrument,
            "also_plays": list(self.also),
            "bars_asked": self.bars,
            "click": self.click,
            "rhythm_only": self.rhythm_only,
            **({"unheard": self.unheard} if self.unheard != "left_out" else {}),
            **({"tune_asked": self.tune} if self.tune else {}),
            **({"backing": file_hash(self.backing)} if self.backing else {}),
        }


@dataclass(frozen=True, kw_only=True)
class Checked:
    """The report and what it rests on."""

    report: TakeReport
    score: Score
    line: PerformedPart
    instrument: Instrument
    case: AssessmentContext
    findings: tuple[Finding, ...]
    features: Features
    recording: Recording

    @property
    def table(self) -> NoteTable:
        return self.case.table


def open_line(
    score_path: str | os.PathLike[str], options: Options
) -> tuple[Score, PerformedPart, Instrument]:
    """Reads the score, chooses the part and plays it out. Raises ScoreError."""
    score = load_score(score_path, options.tune)
    part = usable_part(score, options.part, rhythm_only=options.rhythm_only)
    line = perform_part(score.title, part, rhythm_only=options.rhythm_only or part.percussion)
    sounding = [n.sounding_midi for n in line.notes]
    if options.instrument:
        instrument = require_instrument(options.instrument)
    else:
        instrument = instrument_for(
            part.instrument or part.name, part.chromatic, min(sounding), max(sounding)
        )
    knows = tuple(require_instrument(name).id for name in options.also)
    return score, line, dataclasses.replace(instrument, knows=knows) if knows else instrument


def bar_range(line: PerformedPart, bars: str | None) -> tuple[tuple[str, str], set[str]]:
    """((first, last) printed numbers, ids of the notes inside). Raises ScoreError where the range is not in
    the part.
    """
    if bars is None:
        return (line.bars[0].number, line.bars[-1].number), {n.id for n in line.notes}
    first, _unused, last = bars.partition("-")
    last = last or first
    numbers = [b.number for b in line.bars]
    if first not in numbers or last not in numbers:
        raise ScoreError(
            _("There are no bars {bars} in this part; it has bars {numbers} to {numbers2}.").format(
                bars=bars, numbers=numbers[0], numbers2=numbers[-1]
            )
        )
    written = [b.number for b in line.part.bars]
    inside = set(written[written.index(first) : len(written) - written[::-1].index(last)])
    ids = {n.id for n in line.notes if n.bar in inside}
    if not ids:
        raise ScoreError(_("There are no notes in bars {bars}.").format(bars=bars))
    return (first, last), ids


def stop_if(cancelled: Callable[[], bool]) -> None:
    """Raises Cancelled where it is asked for.

    >>> stop_if(lambda: False)
    """
    if cancelled():
        raise Cancelled


def _hear(
    recording: Recording,
    name: str,
    line: PerformedPart,
    instrument: Instrument,
    options: Options,
    cancelled: Callable[[], bool],
    progress: Callable[[float, str], None],
    ahead: KnownAhead | None,
) -> tuple[Features, tuple[NoteTable, ...]]:
    """The features of a recording and a note table for each attempt at the part, its eighths swung where that
    is asked for and was done. Raises TakeError where it is silent.
    """
    low, high = pitch_bounds(line)

    def listen(lowest: int, highest: int, begin: float) -> Features:
        return extract_features(
            recording.samples,
            lowest,
            highest,
            HEAR,
            cancelled,
            lambda share: progress(begin + 0.3 * share, _("listening")),
            ahead.heard if ahead is not None else None,
        )

    way = ahead.way if ahead is not None else None

    def follow_line(
        line: PerformedPart, features: Features, way: Foreseen | None = None
    ) -> tuple[NoteTable, ...]:
        alignment = align(
            line,
            features,
            tempo_bpm=options.tempo_bpm,
            rhythm_only=options.rhythm_only or line.part.percussion,
            reference_shift=options.settings.reference_shift,
            foreseen=way,
            cancelled=cancelled,
        )
        stop_if(cancelled)
        return build_note_tables(alignment, features)

    def follow(features: Features, way: Foreseen | None = None) -> tuple[NoteTable, ...]:
        as_asked = swung(line)
        if as_asked is line:
            return follow_line(line, features, way)
        readings = [follow_line(reading, features) for reading in (as_asked, line)]
        return min(readings, key=lambda tables: unsteadiness(tables[-1]))

    features = listen(low, high, 0.2)
    if float(features.level.max(initial=-200.0)) < SILENCE_DB:  # a few claps are sound as well
        raise TakeError(
            _(
                "{name} is silent: no sound is louder than {silence_db:g} dB. Check the microphone "
                "and record again."
            ).format(name=name, silence_db=SILENCE_DB)
        )
    progress(0.5, _("following"))
    tables = follow(features, way)
    # What was played may lie elsewhere than the part: below what was listened to, or, where nothing follows,
    # anywhere on the instrument.
    down = low + shifted_down(tables[-1])
    lowest, highest = (
        (low, high)
        if tables[-1].followed or options.rhythm_only
        else (min(low, instrument.low), max(high, instrument.high))
    )
    if (lowest, highest) != (low, high) or down < features.low:
        features = listen(min(lowest, down), highest, 0.5)
        tables = follow(features)
    return features, tables


def check(
    score_path: str | os.PathLike[str],
    take_path: str | os.PathLike[str],
    options: Options | None = None,
    *,
    cancelled: Callable[[], bool] = lambda: False,
    progress: Callable[[float, str], None] = lambda share, what: None,
    ahead: KnownAhead | None = None,
) -> Checked:
    """Checks one take; `ahead`: what was known of it while it was recorded. Raises ScoreError, TakeError,
    SettingError with a sentence each; Cancelled when asked to stop.
    """
    with ThreadPoolExecutor(1) as beside:  # a hash is computed without holding the others
        hashed = beside.submit(file_hash, take_path)
        return _check(score_path, Path(take_path), options or Options(), cancelled, progress, ahead, hashed)


def _check(
    score_path: str | os.PathLike[str],
    take_path: Path,
    options: Options,
    cancelled: Callable[[], bool],
    progress: Callable[[float, str], None],
    ahead: KnownAhead | None,
    hashed: Future[str],
) -> Checked:
    scheme = dataclasses.replace(find_scheme(options.scheme), unheard=options.unheard)
    progress(0.0, _("reading the part"))
    score, line, instrument = open_line(score_path, options)
    bars, judged = bar_range(line, options.bars)
    progress(0.05, _("opening the recording"))
    recording = decode(take_path, HEAR.rate, cancelled, known=ahead.decoded if ahead is not None else None)
    if options.backing:
        recording = remove_known_backing(recording, options.backing, options.backing_from_s, cancelled)
    if options.clicks is not None:
        recording = without_clicks(recording, options.clicks)
    if ahead is not None and not ahead.fits(recording.samples, line):
        ahead = None
    progress(0.2, _("listening"))
    features, tables = _hear(recording, take_path.name, line, instrument, options, cancelled, progress, ahead)
    stop_if(cancelled)
    progress(0.9, _("judging"))
    if swung(line) is not line and not tables[-1].clef:
        if tables[-1].followed and tables[-1].line is line:
            told = _("The eighths were played even; swing is asked for.")
            recording = dataclasses.replace(recording, warnings=(*recording.warnings, told))
        line = tables[-1].line
    spectra = ahead.spectra if ahead is not None else None
    tries = [
        _assess(table, features, instrument, options, judged, line, cancelled, spectra) for table in tables
    ]
    if options.support == "with_model":
        tries = [
            (discount_helped(found, HELPED_KNOWN if options.backing else HELPED), case)
            for found, case in tries
        ]
    if options.lost:
        recording = dataclasses.replace(
            recording, warnings=(*recording.warnings, *(lost_sentence(at, s) for at, s in options.lost))
        )
        tries = [(outside_lost(found, options.lost), case) for found, case in tries]
    findings, case = tries[choose_attempt(tries)]
    settings = settings_dict(
        options.settings, scheme, options.support, options.reading, options.tempo_bpm, options.asked
    )
    case = on_the_page(case, line)
    try:
        recording = dataclasses.replace(recording, sha256=hashed.result())
    except OSError as error:
        raise TakeError(
            _("{name} was taken away while it was being read.").format(name=shown_name(take_path))
        ) from error
    report = build_report(
        case,
        findings,
        recording,
        take_path.name,
        file_hash(score_path),
        settings,
        scheme,
        bars,
        judged,
        describe_attempts(tries),
    )
    progress(1.0, _("done"))
    return Checked(
        report=report,
        score=score,
        line=line,
        instrument=instrument,
        case=case,
        findings=tuple(findings),
        features=features,
        recording=recording,
    )


def on_the_page(case: AssessmentContext, line: PerformedPart) -> AssessmentContext:
    """The case with its notes as they are printed, where they were read in another clef: what was heard is
    moved with them.
    """
    read = case.table.line
    if not case.table.clef:
        return case
    moved = {
        i: a.sounding_midi - b.sounding_midi
        for i, (a, b) in enumerate(zip(line.main_notes, read.main_notes, strict=True))
    }
    last = len(line.main_notes) - 1
    events = tuple(
        dataclasses.replace(e, midi=e.midi + moved[min(e.before if e.index is None else e.index, last)])
        for e in case.table.events
    )
    return dataclasses.replace(case, table=dataclasses.replace(case.table, line=line, events=events))


def remove_known_backing(
    recording: Recording,
    backing: str,
    expected_s: float | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Recording:
    """The recording without the sound of another that a loudspeaker played in the room, with a warning that
    says what was done. Raises TakeError.
    """
    known = decode(backing, recording.rate, cancelled)
    taken = remove_backing(recording.samples, known.samples, recording.rate, expected_s)
    name = Path(backing).name
    told = (
        _("{name} sounded in the room {share_db:.0f} dB below the take and was taken out.").format(
            name=name, share_db=abs(taken.share_db)
        )
        if taken.heard
        else _("{name} is not heard in this take; nothing was taken out.").format(name=name)
    )
    return dataclasses.replace(recording, samples=taken.samples, warnings=(*recording.warnings, told))


def without_clicks(recording: Recording, track: ClickTrack) -> Recording:
    """The recording without the clicks of the loudspeaker, with a warning that says so."""
    try:
        before = decode(track.before, recording.rate).samples
    except TakeError:  # a count of one beat, a disk that was full: nothing is known of the click's sound
        return recording
    samples, heard = remove_clicks(recording.samples, before, recording.rate, track.count, track.clicks)
    if not heard:
        return recording
    told = _("The click of the loudspeaker is heard in this take and was taken out.")
    return dataclasses.replace(recording, samples=samples, warnings=(*recording.warnings, told))


def discount_helped(findings: list[Finding], factor: float) -> list[Finding]:
    """The findings of a take that was not played alone, where what was heard may not be the player's: less
    sure, and what is unsure now stands last.
    """
    return sorted(
        (f.replace(confidence=f.confidence * factor) for f in findings),
        key=lambda f: not is_sure(f.confidence),
    )


def choose_attempt(tries: list[tuple[list[Finding], AssessmentContext]]) -> int:
    """Which of several complete attempts is judged: one that follows the part, with least against it, the
    last of equals.
    """

    def against(k: int) -> tuple[bool, float, int]:
        found, case = tries[k]
        return (
            not case.table.followed,
            sum(f.severity * f.confidence for f in found if is_sure(f.confidence)),
            -k,
        )

    return min(range(len(tries)), key=against)


def describe_attempts(tries: list[tuple[list[Finding], AssessmentContext]]) -> list[ReportAttempt]:
    """Every complete attempt of the take as the report tells it, in order of time; empty where there was one
    only.
    """
    if len(tries) < 2:
        return []
    chosen = choose_attempt(tries)
    told: list[ReportAttempt] = []
    for k, (findings, case) in enumerate(tries):
        sounded = [e for e in case.table.events if e.index is not None]
        verdicts = note_verdicts(case, findings)
        told.append(
            {
                "first_note_s": round(sounded[0].on_s, 4),
                "last_note_s": round(sounded[-1].on_s, 4),
                "judged": k == chosen,
                "findings": sum(is_sure(f.confidence) for f in findings),
                "notes_right": sum(verdicts[n.id][0] == "ok" for n in case.notes),
                "notes": len(case.notes),
            }
        )
    return told


def read_click(text: str | None, beat_q: float) -> Click | None:
    """ "96@0.42" (clicks a minute in quarters, the second of one click) → Click; None for "heard" and None.
    Raises SettingError.
    """
    if text is None or text == "heard":
        return None
    bpm, _unused, at = text.partition("@")
    try:
        click = Click(beat_s=60.0 / float(bpm) * beat_q, at_s=float(at))
    except (ValueError, ZeroDivisionError):
        raise SettingError(
            _(
                "--click takes “heard”, or a speed and the second of one click as in 96@0.42, not “{text}”."
            ).format(text=text)
        ) from None
    if not 0.1 < click.beat_s < 10.0:
        raise SettingError(
            _("A click of {bpm} to the minute is out of range; use 10 to 500.").format(bpm=bpm)
        )
    return click


def _assess(
    table: NoteTable,
    features: Features,
    instrument: Instrument,
    options: Options,
    judged: set[str],
    line: PerformedPart,
    cancelled: Callable[[], bool],
    spectra: GridSpectra | None,
) -> tuple[list[Finding], AssessmentContext]:
    """The findings of one attempt, those of the bars that were asked for; none where it does not follow."""
    settings = options.settings
    if not table.followed:
        return [], AssessmentContext(table=table, settings=settings, instrument=instrument)
    rhythm_only = options.rhythm_only or line.part.percussion
    click = read_click(options.click, float(line.beat))
    table = add_evidence(
        dataclasses.replace(table, backed=bool(options.backing)),
        features,
        settings.evidence_limits,
        brass=instrument.family == "brass",
        rhythm_only=rhythm_only,
        listen_for_click=click is None,
        spectra=spectra,
    )
    stop_if(cancelled)
    findings, case = assess(
        table, instrument, settings, asked_bpm=options.tempo_bpm, click=click, rhythm_only=rhythm_only
    )
    if len(judged) < len(line.notes):
        inside = {n.bar for n in line.notes if n.id in judged}
        findings = [
            dataclasses.replace(f, notes=tuple(n for n in f.notes if n in judged))
            for f in findings
            if f.bar in inside or set(f.notes) & judged
        ]
    return findings, case
