"""Mains volts and amperes as evidence. May import the pilot beside it; no other lane, nor session."""
