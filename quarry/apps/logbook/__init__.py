"""What really happened: logs read in, flights found in them, what they teach, totals."""
