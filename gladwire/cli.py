"""Command line behind `./glad`."""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import resource
import sys
from pathlib import Path

from pydantic import ValidationError

from gladwire.core.can.names import dbc_text, read_names
from gladwire.core.lanes.all import SETTLED_ROLES as ROLES
from gladwire.core.lanes.bus.roles import BY_KEY as BUS_ROLES
from gladwire.core.plc.exi.grammar import PROTOCOLS
from gladwire.core.plc.keylog import LONGEST, KeyLog, read_keylog
from gladwire.core.power.chain import Context
from gladwire.core.settled import Settled
from gladwire.core.supplements import Described, Supplements
from gladwire.core.words import number_of

_VAR = Path(__file__).resolve().parent.parent / "var"


def main(arguments: list[str] | None = None) -> int:
    """Run one command; returns the exit code. 2 means a file could not be read."""
    try:
        code = _run(arguments)
        sys.stdout.flush()
        return code
    except KeyboardInterrupt:
        return 130
    except BrokenPipeError:  # who reads it has seen enough, as `head` has
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 141


def _run(arguments: list[str] | None) -> int:
    parser = argparse.ArgumentParser(prog="glad", description="From a charging capture to a recorded verdict.")
    commands = parser.add_subparsers(dest="command", required=True)
    _inspect_arguments(commands.add_parser("inspect", help="analyse capture files"))
    for name in ("serve", "demo"):
        server = commands.add_parser(name, help="start the application")
        server.add_argument("--port", type=int, default=8100 if name == "serve" else 8110)
        server.add_argument("--host", default="127.0.0.1")
        server.add_argument(
            "--certificate", type=Path, help="PEM file: answer encrypted, so that phones keep the stamp pad"
        )
        server.add_argument("--key", type=Path, help="PEM file of the certificate's key")
        server.add_argument("--home", type=Path, default=_VAR / name, help="where its data lives")
    keep = commands.add_parser("backup", help="all that is stored, in one file; the application may run meanwhile")
    keep.add_argument("folder", type=Path, nargs="?", default=Path(), help="where the file is to be; here by default")
    back = commands.add_parser("restore", help="the data of a backup, where there is none yet")
    back.add_argument("file", type=Path, help="a file that backup made; only one you trust")
    for command in (keep, back):
        command.add_argument("--home", type=Path, default=_VAR / "serve", help="where the data lives")
    exi = commands.add_parser("exi", help="decode or encode V2G messages, one a line")
    exi.add_argument("direction", choices=("decode", "encode"))
    exi.add_argument("--protocol", choices=PROTOCOLS, help="instead of finding out")
    chosen = parser.parse_args(arguments)
    if chosen.command == "inspect":
        return _inspect(chosen)
    if chosen.command == "exi":
        return _exi(chosen)
    if chosen.command in ("backup", "restore"):
        return _keep(chosen)
    from gladwire.run import run  # the server's imports take longer than inspect may

    if (chosen.certificate is None) != (chosen.key is None):
        parser.error("--certificate and --key go together")
    return run(chosen.command, chosen.host, chosen.port, chosen.home.resolve(), chosen.certificate, chosen.key)


def _inspect_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("files", nargs="+", type=Path, metavar="FILE")
    parser.add_argument("--json", action="store_true", help="print one JSON object")
    parser.add_argument(
        "--role",
        action="append",
        default=[],
        metavar="NAME=ROLE",
        help=f"settle what a channel ({', '.join(ROLES)}) or a signal of a bus is",
    )
    parser.add_argument(
        "--factor",
        action="append",
        default=[],
        metavar="NAME=NUMBER",
        help="settle what a channel's values are multiplied by to be volts or amperes: 100 for a clamp of 10 mV/A",
    )
    parser.add_argument("--scale", type=float, help="settle the probe factor")
    parser.add_argument("--inverted", action=argparse.BooleanOptionalAction, default=None, help="settle the polarity")
    parser.add_argument("--offset", type=float, metavar="V", help="settle the volts to add")
    parser.add_argument(
        "--context", type=Path, metavar="FILE", help="what is known of vehicle and post: a flat JSON object"
    )
    parser.add_argument(
        "--keylog", type=Path, metavar="FILE", help="secrets of TLS sessions, to open what is sealed: a NSS key log"
    )
    parser.add_argument(
        "--dbc", type=Path, action="append", default=[], metavar="FILE", help="names the signals of a CAN log"
    )
    parser.add_argument(
        "--interval", type=float, metavar="S", help="seconds between samples, where the file does not say"
    )


def _settled(chosen: argparse.Namespace) -> Settled:
    """What the options settle. Raises ValueError for a role or a context that is not understood."""
    roles = [(role, *role.rpartition("=")[::2]) for role in chosen.role]
    for role, name, what in roles:
        if not name or what not in (*ROLES, *BUS_ROLES):
            known = ", ".join((*ROLES, *BUS_ROLES))
            raise ValueError(f"--role {role}: NAME=ROLE was expected, ROLE one of {known}")
    return Settled(
        roles={name: what for _, name, what in roles if what in ROLES},
        factors=dict(_factor(text) for text in chosen.factor),
        # A signal is named `Message.Signal`; a lock may be either's.
        signals={what: name for _, name, what in roles if what in BUS_ROLES and "." in name},
        scale=chosen.scale,
        inverted=chosen.inverted,
        offset_v=chosen.offset,
        context=_context(chosen.context) if chosen.context else None,
    )


