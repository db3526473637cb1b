"""What is said: a sentence for the teacher, a sentence for the player, for each kind of finding. Facts first;
concrete, kind, short.
"""

from __future__ import annotations

import math

from jeweller.assessment.finding import Finding

CAUSE_WORDS = {
    "forgot_key_signature": "key signature forgotten",
    "forgot_printed_accidental": "printed accidental overlooked",
    "accidental_not_carried": "accidental not carried through the bar",
    "previous_key": "carried over from another key",
    "partial_same_fingering": "right fingering, wrong partial: lips and air, not fingers",
    "register_key": "right fingers, wrong register",
    "neighbour_fingering": "a neighbouring fingering",
    "other_instrument_habit": "the fingering of another instrument this player knows",
    "neighbour_slide_position": "a neighbouring slide position",
    "fingers_not_together": "two fingers not moving together",
    "air": "air",
    "breath": "breath",
    "rest_miscounted": "rest miscounted",
    "long_note_miscounted": "long note miscounted",
    "too_fast_for_now": "too fast for now",
}


def spell_accidental(name: str) -> str:
    """A pitch name in words that cannot be misread: "B♭4" → "B flat", "F4" → "F natural" is left to the
    caller.
    """
    return (
        name.replace("♭", " flat")
        .replace("♯", " sharp")
        .replace("𝄫", " double flat")
        .replace("𝄪", " double sharp")
    )


OCTAVES = {1: "an octave", 2: "two octaves", 3: "three octaves"}
BEATS = {
    0.1: "a tenth of a beat",
    0.125: "an eighth of a beat",
    0.167: "a sixth of a beat",
    0.2: "a fifth of a beat",
    0.25: "a quarter of a beat",
    0.333: "a third of a beat",
    0.4: "two fifths of a beat",
    0.5: "half a beat",
    0.6: "three fifths of a beat",
    0.667: "two thirds of a beat",
    0.75: "three quarters of a beat",
    0.9: "nearly a beat",
    1.0: "one beat",
    1.25: "one and a quarter beats",
    1.5: "one and a half beats",
    1.75: "one and three quarter beats",
    2.0: "two beats",
    2.5: "two and a half beats",
    3.0: "three beats",
    3.5: "three and a half beats",
    4.0: "four beats",
}
LEAST_BEATS = 0.085  # less is too little to be called a tenth
COUNTS = {
    0.25: "a quarter of a count",
    0.5: "half a count",
    0.75: "three quarters of a count",
    1.0: "one count",
    1.5: "one and a half counts",
    2.0: "two counts",
    2.5: "two and a half counts",
    3.0: "three counts",
    3.5: "three and a half counts",
    4.0: "four counts",
}


def beats(value: float) -> str:
    """An amount of time as a teacher says it: the nearest plain fraction, never out by more than an
    eighth of it.

    >>> beats(0.16), beats(0.5), beats(-1.0), beats(5.2)
    ('a sixth of a beat', 'half a beat', 'one beat', '5 beats')
    """
    value = abs(value)
    if value < LEAST_BEATS:
        return "less than a tenth of a beat"
    if value > 4.25:
        return f"{round(value)} beats"
    return BEATS[min(BEATS, key=lambda k: abs(math.log(k / value)))]


def counts(value: float) -> str:
    """How long a rest or a note was, in counts: to a quarter below one, to a half above.

    >>> counts(0.7), counts(1.9), counts(0.05), counts(6.0)
    ('three quarters of a count', 'two counts', 'nothing', '6 counts')
    """
    if value < 0.125:
        return "nothing"
    if value > 4.25:
        return f"{round(value)} counts"
    return COUNTS[min(COUNTS, key=lambda k: abs(k - value))]


def _turns(number: int) -> str:
    return "one turn" if number == 1 else f"{number} turns"


def describe_place(finding: Finding) -> str:
    if finding.count > 1 and finding.places:
        return bar_list(finding.places)
    beat = round(finding.beat * 4) / 4
    return f"bar {finding.bar}, beat {int(beat) if beat == int(beat) else f'{beat:g}'}"


def bar_list(places: tuple[str, ...]) -> str:
    unique = list(dict.fromkeys(places))
    if len(unique) == 1:
        return f"bar {unique[0]}"
    return f"bars {', '.join(unique[:-1])} and {unique[-1]}"


def _natural(letter: str) -> str:
    """ "B" → "B natural", "B♭" → "B flat"."""
    return spell_accidental(letter) if len(letter) > 1 else f"{letter} natural"


def write_texts(finding: Finding) -> Finding:
    """The finding with its `text` and `advice`."""
    text, advice = _sentences(finding)
    return finding.replace(text=text[0].upper() + text[1:], advice=advice)


