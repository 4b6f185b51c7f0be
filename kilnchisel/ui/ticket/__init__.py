"""The job ticket: one file a section."""
