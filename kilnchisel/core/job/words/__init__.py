"""The job in plain words: each part, each section of the ticket, each edit."""
