"""Random use of the program: the window by gestures, files and jobs by mutation. ``./run fuzz``."""
