"""Kiln Chisel: lettering on real objects, at real size.

``kilnchisel.core`` is the library (no interface code), ``kilnchisel.ui`` the window over it.
"""

__version__ = "0.1.0"
