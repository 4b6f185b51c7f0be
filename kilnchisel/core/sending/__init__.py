"""What goes between the program's processes: values over a pipe, things that stay over there named."""
