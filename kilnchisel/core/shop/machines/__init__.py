"""Simulated machines: each reads the file that was written, not the job."""
