"""The library on disk: bands, players, trays, takes, reports, and everything the teacher decided."""
