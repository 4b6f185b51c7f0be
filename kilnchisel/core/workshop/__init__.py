"""The pictures and readings that the window shows, made in a process of their own."""
