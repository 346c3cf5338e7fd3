"""A visit to one place: common practice, no source."""

from __future__ import annotations

import pytest

from gladwire.core.case.intake import Kit, Taken
from gladwire.core.case.visit import Bay, Stop, kept_free, kilometres, merged, place_of, reference, route


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


def test_a_quarter_of_a_meridian_is_ten_thousand_kilometres() -> None:
    # The metre's first definition; the sphere of the mean radius (IUGG) is 7 km longer.
    assert kilometres((0.0, 17.0), (90.0, -40.0)) == pytest.approx(10_000, abs=8)
    assert kilometres((0.0, 179.5), (0.0, -179.5)) == pytest.approx(111.195, abs=0.001)
    assert kilometres((48.0, 11.0), (48.0, 11.0)) == 0.0


def stop(name: str, latitude: float | None = None, unsafe: bool = False) -> Stop:
    return Stop(name, None if latitude is None else (latitude, 0.0), unsafe)


def test_what_can_hurt_is_gone_to_first_then_the_shortest_way() -> None:
    legs = route([stop("c", 3.0), stop("nowhere"), stop("a", 1.0), stop("danger", 4.0, True), stop("b", 2.0)])
    assert [leg.name for leg in legs] == ["danger", "c", "b", "a", "nowhere"]
    assert [leg.km is None for leg in legs] == [True, False, False, False, True]
    assert route([]) == ()
    with pytest.raises(ValueError, match="more than 8"):
        route([stop(str(n), float(n)) for n in range(9)])
