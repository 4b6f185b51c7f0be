"""Words to outlines: faces, shaping, arranging, flattening, and what can be measured on the result."""
