"""Before playing: the tuner, and what a tuning shows of a player on an instrument."""
