"""The supply's voltage: what counts as a dip. From memory of EN 50160."""

from __future__ import annotations

from gladwire.core.standards.limit import Limit, limits_of
from gladwire.core.standards.source import EN_50160, IEC_60364_5_52, PRACTICE, Source

DIP_SOURCE: Source = EN_50160
# A dip is a fall below this share of the declared (here: the usual) voltage.
DIP_SHARE = Limit(0.9, "share", "over {} of usual", "Supply voltage; below it is a dip", DIP_SOURCE)
# What a line may lose on its way to what it feeds; twice that, something in it heats. (The 5 % from memory.)
DROP_SHARE = Limit(0.05, "share", "up to {} lost on the way", "Volts a feed loses under load", IEC_60364_5_52)
DROP_HOT_SHARE = Limit(0.08, "share", "under {} lost on the way", "Volts lost that make a terminal suspect", PRACTICE)
# Mains are held within this share of their nominal voltage.
MAINS_SHARE = Limit(0.10, "share", "within {} of nominal", "Supply voltage", EN_50160)
# One phase, for a current whose volts nobody told.
MAINS_V = Limit(230.0, "V", "{}", "A phase of mains, where its volts were not read", PRACTICE)

LIMITS: tuple[Limit, ...] = limits_of(globals())
