"""Alternatives side by side: pictures at one scale, and ranges of a value tried."""
