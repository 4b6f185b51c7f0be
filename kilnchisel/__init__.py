"""Kiln Chisel: lettering on real objects, at real size.

``kilnchisel.core`` is the library (no interface code), ``kilnchisel.ui`` the window over it.
"""

import os

# before NumPy is read: systems of equations here are small, and waking threads for each takes up to fifty
# times as long as solving it where the machine is busy
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
