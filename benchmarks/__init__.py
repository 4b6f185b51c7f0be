"""Speed and memory, each figure beside the yardstick it is measured against."""
