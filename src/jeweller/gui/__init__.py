"""The interface: Qt only here."""
