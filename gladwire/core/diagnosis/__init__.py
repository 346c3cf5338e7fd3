"""Causes as data and their ranking by findings. Imports findings only: no lane, no session."""
