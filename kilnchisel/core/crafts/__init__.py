"""Laid outlines to geometry: one watertight surface, the letters exactly on their outlines."""
