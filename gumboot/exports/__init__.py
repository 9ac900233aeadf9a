"""A job in open formats: one JSON file, and the hand-over pack as PDF."""
