"""Finishes to materials: what light does at a surface, the same for draft and mockup."""
