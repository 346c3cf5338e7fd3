"""Charging arithmetic: the chain of limits, packs, expectation, sharing, sites. Imports no lane."""
