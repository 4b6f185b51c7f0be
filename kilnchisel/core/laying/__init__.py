"""Outlines onto sides: placed on the sheet by true length, and measured there."""
