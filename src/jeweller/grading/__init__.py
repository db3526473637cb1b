"""Marks by scheme, and the teacher's decisions over findings. A mark is a sum that can be followed."""
