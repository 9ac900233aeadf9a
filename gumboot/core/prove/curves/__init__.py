"""Curves taken in from files: I-V, a transfer, a load step, a discharge."""
