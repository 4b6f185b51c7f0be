"""``./run bench [NAME ...]``: prints each figure, its yardstick and the ratio. Nothing fails here."""

from __future__ import annotations

import os
import subprocess
import sys

from benchmarks import (
    crafts,
    drafts,
    gaps,
    laying,
    lettering,
    likeness,
    lists,
    memory,
    mockups,
    photos,
    sets,
    shop,
    startup,
)

BENCHES = {
    "drafts": drafts.run,
    "mockups": mockups.run,
    "likeness": likeness.run,
    "sets": sets.run,
    "photos": photos.run,
    "shop": shop.run,
    "startup": startup.run,
    "gaps": gaps.run,
    "lists": lists.run,
    "lettering": lettering.run,
    "laying": laying.run,
    "crafts": crafts.run,
    "memory": memory.run,
}


def main(names: list[str]) -> int:
    """Run the named benchmarks, or all: each in a process of its own, so that none feels the others."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    for name in names or list(BENCHES):
        if name not in BENCHES:
            print(f"There is no benchmark {name}; there are {', '.join(BENCHES)}.", file=sys.stderr)
            return 2
        if len(names) != 1:
            sys.stdout.flush()
            subprocess.run([sys.executable, "-m", "benchmarks", name], check=True)
            continue
        print(f"\n{name}")
        for figure in BENCHES[name]():
            print(f"  {figure}", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
