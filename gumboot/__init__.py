"""Gumboot: from survey to hand-over of home storage."""

__version__ = "0.2.0"
