"""The words of the screens, one for each thing, with what they mean.

Terms as IEC 61851-1, ISO 15118 and DIN SPEC 70121 have them; the rest is the usage of the trade (common practice, no source).
"""

from __future__ import annotations

from typing import NamedTuple


class Word(NamedTuple):
    """also: how else it is called, in standards, on displays and in speech. page: where it is at home."""

    word: str
    means: str
    also: str = ""
    page: str = ""

    @property
    def key(self) -> str:
        return self.word.lower().replace(",", "").replace(" ", "-")


class Topic(NamedTuple):
    title: str
    words: tuple[Word, ...]


TOPICS: tuple[Topic, ...] = (
    Topic("The work", (
        Word("Case", "A complaint about a vehicle or a post, from the first word to the proof of the repair.", "", "/cases"),
        Word("Session", "One plug-in, from plugged in to drawn out, with all that was captured and noted of it.", "charging "
             "session, transaction", "/sessions"),
        Word("Capture", "One recording of one instrument, kept byte for byte.", "trace, log, recording"),
        Word("Attempt", "A plug-in of which nothing was captured: who tried it with what, and how far it got."),
        Word("Stamp", "Something heard, seen or done, at its moment."),
        Word("Reading", "A value somebody measured and typed, with its unit."),
        Word("Checklist", "The steps of a case in the order in which they tell most for each minute.", "plan"),
        Word("Swap table", "What was tried with what, so that it shows what the fault follows.", "campaign"),
        Word("Proof", "A capture after the repair that shows the reported way of charging at work."),
        Word("Download", "A copy of what is stored, as a file.", "export, take out"),
    )),
    Topic("What is told", (
        Word("Stage", "A step every session has to pass, from Seat to End.", "phase, step"),
        Word("Proven", "A capture shows that the stage was passed. Nothing is proven on a guess."),
        Word("Not captured", "Nothing that was captured could have shown it; it may have gone well or not."),
        Word("Finding", "A measured fact held against a limit, with its moment and the source of the limit."),
        Word("Verdict", "What the captures say of a session, in one sentence."),
        Word("Cause", "What may be broken, whose it is, what speaks for it and against it.", "fault, hypothesis", "/causes"),
        Word("Test", "Something to do, with what each result would mean.", "step", "/tests"),
        Word("Limit", "A number something is held against, with its source.", "", "/limits"),
        Word("Dropped out", "It charged, and ended before anybody wished it.", "interrupted, aborted"),
        Word("Derated", "It charged, and less than what vehicle, post, cable and state of charge allow.", "slow, throttled"),
        Word("Danger", "Something that can hurt. It is told before everything else."),
    )),
    Topic("Whose it is", (
        Word("Post", "What stands on the ground and gives the energy.", "EVSE, charging station, charger, dispenser, pillar"),
        Word("Stall", "One place to charge at, with its cable or socket.", "bay, outlet, charging point", "/equipment"),
        Word("Cabinet", "The electronics that feed one stall or several.", "power unit"),
        Word("Vehicle", "What is charged.", "EV, car"),
        Word("Lead", "A cable with a plug at both ends, or with a box for a household socket.", "cable set, cord"),
        Word("Adapter", "A piece between plug and inlet of different kinds."),
        Word("Retrofit controller", "A charging controller put into a vehicle or post after it was built."),
        Word("Site", "The place with its supply, fuses and shared power.", "location, installation"),
        Word("Back end", "The programs behind the post that let people in and bill them.", "CPO, operator, roaming"),
    )),
    Topic("Connector and lines", (
        Word("CP", "Control pilot: the wire on which post and vehicle agree by volts and a square wave.", "pilot"),
        Word("PP", "Proximity: a resistor that tells that the plug is in, and in a lead what it carries.", "proximity"),
        Word("PE", "Protective earth. Without it nothing is safe.", "ground, earth"),
        Word("Inlet", "The vehicle's side of the connector.", "charge port"),
        Word("Latch", "What holds the plug mechanically; the lock blocks it.", "catch, lever"),
        Word("Lock", "The motor that keeps the plug from being drawn while it charges.", "actuator"),
        Word("Contactor", "The large switch that puts mains or DC on the cable.", "relay, main switch"),
        Word("Weld", "Contacts of a contactor that stuck together: it no longer opens.", "stuck contactor"),
    )),
    Topic("The pilot", (
        Word("State A to F", "What the pilot's level says: A nobody there, B plugged in, C it may charge, D with "
             "ventilation, E no pilot, F the post is not available.", "", "/limits"),
        Word("Duty", "How much of each period of the square wave is high; it says the current that is offered.", "duty cycle",
             "/bench"),
        Word("Offer", "What the post allows, by duty or by message."),
        Word("Request", "The vehicle asks for energy: it pulls the pilot to C or D."),
        Word("Diode", "In the vehicle's pilot circuit; it keeps the negative side at −12 V and tells a vehicle from water."),
    )),
    Topic("DC and messages", (
        Word("SLAC", "How the vehicle finds the post it is plugged into among its neighbours, by how loud it hears them.",
             "matching, attenuation"),
        Word("SDP", "How the vehicle asks for the address to talk to.", "discovery"),
        Word("EVCC, SECC", "The communication controllers of the vehicle and of the post."),
        Word("Parameters", "Both sides tell what they can: volts, amperes, power.", "ChargeParameterDiscovery"),
        Word("Insulation", "The post checks that nothing leaks to earth before it gives volts.", "cable check, isolation"),
        Word("Pre-charge", "The post brings its output to the pack's volts before the vehicle closes its contactors."),
        Word("Ramp", "Current rises to what the vehicle asks for.", "current demand"),
        Word("Limiter", "What held the power where it was, minute by minute."),
        Word("SoC", "State of charge: how full the pack is, in percent.", "battery level"),
        Word("Taper", "The vehicle asks for less the fuller it is. That is no fault."),
    )),
)  # fmt: skip
