"""The supply's voltage: what counts as a dip. From memory of EN 50160."""

from __future__ import annotations

from gladwire.core.standards.source import EN_50160, Source

# A dip is a fall below this share of the declared (here: the usual) voltage.
DIP_SHARE = 0.9
DIP_SOURCE: Source = EN_50160
