"""Fault scripts: captures as instruments write them, made by the simulator, and their truth. Imports no store, no web."""
