"""The booth: count in, record, see it, try again."""
