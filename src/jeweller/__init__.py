"""Jeweller: compares a band student's recording with the notated part and shows the teacher what differs."""

__version__ = "0.1.0"
