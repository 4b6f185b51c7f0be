"""Files that others made are read in a process of its own, with limits, and come back as plain values."""
