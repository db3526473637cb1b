"""Recordings in, sound out: decoding, and the ports for microphone and loudspeaker. Samples are float32,
-1..1.
"""
