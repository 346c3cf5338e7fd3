"""The steps. To add one: copy a small one, give it a key, and name it in a plan. Order and meaning: common practice."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

from gladwire.core.answers import Answer
from gladwire.core.calculations.proximity import read_latch, read_ohms
from gladwire.core.case.checklist.step import Entry, Judged, Step, by_outcome, judged, yes_no
from gladwire.core.diagnosis.answers import OPEN, danger_of
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.standards import pilot_levels
from gladwire.core.standards.dc_limits import RELEASE_FIRST

_CONTINUITY_OHM = 1.0
_OPEN_OHM = 1e5
# Above every level of a pilot, and where extra-low voltage ends: 50 V AC (IEC 61140, from memory).
_NO_PILOT_V = 50.0


def _coded(entry: Entry) -> Judged:
    if entry.value is None:
        return Judged("unclear", "No resistance was entered.")
    reading = read_ohms(entry.value)
    if reading.code is None:
        return Judged("bad", reading.text, "line_open" if entry.value >= _OPEN_OHM else "wrong")
    # Where the two remembered bands disagree, the reading is bad and names no fault.
    return Judged(
        "bad" if reading.disagree else "good",
        f"{reading.text} {reading.warning}".strip(),
        OPEN if reading.disagree else "",
    )


def _latch(entry: Entry) -> Judged:
    if entry.value is None:
        return Judged("unclear", "No voltage was entered.")
    reading = read_latch(entry.value)
    return Judged("good" if reading.state == "absent" else "bad", reading.text)


def _continuity(what: str, test: str) -> Callable[[Entry], Judged]:
    """A judge of a core measured end to end."""
    danger = danger_of([Answer(test=test, result="line_open")])

    def judge(entry: Entry) -> Judged:
        if entry.value is None:
            return Judged("unclear", "No resistance was entered.")
        if entry.value <= _CONTINUITY_OHM:
            return Judged("good", f"{what} passes end to end.")
        if entry.value >= _OPEN_OHM:
            return Judged("bad", f"{what} is open: the core, or its contact pushed back. {danger}".strip(), "line_open")
        return Judged("bad", f"{what} has {entry.value:g} Ω: a corroded contact or a damaged core.", "resistive")

    return judge


def _open_circuit(entry: Entry) -> Judged:
    if entry.value is None:
        return Judged("unclear", "No voltage was entered.")
    if abs(entry.value) >= _NO_PILOT_V:
        danger = danger_of([Answer(test="post_alone", result="mains")])
        return Judged("bad", f"{entry.value:g} V at an empty post. {danger}", "mains")
    state = pilot_levels.classify(entry.value)
    if state == "A":
        inside = entry.value in pilot_levels.SOURCE_HIGH
        more = "" if inside else " It is outside what a source may have, so look at it again under load."
        said = "steady +12 V as it should be." if inside else "nearly 12 V."
        return Judged("good" if inside else "bad", f"{entry.value:g} V: {said}{more}", "" if inside else "weak")
    meanings = {
        "E": "no pilot: the post is off, in error, or CP is shorted to PE",
        "F": "the post says “not available”",
    }
    meaning = meanings.get(state, "no level an empty post may show")
    return Judged("bad", f"{entry.value:g} V at an empty post: {meaning}.", "dead" if state in meanings else "between")


def _termination(entry: Entry) -> Judged:
    """Two ends of 120 Ω each (ISO 11898-2)."""
    if entry.value is None:
        return Judged("unclear", "No resistance was entered.")
    if 54.0 <= entry.value <= 66.0:
        return Judged("good", f"{entry.value:g} Ω: two ends are terminated.")
    if 108.0 <= entry.value <= 132.0:
        return Judged("bad", f"{entry.value:g} Ω: one end's termination is missing.")
    return Judged("bad", f"{entry.value:g} Ω is no bus of two ends: a wire, a third termination, or a short.")


def _by_outcome(key: str, title: str, expected: str = "known either way", contacts: tuple[str, ...] = ()) -> Step:
    judge, answers = by_outcome(TESTS[key])
    return Step(key, title, expected, judge, answers=answers, contacts=contacts)


STEPS: tuple[Step, ...] = (
    _by_outcome("elsewhere", "Does this vehicle charge elsewhere?"),
    _by_outcome("others_here", "Do others charge here?"),
    _by_outcome("weather", "In which weather?"),
    _by_outcome("since", "Since when?"),
    _by_outcome("swap_lead", "Another lead"),
    _by_outcome("swap_vehicle", "Another vehicle at this post"),
    _by_outcome("swap_post", "This vehicle at another post"),
    _by_outcome("mode2_ok", "The slow lead", "it charges"),
    _by_outcome("access", "The bay, the cable's reach, the adapter", "free, within reach, nothing held back"),
    _by_outcome("other_stall_started", "The right stall", "one name for it everywhere"),
    _by_outcome("other_means", "Other means of starting"),
    _by_outcome("codes", "Stored fault codes", "noted, or none"),
    _by_outcome("look", "Plug, inlet and socket", "clean, dry, straight, unburnt", ("CP", "PP", "PE")),
    Step(
        "dc_frames",
        "The conversation, captured",
        "every stage proven to Ramp",
        yes_no(
            "yes",
            "It starts: let it run.",
            "Drop the capture here: the stage line says where it stopped, and whose turn it was.",
        ),
        answers=(("yes", "it starts"), ("no", "it stops somewhere"), ("unclear", "cannot tell")),
    ),
    Step(
        "dc_course",
        "The power record",
        "amperes at the lowest of the ratings, until the vehicle asks for less",
        yes_no(
            "yes", "It holds what it can.", "Drop the record here: the ledger says what held it back, minute by minute."
        ),
        answers=(
            ("yes", "it holds what the ratings give"),
            ("no", "it falls short or stops"),
            ("unclear", "cannot tell"),
        ),
    ),
    Step(
        "cabinet_shared",
        "Alone, then with a neighbour",
        "the same power either way",
        yes_no("yes", "The neighbour changes nothing.", "The cabinet is shared: as built, or as set."),
        answers=(("yes", "the same either way"), ("no", "less with a neighbour"), ("unclear", "cannot tell")),
    ),
    Step(
        "stuck_stop",
        "Both sides stopped",
        "0 A on both, lamps at rest",
        yes_no(
            "yes",
            "Nobody asks for power any more.",
            "Somebody still does: the lock holds rightly. Use the emergency stop.",
        ),
        answers=(("yes", "0 A on both"), ("no", "one still charges"), ("unclear", "cannot tell")),
    ),
    Step(
        "lock_does_not_release",
        "Release by remote and post",
        "the lock lets go",
        yes_no("yes", "It released: note which of them did it.", f"It stays held. {RELEASE_FIRST}."),
        answers=(("yes", "it releases"), ("no", "it stays locked"), ("unclear", "cannot tell")),
    ),
    Step(
        "stuck_safe",
        "Open and under 60 V, proven",
        "contactors open, under 60 V at the inlet",
        yes_no(
            "yes",
            "The manual release may be used, by those who are trained for it.",
            "Leave it: call the owner and the maker.",
        ),
        answers=(("yes", "proven"), ("no", "not so, or not to be proven"), ("unclear", "nobody here may prove it")),
    ),
    Step(
        "bus_log",
        "The bus, captured",
        "both sides heard, contactors close",
        yes_no("yes", "The controllers agree.", "Drop the log here: what closed when, and which flag came first."),
        answers=(("yes", "it charges"), ("no", "it stops somewhere"), ("unclear", "cannot tell")),
    ),
    Step(
        "controller_supply",
        "The controller's supply and wake line",
        "12 V, and the wake line comes up",
        yes_no("yes", "It is awake.", "It sleeps or has no supply: follow that wire before anything else."),
        answers=(("yes", "both"), ("no", "one is missing"), ("unclear", "cannot tell")),
    ),
    Step(
        "controller_warns",
        "The controller's stored faults",
        "noted, or none",
        yes_no("no", "Faults are noted: what they name comes first.", "None stored."),
        answers=(("no", "none are stored"), ("yes", "faults are stored, noted below")),
    ),
    Step(
        "bus_wiring",
        "Termination of the bus",
        "about 60 Ω",
        _termination,
        unit="Ω",
    ),
    Step(
        "coded",
        "Coding of the loose lead",
        "a code's value, such as 220 Ω for 32 A",
        _coded,
        unit="Ω",
        contacts=("PP", "PE"),
    ),
    Step(
        "cp_core",
        "CP core of the lead",
        "under 1 Ω, steady",
        _continuity("CP", "cp_core"),
        unit="Ω",
        contacts=("CP",),
    ),
    Step(
        "pe_core",
        "PE core of the lead",
        "under 1 Ω, steady",
        _continuity("PE", "pe_core"),
        unit="Ω",
        contacts=("PE",),
    ),
    Step(
        "inlet_pp",
        "Proximity of a latch-switch inlet",
        "4.46 V with no plug",
        _latch,
        unit="V",
        contacts=("PP", "PE"),
    ),
    Step(
        "post_alone",
        "The post alone",
        "steady +12 V (11.4 to 12.6), not oscillating",
        _open_circuit,
        unit="V",
        contacts=("CP", "PE"),
    ),
    Step(
        "post_steady",
        "The post alone, captured",
        "no oscillation before a vehicle is there",
        yes_no("yes", "Steady: the post waits as it should.", "It oscillates to nobody: the post's controller."),
        answers=(("yes", "it is steady"), ("no", "it oscillates"), ("unclear", "cannot tell")),
        contacts=("CP", "PE"),
    ),
    Step(
        "substitute",
        "Substitute in place of the plug",
        "the inlet wakes and its lock drives once",
        yes_no(
            "yes",
            "The inlet sees a plug and locks: its proximity and lock work.",
            "No reaction: the inlet's proximity contact or wire, or its lock.",
        ),
        answers=(("yes", "it wakes and locks"), ("no", "nothing happens"), ("unclear", "cannot tell")),
        contacts=("PP", "PE"),
    ),
    Step(
        "release",
        "Release by the vehicle's remote",
        "the lock lets go",
        yes_no("yes", "It releases.", f"It stays locked: mend that before a plug goes in. {RELEASE_FIRST}."),
        answers=(("yes", "it releases"), ("no", "it stays locked"), ("unclear", "cannot tell")),
    ),
    Step(
        "test_load",
        "The post with a known load",
        "9 V, then an oscillation with the offer on its label",
        yes_no("yes", "The post offers.", "It does not offer: card, back end, load control, or its controller."),
        answers=(("yes", "it offers what its label says"), ("no", "it does not offer"), ("unclear", "cannot tell")),
        contacts=("CP", "PE"),
    ),
    Step(
        "plug_in",
        "A captured plug-in",
        "every stage proven to Draw",
        yes_no(
            "yes",
            "It charges: hold it, then prove the other reported modes.",
            "Drop the capture here: the stage line says where it stopped.",
        ),
        answers=(("yes", "it charges"), ("no", "it stops somewhere"), ("unclear", "cannot tell")),
        contacts=("CP", "PP", "PE"),
    ),
    Step(
        "hold",
        "Half an hour under load",
        "no interruption, current steady",
        yes_no(
            "yes",
            "It holds, also while the cable moves.",
            "It drops: drop the capture here, the moment before says why.",
        ),
        answers=(("yes", "it holds"), ("no", "it drops or sinks"), ("unclear", "cannot tell")),
        contacts=("CP", "PE"),
    ),
    Step(
        "codes_after",
        "Stored codes again",
        "gone after a whole session",
        yes_no("yes", "Gone: note that with the proof.", "Still there or new: the repair has not reached their cause."),
        answers=(("yes", "gone"), ("no", "still there, or new"), ("unclear", "cannot tell")),
    ),
)
BY_KEY = {step.key: step for step in STEPS}


@cache
def step_of(key: str) -> Step:
    """The step of a test; one by its own outcomes where none was written. Raises KeyError for no test."""
    return BY_KEY[key] if key in BY_KEY else _by_outcome(key, TESTS[key].do.split(":")[0].rstrip("."))


def answer_of(key: str, entry: Entry, by_name: str = "") -> Answer:
    """What an entry says to the judge; that it tells nothing where it was left out."""
    return Answer(test=key, result=judged(step_of(key), entry).result, text=entry.text, by_name=by_name)
