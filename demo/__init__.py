"""The demo jobs of the invented Tarnlight Observatory."""
