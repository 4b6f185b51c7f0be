"""Nothing that goes wrong inside ends the window: the work is put aside, it is told, and work goes on.

Every exception that nobody caught comes here, from the window's thread (a slot, an event) and from any
other. A refusal (``KilnError``) is told as its sentence; anything else is a fault of this program: one
sentence, and a report that can be copied.
"""

from __future__ import annotations

import sys
import threading
import traceback
from collections import OrderedDict
from types import TracebackType

from PyQt6.QtCore import QObject, pyqtSignal

from kilnchisel.core.errors import KilnError
from kilnchisel.core.faults import report_of, sentence_of

MOST_FAULTS = 50  # distinct ones that are remembered


class Guard(QObject):
    """Takes what nobody caught. ``told``: a sentence and, for a fault, its report; each fault once."""

    told = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.faults: OrderedDict[str, int] = OrderedDict()  # report -> how often
        self._busy = threading.local()
        self._before = (sys.excepthook, threading.excepthook)

    def install(self) -> None:
        """From now on. PyQt ends the program at an exception in a slot unless there is a hook."""
        sys.excepthook = self._caught
        threading.excepthook = self._caught_in_thread

    def remove(self) -> None:
        """As it was before."""
        sys.excepthook, threading.excepthook = self._before

    def take(self, error: BaseException) -> None:
        """Deal with an exception. Raises nothing."""
        if getattr(self._busy, "now", False):
            return  # what goes wrong in telling it is not told
        self._busy.now = True
        try:
            if isinstance(error, KilnError):
                self.told.emit(str(error), "")
                return
            report = report_of(error)
            traceback.print_exception(error)
            first = report not in self.faults
            self.faults[report] = self.faults.get(report, 0) + 1
            while len(self.faults) > MOST_FAULTS:
                self.faults.popitem(last=False)
            if first:
                self.told.emit(sentence_of(error), report)
        except Exception:
            traceback.print_exc()
        finally:
            self._busy.now = False

    def _caught(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt | SystemExit):
            self._before[0](kind, error, trace)
            return
        self.take(error.with_traceback(trace))

    def _caught_in_thread(self, caught: threading.ExceptHookArgs) -> None:
        if caught.exc_value is not None and not isinstance(caught.exc_value, SystemExit):
            self.take(caught.exc_value)
