"""Takes with hidden faults to train a teacher's or a player's ear on, and how well they are heard."""
