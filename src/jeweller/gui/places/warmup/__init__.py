"""Warm up: tune, hold tones, breathe, before the music."""
