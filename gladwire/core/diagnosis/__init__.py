"""Causes as data, and their ranking by the findings that speak for and against them."""
