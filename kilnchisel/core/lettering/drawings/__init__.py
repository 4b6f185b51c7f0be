"""Drawings from files: filled regions and open lines of an SVG, DXF or PDF file, y up.

A drawing is in mm where the file states its unit, else in the file's own units. White covers what lies
under it, as it does on paper; strokes become outlines; letters are drawn with their font if it is here
and named if it is not.
"""
