"""One player at home: a file that the teacher's ledger makes, and one that comes back."""
