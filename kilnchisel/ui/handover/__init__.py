"""All that a job can be handed over as, on one page: cards to choose from, how it is made, one folder."""
