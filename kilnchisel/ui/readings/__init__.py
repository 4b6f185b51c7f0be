"""Measures and checks beside the picture."""
