"""Sampled channels and what is computed of any: blocks, robust estimates, splitting, envelopes. Knows no lane."""
