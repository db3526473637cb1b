"""The bench: a tray of takes, brought in, checked and gone through."""
