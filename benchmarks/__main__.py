"""``./run bench [NAME ...]``: prints each figure, its yardstick and the ratio. Nothing fails here."""

from __future__ import annotations

import os
import sys

from benchmarks import crafts, drafts, laying, lettering, likeness, memory, mockups, startup

BENCHES = {
    "drafts": drafts.run,
    "mockups": mockups.run,
    "likeness": likeness.run,
    "startup": startup.run,
    "lettering": lettering.run,
    "laying": laying.run,
    "crafts": crafts.run,
    "memory": memory.run,
}


def main(names: list[str]) -> int:
    """Run the named benchmarks, or all."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    for name in names or list(BENCHES):
        if name not in BENCHES:
            print(f"There is no benchmark {name}; there are {', '.join(BENCHES)}.", file=sys.stderr)
            return 2
        print(f"\n{name}")
        for figure in BENCHES[name]():
            print(f"  {figure}", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
