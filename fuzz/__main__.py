"""``./run fuzz [--seconds N] [--seed N]``: damaged files and random jobs; ``--window``: the window."""

from __future__ import annotations

import argparse
import os
import sys


def main(arguments: list[str]) -> int:
    """Run what is asked for; 1 where something was found."""
    parser = argparse.ArgumentParser(prog="run fuzz")
    parser.add_argument("--window", action="store_true", help="random gestures in the real window")
    parser.add_argument("--minutes", type=float, default=12.0, help="of the window")
    parser.add_argument("--seconds", type=float, default=60.0, help="of files and jobs")
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args(arguments)
    if options.window:
        from fuzz.window import drive

        return 1 if drive(options.minutes, options.seed) else 0
    from fuzz.files import run

    return 1 if run(options.seconds, options.seed) else 0


if __name__ == "__main__":
    status = main(sys.argv[1:])
    sys.stdout.flush()
    os._exit(status)
