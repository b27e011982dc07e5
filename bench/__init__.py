"""What `make bench` runs: ratios side by side, never a bar that a slow machine could miss."""
