"""The command ``quarry``: JSON in, JSON out, no database."""

from __future__ import annotations

import argparse
import json
import sys
from typing import Any

from quarry.core.base.errors import CoreError

_MOST_BYTES = 8_000_000


def main(argv: list[str] | None = None) -> int:
    """Run the command line; returns the exit code."""
    parser = argparse.ArgumentParser(prog="quarry", description="Gentle Quarry on the command line.")
    commands = parser.add_subparsers(dest="command", required=True)
    one = commands.add_parser("compute", help="run a calculator on JSON from standard input or a file")
    one.add_argument("name", nargs="?")
    one.add_argument("file", nargs="?", help="input file; standard input if left out")
    one.add_argument("--list", action="store_true", help="list the calculators")
    one.add_argument("--schema", action="store_true", help="print the JSON schema of the input")
    one.add_argument("--time-limit", type=float, default=10.0, metavar="S", help="seconds to search (rotation)")
    one.add_argument("--breaks", choices=["waypoints", "any_point"], help="where a route may be broken (sorties)")
    one.add_argument("--ends", choices=["clip", "cover"], help="how lines end (coverage)")
    args = parser.parse_args(argv)
    return _compute(args)


def _compute(args: argparse.Namespace) -> int:
    from quarry.compute.catalogue import CALCULATORS, compute

    if args.list or not args.name:
        for found in CALCULATORS.values():
            print(f"{found.name:21} {found.summary}")
        return 0
    if args.name not in CALCULATORS:
        print(f"There is no calculator called {args.name}. `quarry compute --list` shows the names.", file=sys.stderr)
        return 2
    if args.schema:
        print(json.dumps(CALCULATORS[args.name].model.model_json_schema(), indent=1))
        return 0
    try:
        data = _read(args.file)
        for option, key in ((args.breaks, "breaks"), (args.ends, "ends")):
            if option:
                data[key] = option
        if args.name == "rotation":
            data["time_limit_s"] = args.time_limit
        print(json.dumps(compute(args.name, data)))
    except CoreError as bad:
        print(json.dumps({"error": bad.message, "field": bad.field, "code": bad.code}), file=sys.stderr)
        return 1
    return 0


def _read(path: str | None) -> dict[str, Any]:
    try:
        if path:
            with open(path, encoding="utf-8") as file:  # noqa: PTH123 - one short read
                text = file.read(_MOST_BYTES + 1)
        else:
            text = sys.stdin.read(_MOST_BYTES + 1)
    except OSError as bad:
        raise CoreError(f"The file cannot be read: {bad.strerror}.", "file") from bad
    if len(text) > _MOST_BYTES:
        raise CoreError("The input is larger than 8 MB. Send less at once.", "file")
    try:
        data = json.loads(text)
    except ValueError as bad:
        raise CoreError(f"The input is not JSON: {bad}.", "file") from bad
    if not isinstance(data, dict):
        raise CoreError("The input must be a JSON object.", "file")
    return data


if __name__ == "__main__":
    sys.exit(main())
