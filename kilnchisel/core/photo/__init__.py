"""Photographs as places: where the camera stood, what light there was, what stands in front."""
