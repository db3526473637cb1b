"""The ledger: the class, its players and what was given out."""
