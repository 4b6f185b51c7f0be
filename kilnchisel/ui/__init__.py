"""The window: shows values, turns gestures into new values, computes nothing."""
