"""Samples → frame features: periodicity at every semitone, loudness, attack strength. Nothing here knows the
score but its range.
"""
