"""Rules, findings and causes hold together: no cause waits for a finding that no rule makes."""

from __future__ import annotations

from gladwire.core.diagnosis import likelihood
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.glossary import TOPICS as GLOSSARY
from gladwire.core.rulebook import ALL as RULES
from gladwire.core.scene.spine import AC_SPINE, DC_SPINE
from gladwire.core.standards.source import SOURCES

CODES = {rule.code for rule in RULES}


def test_codes_are_unique() -> None:
    assert len(CODES) == len(RULES)
    assert len({c.code for c in CAUSES}) == len(CAUSES)
    assert len({s.key for s in SOURCES}) == len(SOURCES)


def test_every_cause_speaks_of_findings_that_exist() -> None:
    for cause in CAUSES:
        assert cause.speaks_for or (cause.stage and cause.code in TESTS[cause.test].tells)
        assert set(cause.speaks_for) | set(cause.speaks_against) <= CODES, cause.code
        assert not set(cause.speaks_for) & set(cause.speaks_against), cause.code


def test_every_cause_says_what_would_change_its_mind_and_what_proves_the_repair() -> None:
    for cause in CAUSES:
        assert all(len(text) > 10 for text in (TESTS[cause.test].do, cause.if_so, cause.if_not, cause.proof))
        assert TESTS[cause.test].caution
        assert TESTS[cause.test].minutes > 0


def test_a_cause_is_played_or_says_why_not() -> None:
    for cause in CAUSES:
        assert bool(likelihood.plays_of(cause.code)) != bool(cause.unplayed), cause.code


def test_every_rule_names_a_stage_and_a_known_source() -> None:
    stages = {s.key for s in (*AC_SPINE, *DC_SPINE)}
    for rule in RULES:
        assert rule.stage in stages, rule.code
        assert rule.source in SOURCES, rule.code
        assert rule.answers


def test_every_rule_that_breaks_a_stage_speaks_against_nothing_wrong_and_has_a_cause() -> None:
    explained = {code for cause in CAUSES for code in cause.speaks_for}
    for rule in RULES:
        if rule.breaks:
            assert rule.well < 0, rule.code
            assert rule.code in explained, rule.code


def test_what_a_rule_does_names_stages_that_exist() -> None:
    stages = {s.key for s in (*AC_SPINE, *DC_SPINE)}
    for rule in RULES:
        named = {*rule.breaks, *rule.proves, *rule.supports, *([rule.needs.reached] if rule.needs.reached else [])}
        assert named <= stages, rule.code


def test_each_word_is_told_once_and_never_by_itself() -> None:
    words = [w for t in GLOSSARY for w in t.words]
    assert len({w.word.lower() for w in words}) == len(words)
    others = [also.strip().lower() for w in words for also in w.also.split(",") if also.strip()]
    assert not {w.word.lower() for w in words} & set(others)
    assert all(w.means.endswith(".") for w in words)
