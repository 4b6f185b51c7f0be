"""Alternatives in the window: the strip at the foot, compared, tried."""
