"""Practice: what to work at, why, how, for how long."""
