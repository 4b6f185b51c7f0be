"""Bodies of the blanks, each with named sides that can be lettered."""
