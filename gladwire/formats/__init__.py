"""Readers and writers of open file formats. May import core; never store or web."""
