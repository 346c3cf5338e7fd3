"""Limits of DC charging around insulation, pre-charge and stop.

Source: IEC 61851-23:2014, from memory of the standard; how long a stop may be ignored is common practice.
"""

from __future__ import annotations

from gladwire.core.standards.source import IEC_61851_23, Source

# The post has to come this near the pack before the vehicle closes its contactors.
CLOSE_V = 20.0
# Current has to be under this before contactors open.
OPEN_A = 5.0
# After contactors open the cable has to be under this.
SAFE_V = 60.0
# Insulation under these ohms for each volt of the post's rated output.
INSULATION_FAULT_OHM_PER_V = 100.0
INSULATION_WARNING_OHM_PER_V = 500.0
DC_SOURCE: Source = IEC_61851_23
# A vehicle that keeps the loop running this long after the post asked to stop has ignored it.
STOP_IGNORED_S = 10.0
# Less than this is no flow.
FLOWS_A = 1.0