def _factor(text: str) -> tuple[str, float]:
    name, _, number = text.rpartition("=")
    try:
        factor = float(number)
    except ValueError:
        factor = 0.0
    if not name or not 0 < factor < 1e6:
        raise ValueError(f"--factor {text}: NAME=NUMBER was expected, a number above nought")
    return name, factor


def _context(path: Path) -> Context:
    """Raises ValueError with one clear sentence."""
    try:
        given = json.loads(path.read_text(encoding="utf-8-sig"))
    except OSError as error:
        raise ValueError(f"{path.name}: {error.strerror or error}") from error
    except ValueError as error:
        raise ValueError(f"{path.name}: no JSON object: {error}") from error
    if not isinstance(given, dict):
        raise ValueError(f"{path.name}: one flat JSON object was expected")
    unknown = sorted(set(given) - set(Context.model_fields))
    if unknown:
        print(f"glad inspect: {path.name}: passed by, not known here: {', '.join(unknown)}", file=sys.stderr)
    try:
        return Context.model_validate({key: value for key, value in given.items() if key not in unknown})
    except ValidationError as error:
        first = error.errors()[0]
        raise ValueError(f"{path.name}: “{'.'.join(map(str, first['loc']))}”: {first['msg'].lower()}") from error


def _secrets(path: Path) -> KeyLog:
    """Raises ValueError with one clear sentence."""
    try:
        return read_keylog(_small(path).decode("ascii", "replace"))
    except ValueError as error:
        raise ValueError(f"{path.name}: {error}") from error


def _small(path: Path) -> bytes:
    """A small file. Raises ValueError with one clear sentence."""
    try:
        if path.stat().st_size > LONGEST:
            raise ValueError(f"{path.name}: too large")
        return path.read_bytes()
    except OSError as error:
        raise ValueError(f"{path.name}: {error.strerror or error}") from error


def _inspect(chosen: argparse.Namespace) -> int:
    from gladwire.formats.errors import UnreadableError
    from gladwire.terminal import as_json, as_text, measure_file

    memory_gib = _bound_memory()
    try:
        settled = _settled(chosen)
        supplements = Supplements(
            _secrets(chosen.keylog) if chosen.keylog else KeyLog(),
            tuple(Described(read_names(dbc_text(_small(path)), path.name)) for path in chosen.dbc),
        )
    except ValueError as error:
        print(f"glad inspect: {error}", file=sys.stderr)
        return 2
    results = []
    for path in chosen.files:
        try:
            alone = len(chosen.files) == 1
            results.append((path.name, measure_file(path, settled, chosen.interval, alone, supplements)))
        except UnreadableError as error:
            option = " (option --interval)" if error.hint and "interval" in error.hint else ""
            print(f"glad inspect: {path.name}: {error}{option}", file=sys.stderr)
            return 2
        except OSError as error:
            print(f"glad inspect: {path.name}: {error.strerror or error}", file=sys.stderr)
            return 2
        except MemoryError:
            print(f"glad inspect: {path.name}: it needs more than {memory_gib:.1f} GiB of memory", file=sys.stderr)
            return 2
    print(as_json(results) if chosen.json else as_text(results))
    return 0


def _bound_memory() -> float:
    """Let this process take half of the machine's memory at most; how many GiB that is."""
    half = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_DATA, (half, resource.getrlimit(resource.RLIMIT_DATA)[1]))
    return half / 2**30


def _keep(chosen: argparse.Namespace) -> int:
    from gladwire.store.backup import BackupError, back_up, restore

    home = chosen.home.resolve()
    try:
        if chosen.command == "backup":
            path, kept = back_up(home, chosen.folder)
            done = f"{path}: everything of {kept.taken}, {path.stat().st_size / 1e6:.1f} MB"
        else:
            kept = restore(chosen.file, home)
            done = f"Restored as of {kept.taken} under {home}"
    except BackupError as error:
        print(f"glad {chosen.command}: {error}", file=sys.stderr)
        return 3
    print(f"{done}: {number_of(kept.captures, 'capture')}, {number_of(kept.cases, 'case')}.")
    if chosen.command == "backup":
        print("It holds customers' captures and key logs: keep it as you keep those, and not only on this machine.")
    for sentence in kept.damaged:
        print(f"glad {chosen.command}: {sentence}", file=sys.stderr)
    return 1 if kept.damaged else 0


def _exi(chosen: argparse.Namespace) -> int:
    from gladwire.exi_lines import decode_line, encode_line

    turn = decode_line if chosen.direction == "decode" else encode_line
    for line in sys.stdin:
        if line.strip():
            print(turn(line, chosen.protocol), flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
