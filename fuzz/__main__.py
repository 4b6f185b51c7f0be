"""``./run fuzz [--seconds N] [--seed N]``: damaged files and random jobs; ``--window``: the window;
``--kills``: writing that is ended in the middle."""

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
    parser.add_argument("--files", type=int, help="so many damaged files, however long it takes")
    parser.add_argument("--jobs", type=int, help="so many random jobs, however long it takes")
    parser.add_argument("--kills", type=int, help="end a writing process so many times")
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args(arguments)
    if options.window:
        from fuzz.window import drive

        return 1 if drive(options.minutes, options.seed) else 0
    if options.kills is not None:
        from fuzz.kills import run as kill

        return 1 if kill(options.kills, options.seed) else 0
    from fuzz.files import run

    failures = run(options.seconds, options.seed, files=options.files, jobs=options.jobs)
    return 1 if failures else 0


if __name__ == "__main__":
    status = main(sys.argv[1:])
    sys.stdout.flush()
    os._exit(status)
