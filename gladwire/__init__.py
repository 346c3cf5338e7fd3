"""Glad Wire: from an EV charging capture to a recorded verdict."""
