"""Notation files by the ending of their name: by custom; what a file is, its content tells."""

ENDINGS = ".musicxml", ".xml", ".mxl", ".mei", ".abc", ".krn", ".kern", ".mid", ".midi"
