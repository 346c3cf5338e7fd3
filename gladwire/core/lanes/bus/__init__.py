"""Logs of a CAN bus as evidence. May import the lane of power; no other lane, nor session or diagnosis."""
