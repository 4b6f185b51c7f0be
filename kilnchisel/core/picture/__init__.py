"""A scene to pixels: the draft by OpenGL, the mockup by path tracing. Neither knows of jobs."""
