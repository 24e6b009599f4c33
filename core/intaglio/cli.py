"""The command `intaglio`: findings of a file, converting, drafting and running recipes, checks."""

import argparse
import importlib
import sys

from intaglio import __version__
from intaglio.commands.arguments import COMMANDS
from intaglio.errors import Cancelled, FileRejected, IntaglioError, SettingRejected


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="intaglio", description="From a CAD part to a checked mesh and case."
    )
    parser.add_argument("--version", action="version", version=f"intaglio {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    for command in COMMANDS:
        own = commands.add_parser(command.name, help=command.help)
        command.arguments(own)
        own.set_defaults(done_by=command.done_by)
    return parser


def main(argv: list[str] | None = None) -> int:
    """Run the command; 0 if the result is valid, 1 if not, 2 for input that cannot be used."""
    args = _parser().parse_args(argv)
    # each command loads what it needs, and no more
    module, _, name = args.done_by.partition(":")
    do = getattr(importlib.import_module(f"intaglio.commands.{module}"), name)
    try:
        return int(do(args))
    except SettingRejected as error:
        print(f"intaglio: {error.blank}: {error.message}", file=sys.stderr)
        return 2
    except FileRejected as error:
        print(f"intaglio: {error.message}", file=sys.stderr)
        return 2
    except IntaglioError as error:
        print(f"intaglio: {error.message}", file=sys.stderr)
        for place in error.places[:10]:
            print("  at " + ", ".join(f"{x:.6g}" for x in place), file=sys.stderr)
        return 1
    except (KeyboardInterrupt, Cancelled):
        print("intaglio: stopped; nothing was written", file=sys.stderr)
        return 130
    except OSError as error:
        # a library may tell no name and no reason of its own
        told = f"{error.filename}: {error.strerror}" if error.filename else str(error)
        print(f"intaglio: {told}", file=sys.stderr)
        return 2


if __name__ == "__main__":
    sys.exit(main())
