"""Scripts of acts: TOML texts that say what is done to the world and when, so that a fault can be played again.

title = "The plug is not home"
seed = 4
lasts_s = 12.0
[[act]]
at_s = 1.0
do = "plug"
to = "half"
"""

from __future__ import annotations

import tomllib

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from gladwire.core.simulate.world.acts import BY_KEY, Value, do
from gladwire.core.simulate.world.world import World


class Done(BaseModel):
    """One act: seconds from the beginning, its name, and what it takes."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    at_s: float = Field(ge=0, le=7 * 86_400, allow_inf_nan=False)
    do: str
    to: bool | float | str = ""


class Script(BaseModel):
    """act: in any order. seed: by which controllers are quick or slow; the same gives the same world again."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: str = Field(min_length=1, max_length=120)
    about: str = ""
    seed: int = 1
    lasts_s: float = Field(gt=0, le=7 * 86_400, allow_inf_nan=False)
    act: tuple[Done, ...] = ()

    @model_validator(mode="after")
    def _possible(self) -> Script:
        trial = World(self.seed)
        for one in self.act:
            if one.at_s > self.lasts_s:
                raise ValueError(f"“{one.do}” at {one.at_s:g} s comes after the script's end at {self.lasts_s:g} s")
            do(trial, one.do, one.to)
        return self


def script_of(text: str) -> Script:
    """Raises ValueError, in a sentence, for what is no script."""
    try:
        return Script.model_validate(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise ValueError(f"this is no TOML: {error}") from error
    except ValidationError as error:
        first = error.errors()[0]
        place = " ".join(str(part) for part in first["loc"])
        raise ValueError(f"{place}: {first['msg']}" if place else str(first["msg"])) from error


def text_of(script: Script) -> str:
    """The same as a TOML text."""
    lines = [f"title = {_quoted(script.title)}", f"seed = {script.seed}", f"lasts_s = {script.lasts_s!r}"]
    lines[1:1] = [f"about = {_quoted(script.about)}"] if script.about else []
    for one in script.act:
        lines += ["", "[[act]]", f"at_s = {one.at_s!r}", f"do = {_quoted(one.do)}"]
        if BY_KEY[one.do].takes != ():
            lines.append(f"to = {_value(one.to)}")
    return "\n".join(lines) + "\n"


def _value(value: Value) -> str:
    return (
        str(value).lower() if isinstance(value, bool) else repr(value) if isinstance(value, float) else _quoted(value)
    )


def _quoted(text: str) -> str:
    plain = text.replace("\\", "\\\\").replace('"', '\\"')
    return '"' + "".join(c if c >= " " else f"\\u{ord(c):04x}" for c in plain) + '"'


class Player:
    """A script on a world, moment by moment; by hand anything else may be done to the world meanwhile."""

    def __init__(self, script: Script) -> None:
        self.world = World(script.seed)
        self._open = sorted(script.act, key=lambda one: one.at_s)

    def run_to(self, time_s: float) -> None:
        while self._open and self._open[0].at_s <= time_s:
            one = self._open.pop(0)
            self._until(one.at_s)
            do(self.world, one.do, one.to)
            self.world.settle()
        self._until(time_s)

    def _until(self, time_s: float) -> None:
        while self.world.now < time_s - 1e-9:
            self.world.tick()


def played(script: Script) -> World:
    """The world after the whole script."""
    player = Player(script)
    player.run_to(script.lasts_s)
    return player.world
