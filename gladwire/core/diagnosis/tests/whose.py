"""Questions and swaps that tell whose it is."""

from __future__ import annotations

from collections.abc import Mapping

from gladwire.core.diagnosis.cause import Owner
from gladwire.core.diagnosis.cautions import PLUG_CAUTION
from gladwire.core.diagnosis.tests.test import Test

# Answers and swaps that tell whose it is: one car failing at many posts is the car, many cars at one post the post. By the
# cause's owner, the chance that it fails there too.
ELSEWHERE: Mapping[Owner, float] = {
    "vehicle": 0.88,
    "cable": 0.3,
    "evse": 0.06,
    "site": 0.1,
    "backend": 0.45,
    "none": 0.5,
}
OTHERS_HERE: Mapping[Owner, float] = {
    "vehicle": 0.06,
    "cable": 0.5,
    "evse": 0.88,
    "site": 0.8,
    "backend": 0.5,
    "none": 0.4,
}
OTHER_LEAD: Mapping[Owner, float] = {
    "vehicle": 0.95,
    "cable": 0.06,
    "evse": 0.95,
    "site": 0.9,
    "backend": 0.95,
    "none": 0.6,
}

TESTS: tuple[Test, ...] = (
    Test(
        "others_here",
        "ask",
        "Ask, or look in the history of this post: did other vehicles charge here since it began?",
        3,
        PLUG_CAUTION,
        "Others fail here too.",
        "Others charge here.",
        OTHERS_HERE,
    ),
    Test(
        "elsewhere",
        "ask",
        "Ask the driver: does this vehicle charge at other posts, in the same way?",
        2,
        PLUG_CAUTION,
        "It fails elsewhere too.",
        "It charges elsewhere.",
        ELSEWHERE,
    ),
    Test(
        "swap_vehicle",
        "try",
        "Plug another vehicle into this post, with everything else as it was, and note how far it gets.",
        8,
        PLUG_CAUTION,
        "It fails in the same way.",
        "It charges.",
        OTHERS_HERE,
        tools=("other_vehicle",),
        others=True,
    ),
    Test(
        "swap_post",
        "try",
        "Plug this vehicle into another post of the same kind, and note how far it gets.",
        10,
        PLUG_CAUTION,
        "It fails in the same way.",
        "It charges.",
        ELSEWHERE,
        elsewhere=True,
    ),
    Test(
        "swap_lead",
        "try",
        "Repeat with another lead, post and vehicle as they were.",
        5,
        PLUG_CAUTION,
        "It fails in the same way.",
        "It charges.",
        OTHER_LEAD,
        tools=("other_lead",),
        own_lead=True,
        others=True,
    ),
)
