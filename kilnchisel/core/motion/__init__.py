"""Moving pictures: what moves, the frames, the film."""
