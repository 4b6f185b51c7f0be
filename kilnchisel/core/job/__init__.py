"""What the person decided: frozen values, their defaults, named edits, history, and the job file."""
