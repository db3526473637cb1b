"""What a teacher decides over findings, and what stands after it."""
