"""The journal of a job: entries, their kinds, and what they add up to."""
