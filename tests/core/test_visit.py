"""A visit to one place: common practice, no source."""

from __future__ import annotations

from gladwire.core.case.intake import Kit, Taken
from gladwire.core.case.visit import Bay, kept_free, merged, place_of, reference


def bay(
    name: str, tried: int = 0, failed: int = 0, cabinet: str = "", complained: bool = False, proven: bool = True
) -> Bay:
    return Bay(name, tried, failed, frozenset([cabinet] if cabinet else []), proven, complained)


def test_a_place_is_what_stands_before_the_comma() -> None:
    assert [place_of(p) for p in ("Hotel Seaview, post 2", "post 2", "", " Quay ,7")] == [
        "Hotel Seaview",
        "",
        "",
        "Quay",
    ]


def test_one_kit_holds_each_thing_once_with_all_it_is_for() -> None:
    one = Kit((Taken("meter", "CP core", "meter"), Taken("lamp", "looking")), ("the key",))
    two = Kit((Taken("meter", "coding", "meter"), Taken("meter", "CP core", "meter")), ("the key", "the card"))
    both = merged([one, two])
    assert [(t.words, t.why) for t in both.take] == [("meter", "CP core; coding"), ("lamp", "looking")]
    assert both.ask == ("the key", "the card")
    assert merged([]) == Kit((), ())


def test_the_bay_to_compare_with_is_the_one_known_best_and_nobody_complains_of() -> None:
    bays = [bay("1", 9, 0, complained=True), bay("2", 3, 0), bay("3", 5, 0), bay("4", 20, 1), bay("5")]
    found = reference(bays)
    assert found is not None
    assert (found.bay, "5 of 5" in found.says) == ("3", True)
    assert reference([bay("1", 3, 1), bay("2")]) is None


def test_a_neighbour_on_the_same_cabinet_is_kept_free_and_what_is_assumed_is_said() -> None:
    bays = [bay("A", cabinet="K1", complained=True), bay("B", cabinet="K1"), bay("C", cabinet="K2"), bay("D")]
    assert [(a.bay, "assumed" in a.says) for a in kept_free(bays)] == [("B", False)]
    assumed = [bay("A", cabinet="K1", complained=True), bay("B", cabinet="K1", proven=False)]
    assert "assumed" in kept_free(assumed)[0].says
    assert not kept_free([bay("A", complained=True), bay("B")])
