"""Widgets that several places use."""
