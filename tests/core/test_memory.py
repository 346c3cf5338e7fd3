"""What attempts and closed cases say to the judge."""

from __future__ import annotations

import pytest

from gladwire.core.case.memory import by_attempts, by_closed_cases
from gladwire.core.case.swaps import Attempt, Came, Part
from gladwire.core.diagnosis.evidence import BEFORE, observed
from gladwire.core.diagnosis.ranking import weighed
from gladwire.core.findings import Finding

HERE: dict[Part, str] = {"vehicle": "van 7", "post": "post 2", "lead": "blue"}


def tried(came: Came, **parts: str) -> Attempt:
    return Attempt({**HERE, **parts}, came)  # type: ignore[typeddict-item]


def told(*attempts: Attempt) -> dict[str, str]:
    return {a.test: a.result for a in by_attempts(HERE, attempts, "in this case", "case")}


def finding(code: str) -> Finding:
    return Finding.model_validate(
        {"code": code, "severity": "fault", "stage": "hold", "text": code, "start_s": 0.0, "end_s": 1.0}
    )


def test_another_vehicle_another_post_another_lead_each_answer_their_question() -> None:
    assert told(tried("failed", vehicle="van 3")) == {"others_here": "so"}
    assert told(tried("charged", post="post 3")) == {"elsewhere": "not_so"}
    assert told(tried("charged", lead="red")) == {"swap_lead": "not_so"}


def test_attempts_that_part_and_that_are_not_known_answer_nothing() -> None:
    assert told(tried("failed", vehicle="van 3"), tried("charged", vehicle="van 4")) == {}
    assert told(tried("open", vehicle="van 3")) == {}
    assert told(Attempt({"vehicle": "van 3"}, "failed")) == {}  # where it was is not noted
    assert told(tried("failed")) == {}  # the same again
    assert told(tried("failed", vehicle="")) == {}


def test_an_answer_says_of_how_many_it_was_counted() -> None:
    three = [tried("failed", vehicle=name) for name in ("van 3", "van 4", "van 5")]
    (answer,) = by_attempts(HERE, three, "in the 30 days before", "elsewhere")
    assert answer.text == "3 failed of 3 attempts with another vehicle at this post, in the 30 days before."
    assert answer.of_record == "elsewhere"


def test_the_record_elsewhere_weighs_half_of_attempts_of_the_case() -> None:
    codes = [finding("precharge_not_reached"), finding("vehicle_silent")]
    (counted,) = by_attempts(HERE, [tried("failed", vehicle="van 3")], "here", "elsewhere")
    (said,) = by_attempts(HERE, [tried("failed", vehicle="van 3")], "in this case", "case")

    def weight(*answers: object) -> float:
        seen = observed(codes, None, answers, False)  # type: ignore[arg-type]
        return sum(i.weight for i in weighed(seen)[0].items if i.answer)

    assert weight(counted) == pytest.approx(weight(said) / 2)


def test_closed_cases_raise_a_cause_by_how_often_and_never_beyond_a_bound() -> None:
    weights = [by_closed_cases(["loose_contact"] * n, "here")["loose_contact"].weight for n in (1, 2, 4, 40)]
    assert weights == sorted(weights)
    assert 0.1 < weights[0] < 0.7  # one case is an accident
    assert weights[-1] == 1.5
    assert by_closed_cases([], "here") == {}
    assert by_closed_cases(["no_such_cause"], "here") == {}


def test_what_it_was_before_is_told_as_evidence() -> None:
    before = by_closed_cases(["loose_contact", "loose_contact", "pack_cold"], "of this vehicle or this post")
    found = [finding("pilot_interrupted")]
    plain = {w.cause.code: w for w in weighed(observed(found))}
    known = {w.cause.code: w for w in weighed(observed(found, before=before))}
    assert known["loose_contact"].share > plain["loose_contact"].share
    item = next(i for i in known["loose_contact"].items if i.code == BEFORE)
    assert item.before
    assert item.before.words == "It was this in 2 of 3 closed cases of this vehicle or this post."
    assert "pack_cold" not in known  # nothing seen makes one think of it
