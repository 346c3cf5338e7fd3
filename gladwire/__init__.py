"""Glad Wire: from an EV charging capture to a recorded verdict."""

__version__ = "0.2.0"
