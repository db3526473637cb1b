"""Reading notation, playing out repeats, writing clean MusicXML.

Score positions are `fractions.Fraction` quarter notes; pitches are written pitches with the part's
transposition beside them, so that written and sounding pitch are never mixed up.
"""
