"""Circuits, peers, buses, instruments. Imports nothing of what judges it."""
