"""Optical music recognition: a page of single-line parts, as a PDF with drawn signs, becomes music with the
doubts of its reading.
"""
