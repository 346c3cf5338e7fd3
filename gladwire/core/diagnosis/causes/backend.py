"""Causes of the back end: authorisation, contracts, roots."""

from __future__ import annotations

from gladwire.core.diagnosis.cause import Cause

CAUSES = (
    Cause(
        code="authorisation_not_given",
        title="Authorisation or payment not given",
        mechanism="Card, app or contract is not accepted, or the back end never answers.",
        owner="backend",
        prior=1.2,
        speaks_for={"authorisation_refused": 4.0, "authorisation_endless": 4.0},
        speaks_against={"authorised": 3.0},
        test="authorisation_not_given",
        if_so="Accepted: the first card or contract, or the back end at that moment; compare times with its log.",
        if_not="Refused again: the post's connection to its back end, or the stall chosen in the app is another one.",
        repair="Card, contract or the post's connection to its back end is put right by who runs it.",
        proof="Authorised within seconds, with the card or contract that was refused.",
    ),
    Cause(
        code="root_not_known",
        title="Root certificate not known to the other side",
        mechanism="The other side's root certificate is not among those this side trusts.",
        owner="backend",
        prior=0.8,
        speaks_for={"tls_root_refused": 4.0},
        speaks_against={"chain_incomplete": 1.5, "tls_certificate_out": 2.0, "clock_refuses": 1.0},
        test="root_not_known",
        if_so="Other vehicles get through here: this vehicle lacks the root; its maker has to add it.",
        if_not="None gets through here: the post's chain ends in a root nobody has.",
        repair="The missing root is installed on the side that did not know it, by its maker.",
        proof="A handshake that completes between the two that refused each other.",
    ),
    Cause(
        code="contract_refused_by_provider",
        title="Contract refused: cancelled, revoked, or not known",
        mechanism="The provider behind the contract says no: cancelled, revoked, or not known to it.",
        owner="backend",
        prior=1.1,
        speaks_for={"contract_refused": 4.5, "contract_not_installed": 2.5},
        speaks_against={"contract_signed": 0.3},
        test="contract_refused_by_provider",
        if_so="It charges: post and vehicle are well; the contract's provider has to look at this contract.",
        if_not="It does not charge either: authorisation itself is at fault, not the contract.",
        repair="The provider puts the contract right; until then the driver pays by another way.",
        proof="An authorisation by contract that is accepted, in a session that reaches Hold.",
    ),
    Cause(
        code="not_authorised",
        title="Post waits for card or back end",
        mechanism="The post sees a vehicle and keeps its oscillator off until somebody may charge.",
        owner="backend",
        prior=1.2,
        speaks_for={"no_offer": 3.0},
        speaks_against={"offer": 4.0, "digital_communication": 4.0, "pilot_withdrawn": 3.0, "pilot_to_zero": 3.0},
        test="not_authorised",
        if_so="It oscillates: authorisation was missing; look at the right stall, label and back end.",
        if_not="Still steady: the post's controller or a site block.",
        repair="The start is given by what works; its operator mends what did not.",
        proof="Oscillation within seconds of a normal start.",
    ),
)
