"""What stands with every test that can hurt someone: the usual cautions, which defer to local codes and licensed practice."""

from __future__ import annotations

BUS_CAUTION = (
    "The bus is low voltage; contactors and cables beside it may be live up to 1000 V. Trained people, under local codes; "
    "lock off, prove dead and wait for the link to discharge before any wire is touched."
)
DEAD_CAUTION = "Lock off and prove dead before any dead test. Trained people, under local codes."
FRAMES_CAUTION = (
    "Frames are taken on the low-voltage pilot line; DC contacts beside it may be live up to 1000 V. Trained people, under "
    "local codes; never open a connector of a session under way."
)
INSULATION_CAUTION = (
    "An insulation fault means that touching may be dangerous: end the session, do not try again to see if it starts, and "
    "measure only locked off and proven dead, under local codes and licensed practice."
)
PLUG_CAUTION = "Stop at both sides before a plug is drawn; never pull against the lock."
PROBE_CAUTION = (
    "Live pilot: category-rated differential probe between CP and PE, low-voltage pins only. Mains or DC stands beside "
    "them. Trained people, under local codes."
)
WAIT_CAUTION = (
    "Let the vehicle charge; nothing is opened or probed for this. Stop at both sides before a plug is drawn."
)
