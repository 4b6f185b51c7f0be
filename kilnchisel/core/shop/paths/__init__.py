"""The ways of tools over flat work: a knife over film, cutters over stock."""
