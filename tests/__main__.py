"""``./run test [WORD ...]``: runs every test, in two processes where there are two cores, and
ends with one line of counts. With words: the files whose names hold one of them."""

from __future__ import annotations

import contextlib
import faulthandler
import io
import json
import os
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from typing import Any

from kilnchisel.core.remembered import STORE

HERE = Path(__file__).parent
MOST = 2  # processes: each draws and traces with threads of its own
SLOWEST = 5  # tests that are named at the end
LINES = 160  # of what a process said last, told when it ends in the middle
KEPT_BYTES = 640 * 2**20  # of what has been made, in each process
LONGEST_S = 150.0  # a test that takes longer hangs: its process tells where it stands, and ends
CACHE = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "kilnchisel"


class Told(unittest.TextTestResult):
    """Results with the seconds that each test took."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.seconds: dict[str, float] = {}
        self._from = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        self._from = time.monotonic()
        print(test.id(), file=sys.__stderr__, flush=True)
        faulthandler.dump_traceback_later(LONGEST_S, exit=True, file=sys.__stderr__)
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        faulthandler.cancel_dump_traceback_later()
        self.seconds[test.id()] = time.monotonic() - self._from


def serve() -> None:
    """Run the files named on standard input, one after the other; a line of JSON for each."""
    answers = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)  # whatever a test or a library prints goes elsewhere
    faulthandler.enable(file=sys.__stderr__)  # where a library that ends the process was called from
    STORE.most_bytes = KEPT_BYTES  # tests open every kind of blank again and again, a person a few
    for line in sys.stdin:
        words, started = io.StringIO(), time.monotonic()
        suite = unittest.TestLoader().loadTestsFromName(line.strip())
        with contextlib.redirect_stdout(words), contextlib.redirect_stderr(words):
            result = unittest.TextTestRunner(stream=words, resultclass=Told).run(suite)
        assert isinstance(result, Told)
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        answer = {
            "run": max(result.testsRun, failed + len(result.skipped)),
            "failed": failed,
            "skipped": len(result.skipped),
            "took": time.monotonic() - started,
            "seconds": result.seconds,
            "words": words.getvalue() if failed else "",
            "wrong": [
                f"{test.id()}: {told.strip().splitlines()[-1]}"
                for test, told in (*result.failures, *result.errors)
            ],
        }
        answers.write(json.dumps(answer) + "\n")
        answers.flush()


class Desk(threading.Thread):
    """One process that takes files from the list until it is empty."""

    def __init__(self, waiting: list[str], done: dict[str, dict[str, Any]], state: Path) -> None:
        """``state``: where its tests keep what a person would, nobody's own jobs and autosaves."""
        super().__init__()
        self._waiting, self._done = waiting, done
        state.mkdir()
        self._told = state / "told.txt"  # the last test that was begun, and where it stood if it hung
        self._environment = {**os.environ, "XDG_STATE_HOME": str(state)}
        if (os.cpu_count() or 1) <= MOST:  # each core has a process: a software card needs no threads
            self._environment.setdefault("LP_NUM_THREADS", "0")

    def run(self) -> None:
        process = self._process()
        while True:
            try:
                name = self._waiting.pop(0)
            except IndexError:
                break
            assert process.stdin is not None and process.stdout is not None
            process.stdin.write(name + "\n")
            process.stdin.flush()
            line = process.stdout.readline()
            if not line:  # it ended in the middle: what it was at is told, the rest goes on
                code = process.wait()
                answer: dict[str, Any] = {"run": 1, "failed": 1, "skipped": 0, "took": 0.0, "seconds": {}}
                last = "".join(self._told.read_text(errors="replace").splitlines(True)[-LINES:])
                answer["wrong"] = [f"{name} ended the process that ran it (code {code})"]
                answer["words"] = answer["wrong"][0] + f"\n{last}"
                process = self._process()
            else:
                answer = json.loads(line)
            self._done[name] = answer
            print(f"{answer['took']:6.1f} s  {name}" + ("  FAILED" if answer["failed"] else ""), flush=True)
            if answer["words"]:
                print(answer["words"], flush=True)
        process.stdin.close()  # type: ignore[union-attr]
        process.wait()

    def _process(self) -> subprocess.Popen[str]:
        with self._told.open("w") as told:
            return subprocess.Popen(
                [sys.executable, "-m", "tests", "--serve"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=told,
                text=True,
                env=self._environment,
            )


def main(words: list[str]) -> int:
    """Run tests whose file name holds one of the given words (all without any)."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    files = sorted(HERE.glob("*/test_*.py"))
    names = [
        f"tests.{path.parent.name}.{path.stem}"
        for path in files
        if not words or any(word in path.stem for word in words)
    ]
    kept = CACHE / "test-seconds.json"
    took: dict[str, float] = {}
    with contextlib.suppress(OSError, ValueError):
        took = json.loads(kept.read_text())
    names.sort(key=lambda name: -took.get(name, 30.0))  # the longest first, so that they end together
    done: dict[str, dict[str, Any]] = {}
    with tempfile.TemporaryDirectory(prefix="kilnchisel-tests-") as folder:
        # the cache is shared: it is only speed
        count = min(MOST, os.cpu_count() or 1, max(len(names), 1))
        desks = [Desk(names, done, Path(folder) / str(number)) for number in range(count)]
        for desk in desks:
            desk.start()
        for desk in desks:
            desk.join()
    with contextlib.suppress(OSError):
        CACHE.mkdir(parents=True, exist_ok=True)
        kept.write_text(json.dumps(took | {name: one["took"] for name, one in done.items()}))
    seconds = {test: s for one in done.values() for test, s in one["seconds"].items()}
    for test in sorted(seconds, key=lambda test: -seconds[test])[:SLOWEST]:
        print(f"{seconds[test]:6.1f} s  {test}")
    for wrong in (line for one in done.values() for line in one["wrong"]):
        print(f"FAILED  {wrong}")
    run, failed, skipped = (sum(one[key] for one in done.values()) for key in ("run", "failed", "skipped"))
    print(f"{run - failed - skipped} passed, {failed} failed, {skipped} skipped", flush=True)
    return 1 if failed or run == 0 else 0


if __name__ == "__main__":
    if sys.argv[1:] == ["--serve"]:
        serve()
        sys.stdout.flush()
        os._exit(0)  # native libraries with threads of their own need no say in how this ends
    sys.exit(main(sys.argv[1:]))
