"""Measurements of speed and memory as ratios against a named baseline in the same run. Never part of the tests."""
