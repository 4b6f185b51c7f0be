"""Paper: pages in mm with lines, areas, words and pictures, written as tagged PDF."""
