"""Frames of the power line as evidence: the folded conversation. May import `core/plc`; no other lane, nor session."""
