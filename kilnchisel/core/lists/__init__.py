"""One design and a list: each row of it made into a job, fitted, checked, handed over."""