def _sentences(f: Finding) -> tuple[str, str]:
    d = f.detail
    at = describe_place(f)
    several = f.count > 1
    letter, heard = d.get("letter", ""), d.get("heard_letter", "")
    places = d.get("of", 0)
    match f.kind:
        case "missed_accidental":
            source = {
                "key_signature": f"the key signature says {spell_accidental(letter)}",
                "printed": f"{_natural(letter)} is printed",
                "carried": f"{_natural(letter)} still holds from earlier in the bar",
            }.get(d.get("source", ""), f"{_natural(letter)} is written")
            times = (
                f", {d.get('count', f.count)} times of {d.get('of', f.count)}" if d.get("of", 1) > 1 else ""
            )
            text = f"{at}: {_natural(heard)} sounded; {source}{times}."
            if d.get("source") == "key_signature":
                sign = spell_accidental(letter).split(" ", 1)[-1]
                return (
                    text,
                    (
                        f"Before you play, name every {letter[0]}: {sign}. "
                        "Then finger the line once without playing."
                    ),
                )
            if d.get("source") == "carried":
                return (
                    text,
                    (
                        f"An accidental holds to the bar line: pencil the sign before every {letter[0]} "
                        "of the bar, then play it slowly."
                    ),
                )
            return (
                text,
                (
                    f"Stop before the sign, name the note ({_natural(letter)}), finger it, then play "
                    "the two notes around it."
                ),
            )
        case "added_accidental":
            return (
                (
                    f"{at}: {_natural(heard)} sounded where {_natural(letter)} is written; nothing "
                    "alters it there."
                ),
                (
                    f"Name the note first: {_natural(letter)}. Play it between its neighbours, slowly, "
                    "until the finger knows it."
                ),
            )
        case "wrong_note" if d.get("stroke"):
            return (
                (
                    f"{at}: the {d['heard'][0].lower() + d['heard'][1:]} was struck where the "
                    f"{d['written'][0].lower() + d['written'][1:]} is written."
                ),
                (
                    "Say the names of the strokes in order, then play the bar at half speed, looking "
                    "where each one goes."
                ),
            )
        case "wrong_note":
            return (
                (
                    f"{at}: {d['heard']} sounded where {d['written']} is "
                    f"written{f', {f.count} times' if several else ''}."
                ),
                f"Name the notes on both sides of it, finger {_natural(letter)}, then join the three slowly.",
            )
        case "wrong_octave":
            way = "above" if d["semitones"] > 0 else "below"
            octaves = OCTAVES.get(round(abs(d["semitones"]) / 12), "an octave")
            advice = (
                "Sing the note first, then play it with a steady, faster air stream."
                if way == "below"
                else "Relax the lips, keep the air slow and warm, and start the note again."
            )
            return (
                f"{at}: {d['written']} sounded {octaves} {way}{f', {f.count} times' if several else ''}.",
                advice,
            )
        case "wrong_partial":
            with_ = f"; {d['fingering']}, another partial" if d.get("fingering") else ""
            return (
                f"{at}: {d['heard']} sounded where {d['written']} is written{with_}.",
                (
                    "The fingers were right: buzz or sing the pitch first, then play it, lips and air "
                    "doing the work."
                ),
            )
        case "missed_note":
            return (
                f"{at}: {d.get('written', 'a note')} was not played."
                if not several
                else f"{at}: {f.count} notes were not played.",
                (
                    "Point at every note while you say its name; then play the bar at half speed with "
                    "none left out."
                ),
            )
        case "extra_note":
            slip = " A short blip between two notes." if f.cause == "fingers_not_together" else ""
            advice = (
                "Move both fingers in one motion: change between the two notes four times slowly."
                if slip
                else "Play the bar from the page, note by note, at half speed: only what is written."
            )
            return f"{at}: {d['heard']} sounded and is not written there.{slip}", advice
        case "rest_short" | "rest_long":
            early = "early" if f.kind == "rest_short" else "late"
            return (
                (
                    f"{at}: the rest of {counts(d['written_beats'])} lasted {counts(d['heard_beats'])}; "
                    f"the next entry came {beats(d['beats'])} {early}; from there on the count holds."
                ),
                "Count the rest aloud and clap the notes around it; then play and whisper the counts.",
            )
        case "rest_filled":
            return (
                f"{at}: the note before sounds {beats(d['over_beats'])} into the rest.",
                "Say “rest” where the sound must stop, then play to that word.",
            )
        case "cut_short":
            return (
                (
                    f"{at}: the note of {counts(d['written_beats'])} sounded for "
                    f"{counts(d['heard_beats'])}{f', {f.count} times' if several else ''}."
                ),
                (
                    "Count the long note in your head to its last beat; the sound ends where the next "
                    "count begins."
                ),
            )
        case "held_over":
            return (
                f"{at}: the note of {counts(d['written_beats'])} was held for {counts(d['heard_beats'])}.",
                "Count the long note aloud, clap the next one; then play it with a foot tapping.",
            )
        case "beat_dropped":
            return (
                f"{at}: {beats(d['beats'])} dropped; the rest is steady.",
                "Count this bar aloud, all its beats, then clap it; then play it with the bar before.",
            )
        case "beat_added":
            return (
                f"{at}: {beats(d['beats'])} added; the rest is steady.",
                "Count this bar aloud, then clap it, then play it.",
            )
        case "hesitation":
            return (
                (
                    f"before bar {f.bar}, beat {f.beat:.3g}: a pause of {beats(d['beats'])} where none "
                    "is written."
                ),
                (
                    "Stop on purpose before this place, look at the next four notes, finger them, then "
                    "play across without a gap."
                ),
            )
        case "restart":
            return (
                (
                    f"bar {f.bar}: broken off after {d['notes']} note{'s' if d['notes'] != 1 else ''} "
                    "and taken again."
                ),
                (
                    "When something slips, keep the beat going and join in at the next bar; mend the "
                    "bar afterwards."
                ),
            )
        case "bar_skipped":
            span = f"bar {d['from']}" if d["from"] == d["to"] else f"bars {d['from']} to {d['to']}"
            return (
                f"{span} {'was' if d['from'] == d['to'] else 'were'} left out.",
                "Number the bars in pencil and point at the line while you listen to it once.",
            )
        case "repeat_skipped":
            return (
                f"the repeat from bar {d['from']} to bar {d['to']} was not taken.",
                "Circle the repeat signs and trace the way with a finger before you play.",
            )
        case "early" | "late":
            return (
                f"{at}: {beats(d['beats'])} {f.kind}.",
                "Tap the beat with your foot and say the rhythm of this bar; then play it on one note.",
            )
        case "uneven":
            return (
                (
                    f"{at}: {d['notes']} equal notes came out "
                    f"{'long and short' if d.get('long_first', True) else 'short and long'}, "
                    f"{d['ratio']:.1f} : 1."
                ),
                (
                    "Play the run dotted one way, then the other way, then even; start at a speed where "
                    "every note has the same room."
                ),
            )
        case "dot_lost":
            where = f"{at}: the dotted figure came out {d['ratio']:.1f} : 1 where 3 : 1 is written"
            return (
                where + (f", {f.count} times of {d['of']}." if d.get("of", 1) > 1 else "."),
                (
                    "First only the rhythm: the figure on one note, “long — short”, counted slowly; "
                    "then with its notes."
                ),
            )
        case "rushing" | "dragging":
            verb = "quickens" if f.kind == "rushing" else "slows"
            return (
                f"from bar {f.bar}: the beat {verb} from {d['from_bpm']} to {d['to_bpm']}.",
                (
                    "Choose the speed of the hardest bar for the whole piece, and keep the foot tapping "
                    "to the last note."
                ),
            )
        case "out_of_tune":
            return (
                (
                    f"{at}: {d['written']} is {abs(d['cents'])} cents "
                    f"{'high' if d['cents'] > 0 else 'low'} against your own tuning."
                ),
                "Play the note long against a held tone and move it until the beating stops.",
            )
        case "tuned_high" | "tuned_low":
            way = "high" if d["cents"] > 0 else "low"
            move = "pull" if way == "high" else "push in"
            return (
                (
                    f"the whole take is {abs(d['cents'])} cents {way}: {move} the {d['move']} a little "
                    "and measure again when warm."
                ),
                f"After warming up, {move} the {d['move']} a little and check one long note.",
            )
        case "cracked":
            return (
                (
                    f"{at}: the start catches another note before {d['written']} "
                    f"speaks{f', {f.count} times' if several else ''}."
                ),
                "Air first, then the tongue: start the note four times from a breath, softly.",
            )
        case "grace_missed":
            return (
                f"{at}: the grace note before {d['written']} is missing.",
                "Play the bar once without and once with the grace note, light and before the beat.",
            )
        case "grace_slipped":
            how = {
                "after": f"on {d['written']} came after its main note",
                "long": f"before {d['written']} is long enough to be a note of its own",
                "pitch": f"before {d['written']} came out on another pitch",
            }.get(str(d.get("how")), f"before {d['written']} came out differently")
            return (
                f"{at}: the grace note {how}.",
                (
                    "Play the grace note and its main note slowly as two equal notes, then let the "
                    "first get lighter."
                ),
            )
        case "trill_missed":
            return (
                f"{at}: the trill on {d['written']} was played as a plain note.",
                (
                    "Alternate the two notes slowly, four times, starting where the beat is; then let "
                    "it get faster by itself."
                ),
            )
        case "trill_thin":
            return (
                f"{at}: the trill on {d['written']} has only {_turns(d['turns'])}.",
                "Begin the trill at once and keep it going to the end of the note.",
            )
        case "trill_start":
            return (
                (
                    f"{at}: the trill on {d['written']} begins on its "
                    f"{'upper' if d.get('first') == 'upper' else 'main'} note."
                ),
                "Play the first two notes of the trill slowly in the right order, then let it go.",
            )
        case "ornament_wrong":
            how = "was played as a plain note" if d.get("how") == "plain" else "went the other way round"
            return (
                f"{at}: the ornament on {d['written']} {how}.",
                "Write the small notes out above the bar and play them as even sixteenths, slowly.",
            )
        case "wrong_transposition" if "clef" in d:
            return (
                (
                    f"the whole take is this part as it reads in the {d['clef']} clef. Other findings "
                    "name the notes as they were read."
                ),
                (
                    "Put a finger on the clef, name its own line aloud, then name the first bar's notes "
                    "before you play it."
                ),
            )
        case "wrong_transposition":
            return (
                (
                    f"the whole take sounds {abs(d['semitones'])} semitones "
                    f"{'higher' if d['semitones'] > 0 else 'lower'} than this part asks for."
                ),
                "Check that this is the part for your instrument, and its clef.",
            )
        case "off_click":
            way = "behind" if d["beats"] > 0 else "ahead of"
            return (
                f"the whole take lies {beats(d['beats'])} {way} the click, steadily.",
                (
                    "Clap with the click first, eight beats; then breathe with it, and come in on the "
                    "stroke itself."
                ),
            )
        case "dot_overdone":
            return (
                (
                    f"{at}: the dotted figure came out {d['ratio']:.1f} : 1 where 3 : 1 is "
                    f"written{f', {f.count} times of {places}' if places > 1 else ''}."
                ),
                (
                    "Count four sixteenths to the beat: three for the long note, one for the short; "
                    "slowly, on one note."
                ),
            )
        case "tongued_in_slur":
            return (
                f"{at}: tongued inside a slur{f', {f.count} times' if several else ''}.",
                (
                    "Play the slur on one breath with “taah” only on its first note; let the fingers "
                    "make the others."
                ),
            )
        case "slurred_over_tongue":
            return (
                (
                    f"{at}: slurred where each note should be "
                    f"tongued{f', {f.count} times' if several else ''}."
                ),
                "Say “too” to every note of the bar, then play it the same way.",
            )
        case "breath_in_slur":
            return (
                f"{at}: a breath inside a slur{f', {f.count} times' if several else ''}.",
                "Mark the breath after the slur in pencil; take in more air before it begins.",
            )
        case "breath_every_note":
            return (
                "a breath is taken between nearly all notes.",
                "Play four notes on one breath: the air keeps going, only the tongue touches it.",
            )
        case "not_joined":
            return (
                f"the notes are not joined: gaps at {f.count} joins{f' of {places}' if places else ''}.",
                "Blow one long note and let the fingers change under it.",
            )
        case "not_detached":
            return (
                f"the notes marked short sound their full length, {f.count} times.",
                "Say “tut”: the tongue that ends one note waits for the next.",
            )
        case "sagging":
            return (
                f"{at}: {d['written']} sinks {abs(d['cents'])} cents and grows softer towards its end.",
                "Keep the air moving to the last beat of the long note: aim it at the far wall.",
            )
        case "unsteady":
            return (
                f"{at}: {d['written']} wavers.",
                "Long notes against a held tone, eight counts each, softly.",
            )
        case "fuzzy":
            return (
                f"{at}: {d['written']} sounds less clear than your other notes.",
                "Listen to the start of the note: air first, lips or reed at rest.",
            )
        case "dynamics_flat":
            return (
                (
                    "the written changes of loudness are hardly "
                    f"heard{f' ({places} places)' if places > 1 else ''}."
                ),
                (
                    "Play the line once all soft and once all loud, then as printed: make more of it "
                    "than you think."
                ),
            )
        case "wrong_tempo":
            return (
                f"played at {d['played']} where {d['asked']} was asked for.",
                f"Set the click to {d['asked']} and play the first two bars with it.",
            )
        case _:
            return f"{at}: {f.kind.replace('_', ' ')}.", "Listen to this place once more, slowly."
