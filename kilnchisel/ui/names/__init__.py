"""A list of names laid beside the job: its rows in a table, put right, and handed over."""
