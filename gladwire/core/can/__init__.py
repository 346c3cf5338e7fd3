"""Frames of a bus and the descriptions that name them. Judges nothing; imports no lane."""
