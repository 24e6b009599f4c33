"""The command `intaglio`: findings of a file, converting, drafting and running recipes, checks."""

import argparse
import importlib
import sys

from intaglio import __version__
from intaglio.commands.arguments import COMMANDS
from intaglio.commands.outputs import check_outputs
from intaglio.errors import Cancelled, FileRejected, IntaglioError, SettingRejected


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="intaglio", description="From a CAD part to a checked mesh and case."
    )
    parser.add_argument("--version", action="version", version=f"intaglio {__version__}")
    commands = parser.add_subparsers(dest="name", required=True, metavar="COMMAND")
    for command in COMMANDS:
        own = commands.add_parser(command.name, help=command.help)
        command.arguments(own)
        own.set_defaults(command=command)
    return parser


def main(argv: list[str] | None = None) -> int:
    """Run the command; 0 if the result is good, 1 if not, 2 for what cannot be used: the table
    stands in docs/recipe.md."""
    args = _parser().parse_args(argv)
    # each command loads what it needs, and no more
    module, _, name = args.command.done_by.partition(":")
    try:
        check_outputs(args.command, args)
        do = getattr(importlib.import_module(f"intaglio.commands.{module}"), name)
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
