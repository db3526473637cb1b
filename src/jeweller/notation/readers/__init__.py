"""Readers of notation files: MusicXML, MEI, ABC, Humdrum and MIDI, in a child process with limits."""
