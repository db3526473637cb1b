"""The loupe: one take looked at closely."""
