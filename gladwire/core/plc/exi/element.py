"""What a decoded document is made of."""

from typing import Any

# The key an element's own value stands under when it has attributes beside it.
OWN = "value"


class Element(dict[str, Any]):
    """A complex element: child and attribute names to values, repeated children as lists.

    Values are str, int, bool, bytes, float or Element. An element decoded before may be shared between documents, so
    nobody changes one after decoding. `flat` and `fields` keep what `fields.flatten` and `fields.shared` made of it.
    """

    __slots__ = ("fields", "flat", "physical")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.flat: list[tuple[str, Any]] | None = None
        self.fields: dict[str, Any] | None = None
        self.physical = False
