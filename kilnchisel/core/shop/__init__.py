"""What a maker wants to know: readings taken from the piece, and checks with their reasons."""
