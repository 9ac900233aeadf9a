"""Prove: does it do what we said? What is due, what each instrument should show and how far it
may be off, and what the readings say.
"""
