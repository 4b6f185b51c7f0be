"""Vehicles: bodies from smooth cages, and what is on them."""
