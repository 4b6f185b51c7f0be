"""Files out: pictures and meshes. All or nothing: a temporary file, then a rename."""
